"""Questions from captions of tables: what people wrote over them, with any row as evidence."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ...core.documents import Document
from ...core.documents.spans import trimmed
from ...core.testsets import Need, Quoted
from ...core.testsets.drafting.offers import Offer
from ...core.testsets.drafting.usage import Usage
from .titles import cleaned, spoken, tells

_LABEL = re.compile(r"^(?:table|figure|fig\.?|list(?:ing)?|box)\s+[\dIVX]+(?:[.-]\d+)*\s*[.:–—-]*\s*", re.IGNORECASE)
_OF = re.compile(
    r"^(?:an? |the )?(?:list|table|overview|summary|set|collection|comparison)s? of (?:the )?", re.IGNORECASE
)
_PLURAL = re.compile(r"^(?:[\w'’-]+ ){0,4}[\w'’-]+s(?: (?:of|for|in|on|with|from|to|by) .+)?$")


def of_captions(document: Document, usage: Usage) -> Iterator[Offer]:
    """'Which web servers are there?' for each table of at least three rows with a caption that names many things."""
    rows = [part for part in document.of_kind("row") if part.start < part.end]
    for table in document.of_kind("table"):
        caption = _OF.sub("", cleaned(_LABEL.sub("", table.label)))
        inside = [row for row in rows if table.start <= row.start and row.end <= table.end]
        if len(inside) < 3 or not tells(caption) or not _PLURAL.match(caption):
            continue
        thing = spoken(caption, usage)
        spans = tuple(_quoted(document, row.start, row.end) for row in inside)
        at = document.text.find(table.label, table.start, table.end)
        hide = (_quoted(document, at, at + len(table.label)),) if at >= 0 else ()
        path = document.heading_path(table.start)
        answer = "; ".join(quoted.quote.split(";")[0].partition(": ")[2] or quoted.quote for quoted in spans[:8]) + "."
        yield Offer(
            f"Which {thing} are there?", answer, "passage", (Need(thing, spans),), "caption",
            hide=hide, topic=path[-1] if path else document.title,
        )  # fmt: skip


def _quoted(document: Document, start: int, end: int) -> Quoted:
    start, end = trimmed(document.text, start, end)
    return Quoted(document.name, start, end, document.text[start:end])
