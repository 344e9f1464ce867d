"""A question that asks several things, taken apart."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from .asking import read

_ASKING = (
    r"(?:how|what|whats|when|where|wheres|who|whom|whose|which|why|is|are|do|does|did|can|could|may|must|should|will|would|"
    r"am|has|have)"
)
_BREAK = re.compile(
    rf"\?+\s+(?:and\s+)?(?=\w)|[,;]?\s+and\s+(?={_ASKING}\b)|[,;]\s+(?={_ASKING}\b)|\?\s*and\s+|[.!]\s+(?={_ASKING}\b)",
    re.IGNORECASE,
)
_MOST = 4
_LEANS = 4  # things that a part names, from which it needs nothing of the others


_WHICH_OF = re.compile(
    r"^which (?:is|has|are|was|takes|costs) (?P<what>[^,?]+), (?P<one>[^,?]+?) or (?P<other>[^,?]+?)(?:, and by how much)?[?.]*$",
    re.IGNORECASE,
)
_BY_HOW_MUCH = re.compile(r",? and by how much(?=\?|$)", re.IGNORECASE)


def split(question: str) -> list[tuple[str, str]]:
    """(part, subject) of each thing that a question asks. The subject is what a part that names little leans on: the part
    before it, or an opening that asks nothing ('I sold my boat.'). 'Which is longer, A or B?' asks of A and of B."""
    compared = _WHICH_OF.match(question.strip())
    if compared:
        return [(f"{compared['what']} {compared[side]}", "") for side in ("one", "other")]
    pieces = [piece.strip(" ?,;") for piece in _BREAK.split(_BY_HOW_MUCH.sub("", question))]
    pieces = [piece for piece in pieces if piece]
    if not 2 <= len(pieces) <= _MOST:
        return [(question, "")]
    asks = [bool(re.match(rf"{_ASKING}\b", piece, re.IGNORECASE)) for piece in pieces]
    if not any(asks[1:]) and not question.count("?") > 1:
        return [(question, "")]
    found: list[tuple[str, str]] = []
    opening = ""
    for piece, asking in zip(pieces, asks):
        if not asking and not found and "?" not in question[: len(piece) + 2]:
            opening = f"{opening} {piece}".strip()
            continue
        names = len(read(piece).about)
        before = found[0][0] if found else ""
        found.append((piece, " ".join(filter(None, (opening, before))) if names < _LEANS else ""))
    return found or [(question, "")]


def parts(question: str) -> list[str]:
    """What a question asks, one each, with the words that a part leans on behind it."""
    made = []
    for part, subject in split(question):
        own = {asked.word for asked in read(part).about}
        leant = [asked.word for asked in read(subject).about if asked.word not in own] if subject else []
        made.append(" ".join([part, *leant]))
    return made


def take_apart(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The questions that a question with several parts asks."""
    return {"questions": [f"{part}?" for part in parts(str(fields["question"]).strip(" ?"))]}
