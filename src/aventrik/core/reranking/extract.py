"""Cuts an item down to the sentences that help to answer the question."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from ..chunking import Chunk
from ..context.serving import tidy
from ..documents import Document
from ..documents.relocating import relocated
from ..documents.spans import Range
from ..protocols import Task
from ..text import content_terms, count_tokens, sentences
from ..wording.synonyms import leader
from . import Item, Rarity, Refined, StepMeans, cut

_NEAR = 0.4  # of a sentence's weight, what it lends to each of its neighbours
_SOURCE = 0.25  # of a term's weight, what it counts where the headings hold it
_LEAD = 0.5  # what a sentence that opens a section counts more, times the share of the question that its item holds
_OPENING = 2  # sentences that open a section
_BEHIND = 0.03  # what it counts less for each rank that its item stands lower
_REACH = 1500  # characters behind a heading in which its opening sentences are looked for


@dataclass(frozen=True)
class Choosing:
    """How much the step's own rule keeps: the share of the tokens of the first so many items, of sentences whose weight is
    at least `least` of that of the question's best."""

    share: float
    first: int
    least: float


def apply(
    questions: Sequence[str],
    items: Sequence[Sequence[Item]],
    means: StepMeans,
    keep: int,
    share: float,
    first: int,
    least: float,
    around: int,
) -> list[Refined]:
    """Cuts the first `keep` items of each question down; those behind are dropped, and so are items of which no sentence
    helps. Each sentence that helps keeps `around` sentences on both sides, and a table row the first row of its table.

    By a language model: the sentences that it quotes. A quote that occurs nowhere in the item is passed over and
    counted; where the reply failed, the item stays as it is.

    By the step's own rule: the weightiest sentences of all these items together, as far as `share` of the tokens of the
    first `first` items reaches, and none of less than `least` of the weight of the best. The weight of a sentence is the
    share of the question's term weight (rarity, synonyms as one) that it holds, where a term that stands in the headings
    alone counts a quarter; two fifths of the greater weight of its two neighbours; half of the share that its whole item
    holds, where it is one of the two that open a section; less 0.03 for each rank of its item.
    """
    rows = [row[:keep] for row in items]
    how = Choosing(share, first, least)
    chosen = _by_rule(questions, rows, means, how) if means.language is None else _by_model(questions, rows, means)
    assert means.document is not None
    made: list[Refined] = []
    for row, helping in zip(rows, chosen):
        kept: Refined = []
        for item, ranges in zip(row, helping):
            if ranges is None:
                kept.append(item)
            elif ranges:
                document = means.document(item.doc)
                kept.append(cut(item, widened(document, item.ranges, ranges, around), document.text))
        made.append(kept)
    return made


def _by_model(
    questions: Sequence[str], rows: Sequence[Sequence[Item]], means: StepMeans
) -> list[list[list[Range] | None]]:
    """Of each item the ranges that a model quotes; None where its reply failed."""
    assert means.language is not None
    tasks = [
        Task("extract", {"question": question, "passage": item.text}, means.wording)
        for question, row in zip(questions, rows)
        for item in row
    ]
    replies = iter(means.language.perform(tasks))
    made: list[list[list[Range] | None]] = []
    for place, row in enumerate(rows):
        helping: list[list[Range] | None] = []
        for item in row:
            reply = next(replies)
            if reply.value is None:
                means.failures[place] = reply.failure
                helping.append(None)
                continue
            assert means.document is not None
            text = means.document(item.doc).text
            found: list[Range] = []
            for quote in reply.value["quotes"]:
                at = _quoted(text, item.ranges, str(quote))
                if at is None:
                    means.unfound[place] = means.unfound.get(place, 0) + 1
                else:
                    found.append(at)
            helping.append(found)
        made.append(helping)
    return made


def _quoted(text: str, ranges: Chunk, quote: str) -> Range | None:
    """Where a quote first occurs in some ranges of a text, white space alike; None where it does not."""
    if not quote.strip():
        return None
    for start, end in ranges:
        place = relocated(quote, 0, 0, text[start:end])
        found = place.place if place else None
        if found is not None:
            return start + found[0], start + found[1]
    return None


@dataclass(frozen=True)
class ScoredSentence:
    """A sentence as the rule sees it: its place, its terms by their leaders, its tokens, and whether it opens a section."""

    place: Range
    terms: frozenset[str]
    tokens: int
    opens: bool


def _by_rule(
    questions: Sequence[str], rows: Sequence[Sequence[Item]], means: StepMeans, how: Choosing
) -> list[list[list[Range] | None]]:
    assert means.rarity is not None
    assert means.document is not None
    known: dict[tuple[str, Chunk], list[ScoredSentence]] = {}
    made: list[list[list[Range] | None]] = []
    for question, row in zip(questions, rows):
        wanted = _wanted(question, means.rarity)
        found: list[list[ScoredSentence]] = []
        for item in row:
            name = (item.doc, item.ranges)
            if name not in known:
                known[name] = list(_sentences_of(means.document(item.doc), item.ranges))
            found.append(known[name])
        made.append([*_best(wanted, row, found, how)])
    return made


def _sentences_of(document: Document, ranges: Chunk) -> Iterator[ScoredSentence]:
    for start, end in ranges:
        for place in sentences(document.text, start, end):
            text = document.text[place[0] : place[1]]
            yield ScoredSentence(place, _leaders(text), count_tokens(text), _opens(document, place[0]))


def _opens(document: Document, offset: int) -> bool:
    """Whether a sentence is one of the first of its section; a heading is none."""
    begin = document.heading_end(offset)
    if begin > offset or offset - begin > _REACH:
        return False
    return sum(1 for _ in itertools.islice(sentences(document.text, begin, offset), _OPENING)) < _OPENING


def _best(
    wanted: dict[str, float], row: Sequence[Item], found: Sequence[Sequence[ScoredSentence]], how: Choosing
) -> Iterator[list[Range]]:
    """Of each item the sentences that are kept."""
    whole = math.fsum(wanted.values())
    weighed: list[tuple[float, int, int]] = []
    for rank, (item, each) in enumerate(zip(row, found)):
        own = _weights(wanted, item.source, [sentence.terms for sentence in each])
        there = frozenset().union(*(sentence.terms for sentence in each))
        held = math.fsum(weight for term, weight in wanted.items() if term in there)
        for place, (sentence, weight) in enumerate(zip(each, own)):
            more = _LEAD * held if sentence.opens else 0.0
            if weight + more > 0:
                weighed.append(((weight + more) / whole - _BEHIND * rank, rank, place))
    weighed.sort(key=lambda each: (-round(each[0], 9), each[1], each[2]))
    room = how.share * sum(sentence.tokens for each in found[: how.first] for sentence in each)
    kept: list[list[Range]] = [[] for _ in row]
    for number, (weight, rank, place) in enumerate(weighed):
        sentence = found[rank][place]
        if number and (sentence.tokens > room or weight < how.least * weighed[0][0]):
            continue
        room -= sentence.tokens
        kept[rank].append(sentence.place)
    return iter(kept)


def _wanted(question: str, rarity: Rarity) -> dict[str, float]:
    """The weight of each thing that a question names, by the leader of its synonyms: that of its rarest word."""
    wanted: dict[str, float] = {}
    for term in content_terms(question):
        wanted[leader(term)] = max(wanted.get(leader(term), 0.0), rarity(term))
    return wanted


def _leaders(text: str) -> frozenset[str]:
    return frozenset(map(leader, content_terms(text)))


def _weights(wanted: dict[str, float], source: str, found: Sequence[frozenset[str]]) -> list[float]:
    """The weight of each sentence of an item, in order."""
    above = _leaders(source)
    own = [
        math.fsum(
            weight if term in terms else weight * _SOURCE if term in above else 0.0 for term, weight in wanted.items()
        )
        for terms in found
    ]
    sides = [0.0, *own, 0.0]
    return [weight + _NEAR * max(sides[place], sides[place + 2]) for place, weight in enumerate(own)]


def widened(document: Document, ranges: Chunk, chosen: Sequence[Range], around: int) -> Chunk:
    """The sentences of some ranges that chosen stretches touch, with so many on both sides and the first rows of tables;
    those joined that only white space parts."""
    found = [each for start, end in ranges for each in sentences(document.text, start, end)]
    touched: set[int] = set()
    for place, (start, end) in enumerate(found):
        if any(left < end and start < right for left, right in chosen):
            touched.update(range(max(0, place - around), min(len(found), place + around + 1)))
    kept = [found[place] for place in sorted(touched)] or list(chosen)
    heads = [head for start, _ in kept if (head := document.header_row(start)) is not None]
    return tidy(document.text, [*kept, *heads])
