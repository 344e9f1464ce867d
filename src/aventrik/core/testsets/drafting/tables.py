"""Tables as a writer sees them: rows by what they are about, columns by their names."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ...documents import Document
from ...documents.spans import trimmed
from .. import Quoted


@dataclass(frozen=True)
class Row:
    """A row: what its first cell names, and its other cells by column."""

    entity: str
    cells: dict[str, str]
    quoted: Quoted


@dataclass(frozen=True)
class DocumentTable:
    """A table of a document with the name of its first column, and its caption or the heading over it."""

    doc: str
    about: str
    first: str
    rows: tuple[Row, ...]


def tables(document: Document) -> Iterator[DocumentTable]:
    """Tables of at least two rows whose columns have names and whose rows are told apart by their first cell."""
    parts = document.parts
    of_table: dict[int, dict[int, list[int]]] = {}
    for number, part in enumerate(parts):
        if part.kind == "cell" and part.parent >= 0 and parts[part.parent].kind == "row":
            row = part.parent
            of_table.setdefault(parts[row].parent, {}).setdefault(row, []).append(number)
    for table, rows in of_table.items():
        found = []
        first = ""
        for row, cells in rows.items():
            named = [
                (parts[cell].label.strip(), document.text[parts[cell].start : parts[cell].end].strip())
                for cell in cells
            ]
            if len(named) < 2 or not all(name for name, _ in named):
                continue
            start, end = trimmed(document.text, parts[row].start, parts[row].end)
            first = named[0][0]
            quoted = Quoted(document.name, start, end, document.text[start:end])
            found.append(
                Row(_value(named[0][1], first), {name: _value(value, name) for name, value in named[1:]}, quoted)
            )
        entities = [row.entity.lower() for row in found]
        if len(found) < 2 or len(set(entities)) < len(entities):
            continue
        about = parts[table].label if table >= 0 else ""
        path = document.heading_path(found[0].quoted.start)
        yield DocumentTable(document.name, about or (path[-1] if path else document.title), first, tuple(found))


def _value(cell: str, name: str) -> str:
    return cell.removeprefix(f"{name}:").strip().rstrip(".;")
