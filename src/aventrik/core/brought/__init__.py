"""What another system gave for a question: its answer, the context that it was given, and its ranked list."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..answering import Answer, Statement

LONGEST = 1_000_000  # characters of one text of a context that are kept


@dataclass(frozen=True)
class BroughtItem:
    """One item of a context or list: its text, or the document that it is of and the range in it (-1: not said), or
    both. `more` are further ranges of an item that is not of one piece, in order behind the first."""

    text: str = ""
    doc: str = ""
    start: int = -1
    end: int = -1
    more: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True)
class Brought:
    """What came for a question. `answer` is None where only a list came, `context` and `ranked` are None where nothing is
    known of them, and () where the system found nothing; `failure` tells why nothing came."""

    answer: str | None = None
    declined: bool | None = None
    context: tuple[BroughtItem, ...] | None = None
    ranked: tuple[BroughtItem, ...] | None = None
    failure: str = ""


def answer_of(brought: Brought) -> Answer:
    """The answer as it is judged. One that says nothing declines; whether one declines that only says that it can't tell, the judge
    decides, unless the system said so itself."""
    if brought.failure or brought.answer is None:
        return Answer("", failure=brought.failure or "no answer was brought")
    text = brought.answer.strip()
    if not text:
        return Answer("", True)
    if brought.declined:
        return Answer(text, True)
    return Answer(text, False, (Statement(text),))


def items_of(brought: Brought) -> Sequence[BroughtItem]:
    """The items that retrieval is measured on: the ranked list where one came, else the context."""
    return brought.ranked if brought.ranked is not None else brought.context or ()
