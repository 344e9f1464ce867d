"""One page of a PDF by each way of reading it, side by side."""

from __future__ import annotations

import difflib
import re
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from ..core.documents import Document
from ..core.errors import BadInput, Unreadable
from ..core.reading import WAYS


@dataclass(frozen=True)
class ReadingWays:
    """What each way makes of a page, by its name: the text, the number of tables, the words that it alone has; and how much
    of the words stand in the same order in both (0 to 1)."""

    page: int
    texts: dict[str, str]
    tables: dict[str, int]
    only: dict[str, list[str]]
    same: float

    def as_json(self) -> dict[str, Any]:
        """The documented shape of `gather --try-readers --json`."""
        return asdict(self)


def reading_ways(path: Path, page: int) -> ReadingWays:
    """Reads one page of a PDF by each way; raises `BadInput` for a file that can't be read and a page that it lacks."""
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
        left, right = page_range(document, page)
        texts[way] = document.text[left:right].strip()
        tables[way] = sum(left <= part.start < right for part in document.of_kind("table"))
    first, second = (re.findall(r"\S+", text) for text in texts.values())
    same = difflib.SequenceMatcher(None, first, second, autojunk=False).ratio()
    return ReadingWays(page, texts, tables, _only(texts), same)


def page_range(document: Document, page: int | None) -> tuple[int, int]:
    """Where a page stands in a document's text, all of it for None; raises `BadInput` for one that there is not."""
    if page is None:
        return 0, len(document.text)
    found = [part for part in document.of_kind("page") if part.label == str(page)]
    if not found:
        count = len(document.of_kind("page"))
        raise BadInput(
            f"{document.name} has no page {page}" + (f" (it has {count})" if count else " (it has no pages)")
        )
    return found[0].start, found[0].end


def _only(texts: dict[str, str]) -> dict[str, list[str]]:
    words = {way: set(re.findall(r"\w+", text)) for way, text in texts.items()}
    return {
        way: sorted(found - set().union(*(other for w, other in words.items() if w != way)))
        for way, found in words.items()
    }
