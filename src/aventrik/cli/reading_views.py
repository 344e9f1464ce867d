"""What `gather` shows of how documents were read: reports, pages with their parts marked, readers side by side."""

from __future__ import annotations

import difflib
import re
from pathlib import Path
from typing import Any

from rich.columns import Columns
from rich.panel import Panel
from rich.text import Text

from ..core.documents import Document, Part
from ..core.errors import BadInput, Unreadable
from ..core.reading import WAYS
from ..engine.opened import Opened
from ..workspace.toml import nearest
from .screen import Screen, shortened

_STYLES = {
    "heading": "bold",
    "table": "cyan",
    "row": "cyan",
    "list": "green",
    "item": "green",
    "code": "magenta",
    "paragraph": "",
}


def show_report(opened: Opened, screen: Screen) -> list[dict[str, Any]]:
    """A line a document: pages, characters, tables, odd characters, warnings."""
    reports = list(opened.corpus.reports())
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
    return reports


def show_document(opened: Opened, name: str, page: int | None, screen: Screen) -> dict[str, Any]:
    """A document as it was read, its parts marked at the left; one page of it when that is asked for."""
    names = opened.corpus.names(left_out=True)
    if name not in names:
        raise BadInput(f"no document is named '{name}'{nearest(name, names, listing=False)}")
    document = opened.corpus.document(name)
    left, right = _range(document, page)
    screen.title(f"{name} · {document.title}")
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
    return {"document": name, "meta": document.meta, "text": document.text[left:right], "parts": shown}


def _marked(document: Document, part: Part) -> Text:
    label = f"{part.kind} {part.level}" if part.kind == "heading" else part.kind
    line = Text(f"{label:>10} │ ", style="dim")
    return line.append(document.text[part.start : part.end], style=f"not dim {_STYLES.get(part.kind, '')}".strip())


def _range(document: Document, page: int | None) -> tuple[int, int]:
    if page is None:
        return 0, len(document.text)
    found = [part for part in document.of_kind("page") if part.label == str(page)]
    if not found:
        count = len(document.of_kind("page"))
        raise BadInput(
            f"{document.name} has no page {page}" + (f" (it has {count})" if count else " (it has no pages)")
        )
    return found[0].start, found[0].end


def try_readers(path: Path, page: int, screen: Screen) -> dict[str, Any]:
    """One page of a PDF by each way of reading, side by side, and the words that only one of them has."""
    from ..core.reading.pdf import read_pdf

    try:
        data = path.read_bytes()
    except OSError as error:
        raise BadInput(f"{path}: can't be read ({error.strerror})") from None
    texts: dict[str, str] = {}
    tables: dict[str, int] = {}
    for way in WAYS:
        try:
            document = read_pdf(path.name, data, way)
        except Unreadable as error:
            raise BadInput(f"{path}: {error}") from None
        left, right = _range(document, page)
        texts[way] = document.text[left:right].strip()
        tables[way] = sum(left <= part.start < right for part in document.of_kind("table"))
    only = _only(texts)
    width = max(30, screen.out.width // 2 - 1)
    panels = [
        Panel(_differing(texts[way], only[way]), title=f"{way}, {tables[way]} tables", width=width, border_style="dim")
        for way in WAYS
    ]
    screen.title(f"{path.name}, page {page}: the two ways of reading")
    screen.show(Columns(panels, padding=0))
    for way in WAYS:
        words = ", ".join(sorted(only[way])[:30])
        screen.say(f"words that only {way} has: {len(only[way])}{': ' + shortened(words, 200) if words else ''}")
    first, second = (re.findall(r"\S+", text) for text in texts.values())
    same = difflib.SequenceMatcher(None, first, second, autojunk=False).ratio()
    screen.say(f"the same words in the same order: {same:.0%}; choose with [reading] pdf in aventrik.toml")
    return {
        "page": page,
        "texts": texts,
        "tables": tables,
        "only": {k: sorted(v) for k, v in only.items()},
        "same": same,
    }


def _only(texts: dict[str, str]) -> dict[str, set[str]]:
    words = {way: set(re.findall(r"\w+", text)) for way, text in texts.items()}
    return {
        way: found - set().union(*(other for w, other in words.items() if w != way)) for way, found in words.items()
    }


def _differing(text: str, only: set[str]) -> Text:
    marked = Text(text)
    for found in re.finditer(r"\w+", text):
        if found[0] in only:
            marked.stylize("bold underline", found.start(), found.end())
    return marked
