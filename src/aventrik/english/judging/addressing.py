"""Whether an answer addresses its question, whatever it rests on: the kind of thing that is asked for, and what about."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from ...core.text import WORD, stem
from ...core.wording.asking import WANTED, NamedThing, read
from ...core.wording.figures import month_of
from ...core.wording.refusals import declines
from ...core.wording.words import Word, words_of
from .aligning import align
from .fragments import is_fragment
from .particles import asks_whether, without_particle
from .splitting import CITE
from .units import is_unit
from .weighing import verify

# Words of a question that say what kind of value is wanted, and not of what.
_KINDS = frozenset("cost costs price fee fees charge charges pay penalty fine deposit time date day year month".split())
_AMOUNTS = tuple(value for _, value in WANTED[:3])  # money, counts and times
_MONEY = frozenset("pound pounds dollar dollars euro euros pence cent cents free each per".split())
_SHORT = 12  # words behind a yes or no that need not name what is asked about
_MORE = 3  # words of content that a bare amount may have beside it


def addresses(fields: Mapping[str, Any]) -> dict[str, Any]:
    """How far an answer addresses its question: `level` 0 (not at all) to 3 (wholly), with the reason.

    It rests on two things: how much of what the question is about the answer names or goes on from, in the words that may stand
    for it, and whether it gives the kind of thing that is asked for (yes or no, an amount, a time, a place, a person, a reason). A
    short answer of the right kind that names no other thing need name nothing. It says nothing of whether the answer is true.
    """
    question, answer = str(fields["question"]), CITE.sub("", str(fields["answer"]))
    text, particle = without_particle(answer)
    given = words_of(text)
    if not WORD.search(answer) or declines(answer):
        return {"reason": "it says nothing on the matter", "level": 0}
    asked = read(question)
    about = [thing for thing in asked.about if thing.word not in _KINDS] or asked.about
    share = _share(about, given)
    if particle and asks_whether(question):
        if not given or len(given) <= _SHORT or share > 0:
            return {"reason": "it says yes or no to what is asked", "level": 3}
        return {"reason": "it says yes or no, and then names little of what is asked about", "level": 2}
    fragment = is_fragment(given)
    fits = asked.form is None or bool(asked.form.search(answer))
    if not fits:
        return {"reason": "it does not give the kind of thing that is asked for", "level": 1 if share >= 0.5 else 0}
    bare = fragment and asked.form is not None and _is_bare(question, given, asked.form)
    if bare or share >= (0.3 if asked.form is not None or fragment else 0.4):
        return {"reason": "it names what is asked about and gives what is asked for", "level": 3}
    if share > 0.15 or (fragment and asked.form is not None and not _speaks_of_another(question, given)):
        return {"reason": "it names a part of what is asked about", "level": 2}
    return {"reason": "it names little of what is asked about", "level": 1 if share > 0 else 0}


def _speaks_of_another(question: str, given: tuple[Word, ...]) -> bool:
    """Whether an answer begins with a thing that the question does not name: 'Dogs cost £35'."""
    asked = {word.term for word in words_of(question)}
    first = next((at for at, word in enumerate(given) if word.figure), len(given))
    return first < len(given) and any(
        word.content and not word.light and word.term not in asked and word.lower not in _MONEY
        for word in given[:first]
    )


def _is_bare(question: str, given: tuple[Word, ...], form: re.Pattern[str]) -> bool:
    """Whether an answer gives just what is asked for. An amount stands with its unit and with words of the question: what
    names another thing is about that. A person, a place or a reason is named by new words."""
    if form not in _AMOUNTS:
        return True
    asked = {word.term for word in words_of(question)}
    other = [
        word for word in given
        if not (word.light or word.figure or word.term in asked or is_unit(word.lower) or month_of(word.lower) or word.lower in _MONEY)
    ]  # fmt: skip
    return not any(word.name for word in other) and len(other) <= _MORE and not _speaks_of_another(question, given)


def _share(about: Sequence[NamedThing], given: tuple[Word, ...]) -> float:
    """The weight of what a question names that an answer has, in words that may stand for it, 0 to 1."""
    whole = sum(thing.weight for thing in about)
    if not whole:
        return 1.0
    terms = {term for word in given if word.content for term in (word.term, stem(word.lower))}
    return (
        sum(
            thing.weight * max((how for term, how in thing.terms.items() if term in terms), default=0.0)
            for thing in about
        )
        / whole
    )


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
