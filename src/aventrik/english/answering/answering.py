"""Answers drawn from sentences and rows of a context, with citations; or a decline when none of them fits well enough."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from ...core.text import STOP_WORDS, WORD, stem
from ...core.wording.asking import FRAME, leaning, read
from ...core.wording.fitting import Fit, ReadSentence, fits_of, pool_of
from ...core.wording.parts import split

Likeness = Callable[[str, Sequence[str]], npt.NDArray[np.float32]]  # question, texts → cosines, −1 to 1

ENOUGH = 0.6  # of a fit, from which a sentence is an answer
_LIKE = 0.7  # the same where an embedding model reads along
_WORDS = 0.4  # what the fit of words counts beside likeness
_SECOND = 0.9  # of the best fit, that a second sentence must have to be added
_LEVELS = (0.35, ENOUGH, 0.9)  # fits from which a passage answers to level 1, 2 and 3
_AMOUNT = re.compile(r"[£$€]\s?\d[\d,.]*|\d[\d,.:]*\s?(?:%|(?!and\b|or\b|to\b)[a-zA-Z]+)?")


def answer(fields: Mapping[str, Any], likeness: Likeness | None = None) -> dict[str, Any]:
    """A statement for each part of the question that the context answers.

    The sentence that fits best answers, if it fits well enough (see `reading.fits_of`); with `likeness`, an embedding model's
    cosine of question and sentence counts as well. `style` "quote" gives the sentence as it stands; "short" gives the wanted
    figure with the question's own key words, which is nearer to how people write and, like them, can put a figure to the
    wrong thing.
    """
    pool = pool_of(fields["context"])
    statements: list[dict[str, Any]] = []
    for part, subject in split(str(fields["question"])):
        for found in _best(part, subject, pool, likeness):
            text = _short(part, found.text) if fields.get("style") == "short" else found.text
            if all(text != other["text"] for other in statements):
                statements.append({"text": text, "cites": [found.item], "quotes": [found.text]})
    return {"declined": not statements, "statements": statements}


def answers(fields: Mapping[str, Any]) -> dict[str, Any]:
    """Reply to the task `answered`: how far a passage answers a question by the fit of its sentences, read by themselves.

    Level 3 from a fit of 0.9, 2 from 0.6 (what is enough for an answer), 1 from 0.35.
    """
    source = " › ".join([str(fields["title"]), *map(str, fields["headings"])])
    pool = pool_of([{"number": 1, "source": source, "text": fields["passage"]}])
    question = read(str(fields["question"]))
    if not pool or not question.about:
        return {"quotes": [], "reason": "it names nothing that could be looked for", "level": 0}
    fits = fits_of(question, pool)
    best = max(range(len(pool)), key=lambda place: fits[place].score)
    score = fits[best].score
    level = sum(score >= least for least in _LEVELS)
    told = f"its best sentence fits the question to {max(0.0, score):.2f}"
    return {"quotes": [pool[best].text] if level > 1 else [], "reason": told, "level": level}


def _best(part: str, subject: str, pool: Sequence[ReadSentence], likeness: Likeness | None) -> list[ReadSentence]:
    question = leaning(read(part), subject) if subject else read(part)
    if not pool or not question.about:
        return []
    fits = fits_of(question, pool)
    scores = np.array([fit.score for fit in fits])
    like = np.zeros(len(pool), dtype=np.float32)
    if likeness is not None:
        like = likeness(f"{subject}. {part}" if subject else part, [each.headed for each in pool])
        scores = _WORDS * scores + like
    order = np.argsort(-scores, kind="stable")
    first = int(order[0])
    if scores[first] < (ENOUGH if likeness is None else _LIKE) or not _sound(fits[first], likeness, float(like[first])):
        return []
    found = [pool[first]]
    second = int(order[1]) if len(order) > 1 else first
    if second != first and scores[second] >= _SECOND * scores[first] and fits[second].matched - fits[first].matched:
        found.append(pool[second])
    return found


def _sound(fit: Fit, likeness: Likeness | None, like: float) -> bool:
    """Whether a sentence shares something with the question, and its item all names and figures of it; to an embedding
    model it has to be near instead."""
    if likeness is not None:
        return bool(fit.matched) or like >= _LIKE
    return bool(fit.matched) and not fit.lost_names


def _short(question: str, sentence: str) -> str:
    asked = read(question)
    if asked.form is None or not asked.form.search(sentence):
        return sentence
    found = _AMOUNT.search(sentence)
    if not found:
        return sentence
    topic = [w for w in WORD.findall(question) if w.lower() not in STOP_WORDS and stem(w.lower()) not in FRAME]
    return f"{found[0].strip()} ({' '.join(topic)})."
