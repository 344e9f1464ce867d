"""What people decide, shared by all who use a store on a server: files of the workspace stay what is read and written, and
are held against the store row by row.

Each row has three states: in the file, in the store, and as both had it at the last sync. If only one side has changed a
row since the last sync, that change wins; if both have, the file wins, since its owner is here to see it, and is told.
Lines of reviews are only ever added, on both sides.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from ..storage.protocols import DecidedStore
from ..workspace.files import read_rows, read_text, write_rows, write_whole
from ..workspace.workspace import Workspace

_TABLES = ("decisions.csv", "metadata.csv", "labels.csv")
_BASE = "shared.json"
_KEY = "document"
Rows = dict[str, str]


def share(workspace: Workspace, decided: DecidedStore, tell: Callable[[str], None] = lambda note: None) -> None:
    """Brings the files of a workspace and the store to the same."""
    path = workspace.hidden / _BASE
    try:
        base: dict[str, Rows] = json.loads(path.read_text("utf-8"))
    except (OSError, ValueError):
        base = {}
    there = decided.sheets()
    now: dict[str, Rows] = {}
    for sheet in _TABLES:
        here = _rows_of(workspace.folder / sheet)
        # A file that is not there takes nothing away: it comes back.
        old = base.get(sheet, {}) if (workspace.folder / sheet).exists() else {}
        merged, both = _merged(here, there.get(sheet, {}), old)
        _change(decided, sheet, there.get(sheet, {}), merged)
        if merged != here:
            _write(workspace.folder / sheet, merged)
        if both:
            tell(f"{sheet}: {both} rows were changed here and elsewhere; what stands here counts")
        now[sheet] = merged
    reviews = workspace.folder / "reviews"
    names = {f"reviews/{file.name}" for file in reviews.glob("*.jsonl")} if reviews.is_dir() else set()
    for sheet in sorted(names | {name for name in there if name.startswith("reviews/")}):
        _add_lines(workspace.folder / sheet, decided, sheet, there.get(sheet, {}))
    if now != base:
        write_whole(path, json.dumps(now, ensure_ascii=False))
    for name in ("decisions", "metadata", "labels", "reviews"):
        workspace.__dict__.pop(name, None)  # read anew when they are next asked for


def _merged(here: Rows, there: Rows, base: Rows) -> tuple[Rows, int]:
    """Rows as both come to them, and how many were changed on both sides."""
    made: Rows = {}
    both = 0
    for name in here.keys() | there.keys():
        mine, other, old = here.get(name), there.get(name), base.get(name)
        both += mine != other and old not in (mine, other)
        value = other if mine == old else mine
        if value is not None:
            made[name] = value
    return made, both


def _change(decided: DecidedStore, sheet: str, before: Mapping[str, str], after: Rows) -> None:
    new = {name: value for name, value in after.items() if before.get(name) != value}
    gone = before.keys() - after.keys()
    if new or gone:
        decided.change(sheet, new, gone)


def _rows_of(path: Path) -> Rows:
    _, rows = read_rows(path, _KEY)
    return {
        name: json.dumps({k: v for k, v in row.items() if v}, ensure_ascii=False, sort_keys=True)
        for name, row in rows.items()
    }


def _write(path: Path, rows: Rows) -> None:
    columns, _ = read_rows(path, _KEY)
    made: list[dict[str, Any]] = []
    for name, value in sorted(rows.items()):
        fields = json.loads(value)
        columns.extend(column for column in fields if column not in columns)
        made.append({_KEY: name, **fields})
    if made or path.exists():
        write_rows(path, [_KEY, *columns], made)


def _add_lines(path: Path, decided: DecidedStore, sheet: str, there: Mapping[str, str]) -> None:
    """Lines that one side lacks are added there, behind what it has."""
    text = read_text(path) if path.is_file() else ""
    here = {
        hashlib.sha256(line.encode("utf-8", "surrogatepass")).hexdigest()[:40]: line
        for line in text.split("\n")
        if line.strip()
    }
    new = {name: f"{len(there) + n:09d} {line}" for n, (name, line) in enumerate(here.items()) if name not in there}
    if new:
        decided.change(sheet, new, ())
    missing = sorted(value for name, value in there.items() if name not in here)
    if missing:
        body = text if not text or text.endswith("\n") else f"{text}\n"
        write_whole(path, body + "".join(f"{value[10:]}\n" for value in missing))
