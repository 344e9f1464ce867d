"""A question that leans on those before it, with the things that they name behind it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from .asking import read


def told_whole(question: str, before: Sequence[str]) -> str:
    """A question with what it leans on behind it in brackets: what the last question before it that names anything names
    and it does not."""
    own = {asked.word for asked in read(question).about}
    for other in reversed(before):
        more = [asked.word for asked in read(other).about if asked.word not in own]
        if more:
            return f"{question.rstrip(' ?')} ({' '.join(more)})?"
    return question


def stand_alone(fields: Mapping[str, Any]) -> dict[str, Any]:
    """Reply to the task `standalone`."""
    return {"question": told_whole(str(fields["question"]), [str(each) for each in fields["before"]])}
