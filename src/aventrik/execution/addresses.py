"""Where the store of a workspace is."""

from __future__ import annotations

from ..storage import Address
from ..workspace.workspace import Workspace


def address_of(workspace: Workspace) -> Address:
    """The address that the settings give; a folder for arrays that is not an absolute path lies in the workspace."""
    how = workspace.settings.store
    arrays = how.arrays if not how.arrays or "://" in how.arrays else str(workspace.folder / how.arrays)
    return Address(workspace.hidden, how.address, how.schema_, arrays, how.patience)
