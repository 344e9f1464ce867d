"""Finds quoted evidence in canonical text again, where it was or where it has moved to."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from os.path import commonprefix

from ..text.composing import composed, composed_with_places
from .spans import Range, trimmed

AROUND = 48  # characters before and behind a place that are kept to know it again
_CLEARLY = 0.25  # by how much the best of several places must be liker than the next, of 3


@dataclass(frozen=True)
class Near:
    """What stands around a place: the heading over it, and the characters before and behind it, on one line."""

    under: str = ""
    before: str = ""
    behind: str = ""


@dataclass(frozen=True)
class FoundPlace:
    """Where words were found again, and whether it is sure that they are the ones that are meant."""

    place: Range
    sure: bool = True


def near_of(start: int, end: int, text: str, under: str = "") -> Near:
    """What stands around a place."""
    before, behind = text[max(0, start - 2 * AROUND) : start], text[end : end + 2 * AROUND]
    return Near(under, " ".join(before.split())[-AROUND:], " ".join(behind.split())[:AROUND])


def relocated(
    quote: str,
    start: int,
    end: int,
    text: str,
    near: Near | None = None,
    under: Callable[[int], str] = lambda start: "",
) -> FoundPlace | None:
    """The quote's place in `text`; None when it occurs nowhere.

    Looked for with the same characters, else with the same but for white space, the kind of quotation mark or dash, and
    composed letters. Of several places the one whose heading and neighbours are those of `near`; without that where it is
    said to be, or else the nearest, which is not sure. Without a quote, the span itself if it lies inside the text. `start`
    is -1 where the place is not known. `under` gives the heading over a place.
    """
    wanted = quote.strip()
    inside = 0 <= start < end <= len(text)
    if not wanted:
        return FoundPlace(trimmed(text, start, end)) if inside else None
    here = trimmed(text, start, end) if inside and text[start:end].strip() == wanted else None
    if here is not None and near is None:
        return FoundPlace(here)
    places = _all(wanted, text)
    if not places:
        return None
    trimmed_places = [trimmed(text, *place) for place in places]
    if len(places) == 1:
        return FoundPlace(trimmed_places[0])
    nearest = min(trimmed_places, key=lambda place: (abs(place[0] - max(0, start)), place[0]))
    if near is None:
        return FoundPlace(nearest, False)
    likes = [_likeness(near, near_of(*place, text, under(place[0]))) for place in trimmed_places]
    best = max(likes)
    chosen = [place for place, like in zip(trimmed_places, likes) if like > best - _CLEARLY]
    if here is not None and here in chosen:
        return FoundPlace(here)
    if len(chosen) == 1:
        return FoundPlace(chosen[0], best > 1)
    return FoundPlace(min(chosen, key=lambda place: (abs(place[0] - max(0, start)), place[0])), False)


def _likeness(one: Near, other: Near) -> float:
    """How alike two places are, 0 to 3: by their heading, what stands before and what stands behind."""
    return (
        (one.under == other.under) + _shared(one.before[::-1], other.before[::-1]) + _shared(one.behind, other.behind)
    )


def _shared(one: str, other: str) -> float:
    """The share of a text that another one begins with too; 1 where there is none in either."""
    length = max(len(one), len(other))
    return len(commonprefix([one, other])) / length if length else 1.0  # noqa: RUF071 letter by letter is meant


def occurrence(found: Range, text: str) -> int:
    """How often the words at a place occur in the text before it."""
    start, end = found
    return text.count(text[start:end], 0, start) if start else 0


def _all(wanted: str, text: str) -> list[Range]:
    places = [(found.start(), found.end()) for found in re.finditer(re.escape(wanted), text)]
    places = places or [(found.start(), found.end()) for found in re.finditer(_loose(wanted), text)]
    if places or (composed(wanted) is wanted and composed(text) is text):
        return places
    plain, origin = composed_with_places(text)
    return [(origin[found.start()], origin[found.end()]) for found in re.finditer(_loose(composed(wanted)), plain)]


def _loose(quote: str) -> str:
    """A pattern for the quote with any white space and any form of quotation mark or dash."""
    pieces = []
    for word in quote.split():
        piece = re.escape(word)
        piece = re.sub(r"['’‘]", "['’‘]", piece)
        piece = re.sub(r'["“”]', '["“”]', piece)
        pieces.append(re.sub(r"\\-|[–—]", "[-–—]", piece))
    return r"\s+".join(pieces)
