"""What a store of an earlier format held that now stands in files of the workspace."""

from __future__ import annotations

import json

from ..storage.protocols import Store
from ..workspace.workspace import Workspace


def take_out_before(store: Store, workspace: Workspace) -> None:
    """Writes decisions and metadata of a store that was migrated into decisions.csv and metadata.csv, once."""
    found = store.before()
    if not found:
        return
    workspace.decisions.leave_out({name: value for kind, name, value in found if kind == "left out"})
    meta = {name: json.loads(value) for kind, name, value in found if kind == "metadata"}
    if meta:
        workspace.metadata.add(
            {
                name: {field: v if isinstance(v, str) else json.dumps(v) for field, v in fields.items()}
                for name, fields in meta.items()
            }
        )
    store.forget_before()
