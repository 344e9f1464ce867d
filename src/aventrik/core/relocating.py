"""Finds quoted evidence in canonical text again, where it stands or where it has moved to."""

from __future__ import annotations

import re

from .questions import Quoted
from .spans import trimmed


def relocated(quoted: Quoted, text: str) -> Quoted | None:
    """The quote's place in `text`; None when it stands nowhere.

    In order: where it is said to be; the nearest other place with the same characters; the nearest with the
    same characters but for white space and the kind of quotation mark or dash. Without a quote, the span itself
    if it lies inside the text.
    """
    if not quoted.quote.strip():
        inside = 0 <= quoted.start < quoted.end <= len(text)
        return _at(quoted, text, quoted.start, quoted.end) if inside else None
    wanted = quoted.quote.strip()
    if 0 <= quoted.start < quoted.end <= len(text) and text[quoted.start : quoted.end].strip() == wanted:
        return _at(quoted, text, quoted.start, quoted.end)
    places = [(found.start(), found.end()) for found in re.finditer(re.escape(wanted), text)]
    if not places:
        places = [(found.start(), found.end()) for found in re.finditer(_loose(wanted), text)]
    if not places:
        return None
    start, end = min(places, key=lambda place: (abs(place[0] - max(0, quoted.start)), place[0]))
    return _at(quoted, text, start, end)


def _at(quoted: Quoted, text: str, start: int, end: int) -> Quoted:
    start, end = trimmed(text, start, end)
    return Quoted(quoted.doc, start, end, text[start:end])


def _loose(quote: str) -> str:
    """A pattern for the quote with any white space and any form of quotation mark or dash."""
    pieces = []
    for word in quote.split():
        piece = re.escape(word)
        piece = re.sub(r"['’‘]", "['’‘]", piece)
        piece = re.sub(r'["“”]', '["“”]', piece)
        pieces.append(re.sub(r"\\-|[–—]", "[-–—]", piece))
    return r"\s+".join(pieces)
