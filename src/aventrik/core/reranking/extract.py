"""Cuts an item down to the sentences that help to answer the question."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ..chunking import Chunk
from ..documents import Document
from ..documents.relocating import relocated
from ..documents.spans import Range, merge
from ..offline.synonyms import leader
from ..protocols import Task
from ..text import content_terms, sentences
from . import Item, Means, Rarity, Refined, cut

_NEAR = 0.4  # of a sentence's weight, what it lends to each of its neighbours
_SOURCE = 0.25  # of a term's weight, what it counts where the headings hold it


def apply(
    questions: Sequence[str], items: Sequence[Sequence[Item]], means: Means, keep: int, share: float, around: int
) -> list[Refined]:
    """Cuts the first `keep` items of each question down; those behind are dropped, and so are items of which no sentence
    helps. Each sentence that helps keeps `around` sentences on both sides, and a table row the first row of its table.

    By a language model: the sentences that it quotes. A quote that occurs nowhere in the item is passed over and
    counted; where the reply failed, the item stays as it is. By the step's own rule: sentences whose weight is at least
    `share` of that of the question's best. The weight is the sum of the rarities of the question's terms, or synonyms of
    them, that a sentence holds, a quarter of them for a term that stands in the headings alone, and two fifths of the
    greater weight of its two neighbours.
    """
    rows = [row[:keep] for row in items]
    chosen = _by_rule(questions, rows, means, share) if means.language is None else _by_model(questions, rows, means)
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


def _by_model(questions: Sequence[str], rows: Sequence[Sequence[Item]], means: Means) -> list[list[list[Range] | None]]:
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
        found = relocated(quote, 0, 0, text[start:end])
        if found is not None:
            return start + found[0], start + found[1]
    return None


def _by_rule(
    questions: Sequence[str], rows: Sequence[Sequence[Item]], means: Means, share: float
) -> list[list[list[Range] | None]]:
    assert means.rarity is not None
    assert means.document is not None
    terms_of: dict[tuple[str, Range], frozenset[str]] = {}
    cut_of: dict[tuple[str, Chunk], list[Range]] = {}
    made: list[list[list[Range] | None]] = []
    for question, row in zip(questions, rows):
        wanted = _wanted(question, means.rarity)
        weighed: list[list[tuple[Range, float]]] = []
        for item in row:
            document = means.document(item.doc)
            name = (item.doc, item.ranges)
            if name not in cut_of:
                cut_of[name] = [each for start, end in item.ranges for each in sentences(document.text, start, end)]
            found = cut_of[name]
            for each in found:
                if (item.doc, each) not in terms_of:
                    terms_of[item.doc, each] = _leaders(document.text[each[0] : each[1]])
            weighed.append(
                list(zip(found, _weights(wanted, item.source, [terms_of[item.doc, each] for each in found])))
            )
        best = max((weight for sentences_ in weighed for _, weight in sentences_), default=0.0)
        least = share * best
        made.append(
            [[each for each, weight in sentences_ if weight > 0 and weight >= least - 1e-9] for sentences_ in weighed]
        )
    return made


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
    return joined(document.text, [*kept, *heads])


def joined(text: str, ranges: Sequence[Range]) -> Chunk:
    """Ranges in order, those joined that only white space parts."""
    made: list[Range] = []
    for start, end in merge(ranges):
        if made and not text[made[-1][1] : start].strip():
            made[-1] = (made[-1][0], end)
        else:
            made.append((start, end))
    return tuple(made)
