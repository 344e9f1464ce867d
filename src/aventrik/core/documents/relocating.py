"""Finds quoted evidence in canonical text again, where it was or where it has moved to."""

from __future__ import annotations

import re

from .spans import Range, trimmed


def relocated(quote: str, start: int, end: int, text: str) -> Range | None:
    """The quote's place in `text`; None when it occurs nowhere.

    In order: where it is said to be; the nearest other place with the same characters; the nearest with the
    same characters but for white space and the kind of quotation mark or dash. Without a quote, the span itself
    if it lies inside the text. `start` is -1 where the place is not known.
    """
    wanted = quote.strip()
    inside = 0 <= start < end <= len(text)
    if not wanted:
        return trimmed(text, start, end) if inside else None
    if inside and text[start:end].strip() == wanted:
        return trimmed(text, start, end)
    places = _all(wanted, text)
    if not places:
        return None
    return trimmed(text, *min(places, key=lambda place: (abs(place[0] - max(0, start)), place[0])))


def occurrence(found: Range, text: str) -> int:
    """How often the words at a place occur in the text before it."""
    start, end = found
    return text.count(text[start:end], 0, start) if start else 0


def _all(wanted: str, text: str) -> list[Range]:
    places = [(found.start(), found.end()) for found in re.finditer(re.escape(wanted), text)]
    return places or [(found.start(), found.end()) for found in re.finditer(_loose(wanted), text)]


def _loose(quote: str) -> str:
    """A pattern for the quote with any white space and any form of quotation mark or dash."""
    pieces = []
    for word in quote.split():
        piece = re.escape(word)
        piece = re.sub(r"['’‘]", "['’‘]", piece)
        piece = re.sub(r'["“”]', '["“”]', piece)
        pieces.append(re.sub(r"\\-|[–—]", "[-–—]", piece))
    return r"\s+".join(pieces)
