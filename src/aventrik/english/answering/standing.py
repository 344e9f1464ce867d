"""A question that leans on those before it, with the things that they name behind it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ...core.wording.asking import read

_ENOUGH = 2  # things that are named, from which a question is understood


def completed(question: str, before: Sequence[str]) -> str:
    """A question with what it leans on behind it in brackets: what the last questions before it name and it does not, as
    many of them as it takes to name two things."""
    known = {asked.word for asked in read(question).about}
    more: list[str] = []
    for other in reversed(before):
        more.extend(dict.fromkeys(asked.word for asked in read(other).about if asked.word not in {*known, *more}))
        if len(more) >= _ENOUGH:
            break
    return f"{question.rstrip(' ?')} ({' '.join(more)})?" if more else question


def stand_alone(fields: Mapping[str, Any]) -> dict[str, Any]:
    """Reply to the task `standalone`."""
    return {"question": completed(str(fields["question"]), [str(each) for each in fields["before"]])}
