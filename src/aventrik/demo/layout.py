"""Copies the demo's documents, configurations, question log and test sets by hand into a workspace."""

from __future__ import annotations

import shutil
from importlib.util import find_spec
from pathlib import Path

from ..core.errors import BadInput, disk_errors
from ..workspace.settings import SETTINGS
from ..workspace.starter import create

_HERE = Path(__file__).parent
SYSTEM = "desk"  # the live system of the demo, which 'aventrik standin --system' plays
LOG = "asked.csv"  # what people typed at the help desk's system
WRONG, SEED = 0.3, 0  # of its answers, spoilt; and by which seed
_LIVE = """
# Which of the criteria in criteria/ answers are judged by (all of them when it is not given).
[judging]
criteria = ["from-when"]

# The system that answers at the help desk today; 'aventrik standin --system --port 8391' plays it.
[models.desk]
kind    = "http"
does    = "system"
address = "http://127.0.0.1:8391/ask"

# What a request holds beside the question, and where things stand in request and reply.
[models.desk.request]
message = { language = "en" }

[models.desk.pointers]
question = "/message/text"
answer   = "/reply/text"
declined = "/reply/declined"
context  = "/sources"
text     = "/passage"
"""


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
        shutil.copy(_HERE / LOG, folder / LOG)
        shutil.copy(_HERE / "gate.toml", folder / "gate.toml")
        for name in ("criteria", "reviews"):
            shutil.copytree(_HERE / name, folder / name, dirs_exist_ok=True)
        settings = folder / SETTINGS
        settings.write_text(settings.read_text(encoding="utf-8") + _LIVE, encoding="utf-8")
        for path in sorted((_HERE / "configs").glob("*.toml")):
            text = path.read_text(encoding="utf-8")
            if find_spec("wordllama") is None:
                text = text.replace('["lsa", "static"]', '["lsa"]')
            (folder / "configs" / path.name).write_text(text, encoding="utf-8")
    return True
