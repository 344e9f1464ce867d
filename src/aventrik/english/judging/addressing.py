"""Whether an answer addresses its question, whatever it rests on: the kind of thing that is asked for, and what about."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from ...core.text import WORD
from ...core.wording.asking import WANTED
from ...core.wording.figures import month_of
from ...core.wording.refusals import REFUSAL
from ...core.wording.words import Word, words_of
from .aligning import align, same
from .splitting import CITE
from .units import is_unit
from .weighing import verify

_FRAME = frozenset(
    """how what when where who whom whose which why much many long often far old soon late early tell know please want need
    like can could would anyone somebody someone there mean means meant called cost costs price fee fees charge charged
    happen happens do does did""".split()
)
_MONTHS = "january|february|march|april|may|june|july|august|september|october|november|december"
_AMOUNTS = tuple(value for _, value in WANTED[:3])  # money, counts and times
_MONEY = frozenset("pound pounds dollar dollars euro euros pence cent cents free each per".split())
_SHORT = 8  # words of an answer that gives just what is asked for


def addresses(fields: Mapping[str, Any]) -> dict[str, Any]:
    """How far an answer addresses its question: `level` 0 (not at all) to 3 (wholly), with the reason.

    It rests on two things: how much of what the question is about the answer names or goes on from, and whether it gives the
    kind of thing that is asked for (an amount, a time, a place, a person, a reason). A short answer of the right kind need
    name nothing. It says nothing of whether the answer is true.
    """
    question, answer = str(fields["question"]), CITE.sub("", str(fields["answer"]))
    given = words_of(answer)
    if not WORD.search(answer) or REFUSAL.search(answer[:200]):
        return {"reason": "it says nothing on the matter", "level": 0}
    asked = [word for word in words_of(question) if word.content and word.lower not in _FRAME]
    share = _share(asked, given)
    form = next((value for kind, value in WANTED if kind.search(question)), None)
    fits = form is None or bool(form.search(answer))
    bare = len(given) <= _SHORT and form is not None and form.pattern != "." and _is_bare(question, given, form)
    if form is not None and not fits:
        return {"reason": "it does not give the kind of thing that is asked for", "level": 1 if share >= 0.5 else 0}
    if share >= 0.6 or bare:
        return {"reason": "it names what is asked about and gives what is asked for", "level": 3}
    if share >= 0.3:
        return {"reason": "it names a part of what is asked about", "level": 2}
    return {"reason": "it names little of what is asked about", "level": 1 if share > 0 else 0}


def _is_bare(question: str, given: tuple[Word, ...], form: re.Pattern[str]) -> bool:
    """Whether an answer gives just what is asked for. An amount stands with its unit and with words of the question: what
    names another thing is about that. A person, a place or a reason is named by new words."""
    if form not in _AMOUNTS:
        return True
    asked = {word.term for word in words_of(question)}
    return all(
        word.light or word.figure or word.term in asked or is_unit(word.lower) or month_of(word.lower) or word.lower in _MONEY
        for word in given
    )  # fmt: skip


def _share(asked: list[Word], given: tuple[Word, ...]) -> float:
    whole = sum(word.weight for word in asked)
    if not whole:
        return 1.0
    return sum(word.weight for word in asked if any(same(word, other) for other in given)) / whole


def agree(fields: Mapping[str, Any]) -> dict[str, Any]:
    """How far two answers to one question agree: `level` 2 (they say the same), 1 (in part, or too far in wording to
    tell), 0 (they contradict one another, or have other figures)."""
    first, second = (CITE.sub("", str(fields[name])) for name in ("first", "second"))
    ours, theirs = words_of(first), words_of(second)
    figures = [{word.figure for word in row if word.figure} for row in (ours, theirs)]
    if not ours or not theirs:
        return {"reason": "one of the two is empty", "level": 0}
    if [word.term for word in ours] == [word.term for word in theirs]:
        return {"reason": "they say the same in the same words", "level": 2}
    verdicts = [
        verify({"claim": one, "context": [{"number": 1, "source": "", "text": other}]})["verdict"]
        for one, other in ((first, second), (second, first))
    ]
    if "contradicted" in verdicts or (figures[0] and figures[1] and not figures[0] & figures[1]):
        return {"reason": "they contradict one another", "level": 0}
    both = min(align(ours, theirs).share, align(theirs, ours).share)
    if verdicts == ["supported", "supported"] or (figures[0] == figures[1] and both >= 0.7):
        return {"reason": "each says what the other says", "level": 2}
    if "supported" in verdicts or both >= 0.3 or figures[0] & figures[1]:
        return {"reason": "one says more than the other, or in other words", "level": 1}
    return {"reason": "they have little in common", "level": 0}
