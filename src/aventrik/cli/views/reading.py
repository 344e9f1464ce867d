"""What `gather` shows of how documents were read: reports, pages with their parts marked, readers side by side."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from rich.columns import Columns
from rich.panel import Panel
from rich.text import Text

from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api.records import Document, Part, ReadingWays

_STYLES = {
    "heading": "bold",
    "table": "cyan",
    "row": "cyan",
    "list": "green",
    "item": "green",
    "code": "magenta",
    "paragraph": "",
}


def show_report(reports: Sequence[Mapping[str, Any]], screen: Screen) -> None:
    """A line a document: pages, characters, tables, odd characters, warnings."""
    screen.table(
        ["document", "pages", "chars", "tables", "headings", "odd", "warnings"],
        [
            [
                each["document"],
                str(each["pages"] or "–"),
                f"{each['chars']:,}",
                str(each["tables"] or "–"),
                str(each["headings"] or "–"),
                f"{each['odd']:.1%}",
                "; ".join(each["warnings"]) + (" (left out)" if each["left_out"] else ""),
            ]
            for each in reports
        ],
        right=(1, 2, 3, 4, 5),
    )


def show_document(document: Document, left: int, right: int, screen: Screen) -> list[dict[str, Any]]:
    """A document as it was read, or a range of it, its parts marked at the left; the parts that are shown."""
    screen.title(f"{document.name} · {document.title}")
    screen.say(", ".join(f"{key}: {shortened(str(value), 60)}" for key, value in document.meta.items()), style="dim")
    starts = {part.start: part.label for part in document.of_kind("page")}
    parents = {part.parent for part in document.parts}
    shown: list[dict[str, Any]] = []
    for number, part in enumerate(document.parts):
        outer = part.kind in ("list", "table") and number in parents
        if part.kind in ("page", "cell") or outer or not left <= part.start < right:
            continue
        shown.append({"kind": part.kind, "start": part.start, "end": part.end})
        passed = [label for start, label in starts.items() if start <= part.start]
        if passed and starts.pop(next(start for start in list(starts) if starts[start] == passed[-1])):
            screen.text(Text(f"── page {passed[-1]} ──", style="dim"))
        screen.text(_marked(document, part))
    return shown


def _marked(document: Document, part: Part) -> Text:
    label = f"{part.kind} {part.level}" if part.kind == "heading" else part.kind
    line = Text(f"{label:>10} │ ", style="dim")
    return line.append(document.text[part.start : part.end], style=f"not dim {_STYLES.get(part.kind, '')}".strip())


def show_ways(found: ReadingWays, name: str, screen: Screen) -> None:
    """One page of a PDF by each way of reading, side by side, and the words that only one of them has."""
    width = max(30, screen.out.width // 2 - 1)
    panels = [
        Panel(
            _differing(text, set(found.only[way])), title=f"{way}, {found.tables[way]} tables", width=width,
            border_style="dim",
        )
        for way, text in found.texts.items()
    ]  # fmt: skip
    screen.title(f"{name}, page {found.page}: the two ways of reading")
    screen.show(Columns(panels, padding=0))
    for way, only in found.only.items():
        words = ", ".join(only[:30])
        screen.say(f"words that only {way} has: {len(only)}{': ' + shortened(words, 200) if words else ''}")
    screen.say(f"the same words in the same order: {found.same:.0%}; choose with [reading] pdf in aventrik.toml")


def _differing(text: str, only: set[str]) -> Text:
    marked = Text(text)
    for found in re.finditer(r"\w+", text):
        if found[0] in only:
            marked.stylize("bold underline", found.start(), found.end())
    return marked
