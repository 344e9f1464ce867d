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


_WHICH_OF = re.compile(
    r"^which (?:is|has|are|was|takes|costs) (?P<what>[^,?]+), (?P<one>[^,?]+?) or (?P<other>[^,?]+?)(?:, and by how much)?[?.]*$",
    re.IGNORECASE,
)
_BY_HOW_MUCH = re.compile(r",? and by how much(?=\?|$)", re.IGNORECASE)


def parts(question: str) -> list[str]:
    """What a question asks, one each. A part that names nothing ('and how much') is asked of what the part before names; an
    opening that asks nothing ('I sold my boat.') goes with every part. 'Which is longer, A or B?' asks of A and of B."""
    compared = _WHICH_OF.match(question.strip())
    if compared:
        return [f"{compared['what']} {compared[side]}" for side in ("one", "other")]
    pieces = [piece.strip(" ?,;") for piece in _BREAK.split(_BY_HOW_MUCH.sub("", question))]
    pieces = [piece for piece in pieces if piece]
    if not 2 <= len(pieces) <= _MOST:
        return [question]
    asks = [bool(re.match(rf"{_ASKING}\b", piece, re.IGNORECASE)) for piece in pieces]
    if not any(asks[1:]) and not question.count("?") > 1:
        return [question]
    found: list[str] = []
    subject = ""
    for piece, asking in zip(pieces, asks):
        names = len(read(piece).about)
        if not asking and not found and len(pieces) > 1 and "?" not in question[: len(piece) + 2]:
            subject = f"{subject} {piece}".strip()
            continue
        if names < 2 and (found or subject):
            before = found[-1] if found else subject
            bare = " ".join(asked.word for asked in read(before).about)
            found.append(f"{piece} {bare}".strip())
        else:
            found.append(f"{piece}, {subject}" if subject and names < 3 else piece)
    return found or [question]


def take_apart(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The questions that a question with several parts asks."""
    return {"questions": [f"{part}?" for part in parts(str(fields["question"]).strip(" ?"))]}
