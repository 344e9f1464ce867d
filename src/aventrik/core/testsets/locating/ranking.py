"""Where the answer to a question probably is: the passages that several configurations found, in one order, each with the
sentence that fits best; and how likely it is that any of them answers."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from ...documents import Document
from ...documents.spans import Range
from ...text import sentences
from ...wording.asking import leaning, read
from ...wording.fitting import ReadSentence, fits_of, sentences_of

POOLED = 40  # passages of a question that are read
_CONSTANT = 20  # of reciprocal rank fusion; short lists, whose first places matter
_LIKE = 0.5  # what the likeness of a sentence counts beside its fit
_NUDGE = 6  # places by which a fit of 1 moves a proposal up
_SECOND = 0.9  # of the best sentence's fit, from which a neighbour belongs to the evidence
_WIDEST = 2000  # characters of a place that several passages make up
_LOOSE = 0.35  # of a fit, below which a sentence says nothing of what is asked
# Chances, fitted by logistic regression on questions of FAQs of two Debian packages (see benchmarks/locating.py): that
# something answers, by words and likeness; that the first place is right, by how far the lists agree on it.
_ANSWERS = {True: (5.0, -6.4), False: (4.8, -4.2)}  # with an embedding model, without
_AGREES = {True: (3.5, -2.3), False: (2.9, -2.5)}

Place = tuple[str, int, int]  # document, start, end
Likeness = Callable[[str, Sequence[str]], npt.NDArray[np.float32]]  # question, texts → cosines, −1 to 1


@dataclass(frozen=True)
class Proposal:
    """A place where a question may be answered: the passage, the evidence in it (the sentences that fit best), the fit
    of its best sentence and that sentence's likeness; `copies` are places of the same words elsewhere."""

    passage: Place
    evidence: Range
    fit: float
    like: float
    copies: tuple[Place, ...] = ()

    @property
    def doc(self) -> str:
        """The document."""
        return self.passage[0]


@dataclass(frozen=True)
class Ranking:
    """The places for one part of a question, best first; the chance that one of them answers it, and the chance that
    the first one does, 0 to 1."""

    part: str
    proposals: tuple[Proposal, ...]
    answerable: float
    first: float


def rank(
    part: str,
    subject: str,
    lists: Sequence[Sequence[Place]],
    fetch: Callable[[str], Document],
    most: int,
    likeness: Likeness | None = None,
) -> Ranking:
    """The `most` likeliest places of a part of a question, `subject` being what it leans on.

    `lists` are ranked passages of several configurations. They are joined by reciprocal rank fusion with two more
    orders of the same passages: by the fit of their best sentence (see `offline.answering.reading`) and, where there
    is an embedding model, by its likeness. Passages that touch are one place, and so are those with the same words.
    """
    pool = _joined(lists)[:POOLED]
    if not pool:
        return Ranking(part, (), 0.0, 0.0)
    question = leaning(read(part), subject) if subject else read(part)
    whole = f"{subject}. {part}" if subject else part
    texts, owners = _sentences(pool, fetch)
    fits = fits_of(question, texts)
    by_fit = _best(np.array([fit.score for fit in fits], dtype=np.float32), owners, len(pool))
    orders = [_completed(ranked, pool) for ranked in lists]
    orders.append(_ordered(by_fit, pool))
    by_likeness: npt.NDArray[np.float32] | None = None
    speaking = np.array([fit.score for fit in fits], dtype=np.float32)
    if likeness is not None and texts:
        likes = likeness(whole, [each.headed for each in texts])
        speaking = speaking + _LIKE * likes
        by_likeness = _best(likes, owners, len(pool))
        orders.append(_ordered(by_likeness, pool))
    ranks = [{place: n for n, place in enumerate(order, 1)} for order in orders]
    numbers = {place: n for n, place in enumerate(pool)}
    found = sorted(pool, key=lambda place: (-sum(1 / (_CONSTANT + each[place]) for each in ranks), numbers[place]))
    made = [_proposal(place, numbers[place], fetch(place[0]), owners, speaking, by_fit, by_likeness) for place in found]
    agreed = sum(1 / each[found[0]] for each in ranks) / len(ranks)
    first = numbers[found[0]]
    speaks = 0.5 * float(by_fit[first]) + float(by_fit.max())
    if by_likeness is not None:
        speaks += float(by_likeness.max())
    embedded = by_likeness is not None
    answerable = _chance(_ANSWERS[embedded], speaks) if question.about else 0.0
    kept = _apart(made, fetch)[:most]
    order = sorted(range(len(kept)), key=lambda n: (n - _NUDGE * kept[n].fit, n))
    first_is = answerable * _chance(_AGREES[embedded], agreed)
    return Ranking(part, tuple(kept[n] for n in order), answerable, round(first_is, 4))


def _chance(fitted: tuple[float, float], value: float) -> float:
    return round(1 / (1 + math.exp(-fitted[0] * value - fitted[1])), 4)


def _joined(lists: Sequence[Sequence[Place]]) -> list[Place]:
    total: dict[Place, float] = {}
    for ranked in lists:
        for number, place in enumerate(ranked, 1):
            total[place] = total.get(place, 0.0) + 1 / (60 + number)
    return sorted(total, key=lambda place: (-total[place], place))


def _completed(ranked: Sequence[Place], pool: Sequence[Place]) -> list[Place]:
    """A list with the rest of the pool behind it."""
    inside, seen = set(pool), set(ranked)
    return [place for place in ranked if place in inside] + [place for place in pool if place not in seen]


def _ordered(scores: npt.NDArray[np.float32], pool: Sequence[Place]) -> list[Place]:
    return [pool[place] for place in np.argsort(-scores, kind="stable").tolist()]


def _best(scores: npt.NDArray[np.float32], owners: npt.NDArray[np.int64], count: int) -> npt.NDArray[np.float32]:
    """The best score of each passage's sentences, −1 for a passage without any."""
    found = np.full(count, -1.0, dtype=np.float32)
    np.maximum.at(found, owners, scores)
    return found


def _sentences(
    pool: Sequence[Place], fetch: Callable[[str], Document]
) -> tuple[list[ReadSentence], npt.NDArray[np.int64]]:
    """The sentences of all passages, and whose each is."""
    found: list[ReadSentence] = []
    owners: list[int] = []
    for number, (doc, start, end) in enumerate(pool):
        document = fetch(doc)
        source = " › ".join([document.title, *document.heading_path(start)])
        here = sentences_of(0, source, document.text[start:end])
        found.extend(here)
        owners.extend([number] * len(here))
    return found, np.array(owners, dtype=np.int64)


def _proposal(
    place: Place,
    number: int,
    document: Document,
    owners: npt.NDArray[np.int64],
    speaking: npt.NDArray[np.float32],
    by_fit: npt.NDArray[np.float32],
    by_likeness: npt.NDArray[np.float32] | None,
) -> Proposal:
    _doc, start, end = place
    mine = np.flatnonzero(owners == number).tolist()
    ranges = [(start + left, start + right) for left, right in sentences(document.text[start:end])]
    like = 0.0 if by_likeness is None else float(by_likeness[number])
    if not ranges:
        return Proposal(place, (start, end), float(by_fit[number]), like)
    scores = [float(speaking[n]) for n in mine]
    best = int(np.argmax(scores))
    first = last = best
    if last + 1 < len(ranges) and scores[last + 1] >= max(_LOOSE, _SECOND * scores[best]):
        last += 1
    if first and scores[first - 1] >= max(_LOOSE, _SECOND * scores[best]):
        first -= 1
    return Proposal(place, (ranges[first][0], ranges[last][1]), float(by_fit[number]), like)


def _apart(proposals: Sequence[Proposal], fetch: Callable[[str], Document]) -> tuple[Proposal, ...]:
    """Proposals without those whose passage touches one before them in the same section, and without those that say the
    same words elsewhere, which become copies of the first."""
    kept: list[Proposal] = []
    by_words: dict[str, int] = {}
    for each in proposals:
        doc, start, end = each.passage
        document = fetch(doc)
        section = document.heading_path(start)
        words = " ".join(document.text[slice(*each.evidence)].lower().split())
        if words in by_words:
            place = by_words[words]
            first = kept[place]
            if (doc, *each.evidence) != (first.doc, *first.evidence):
                kept[place] = replace(first, copies=(*first.copies, (doc, *each.evidence)))
            continue
        near = next(
            (
                n for n, other in enumerate(kept)
                if other.doc == doc and start <= other.passage[2] + 2 and other.passage[1] <= end + 2
                and document.heading_path(other.passage[1]) == section
                and max(end, other.passage[2]) - min(start, other.passage[1]) <= _WIDEST
            ),
            None,
        )  # fmt: skip
        if near is not None:
            other = kept[near]
            whole = (doc, min(start, other.passage[1]), max(end, other.passage[2]))
            kept[near] = replace(other, passage=whole)
            continue
        by_words[words] = len(kept)
        kept.append(each)
    return tuple(kept)
