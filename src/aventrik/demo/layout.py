"""Copies the demo's documents, configurations, question log and hand-made test set into a workspace."""

from __future__ import annotations

import shutil
from importlib.util import find_spec
from pathlib import Path

from ..core.errors import BadInput, disk_errors
from ..workspace.settings import SETTINGS
from ..workspace.starter import create

_HERE = Path(__file__).parent


def lay_out(folder: Path) -> bool:
    """Makes the demo workspace, or leaves the one that is there; returns whether it was made.

    Raises `BadInput` for a folder that holds something else. Without the extra `static` the sweep leaves that
    embedding model out.
    """
    if (folder / SETTINGS).exists():
        if not (folder / "documents" / "handbook" / "locks.md").exists():
            raise BadInput(f"{folder}: is a workspace of yours, not the demo's; name another folder")
        return False
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise BadInput(f"{folder}: exists and is not empty; name another folder")
    create(folder)
    with disk_errors(folder):
        (folder / "configs" / "starter.toml").unlink()
        shutil.copytree(_HERE / "documents", folder / "documents")
        for name in ("enquiries.jsonl", "helpdesk.jsonl"):
            shutil.copy(_HERE / name, folder / "testsets" / name)
        for path in sorted((_HERE / "configs").glob("*.toml")):
            text = path.read_text(encoding="utf-8")
            if find_spec("wordllama") is None:
                text = text.replace('["lsa", "static"]', '["lsa"]')
            (folder / "configs" / path.name).write_text(text, encoding="utf-8")
    return True
