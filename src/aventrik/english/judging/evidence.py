"""The places of a context that a claim may rest on, and the one whose wording is nearest."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

from ...core.text import WORD, sentence_texts
from ...core.wording.fitting import ROW
from ...core.wording.words import Word, words_of
from .aligning import Alignment, Index, align, index_of

COLUMN = re.compile(r"(?:^|;)\s*([^:;]{1,60}):(?=\s)")
_LOOKED_AT = 4  # places that are aligned, those first that share most words
_OTHER_ROW = 0.2  # what it costs that a row of a table is about another thing than the claim
_FEWER = 0.6  # of the words that the first shares, with which a place is not looked at any more
_LENGTH = 0.0015  # what a word more of a place costs: of two that say as much the shorter one is nearer
_LONGEST = 400  # words of a sentence that are read
_APART = 100  # clauses and segments between two sentences that are read as one


@dataclass(frozen=True, eq=False)
class ContextPlace:
    """A sentence, or two that follow one another, of an item: the texts that are quoted; the terms of its words; those of the headings
    and of the sentences around it; those of the whole item; whether it is a row of a table ('Lock: Hexley; Width: 14 ft')."""

    item: int
    texts: tuple[str, ...]
    first: tuple[Word, ...]
    second: tuple[Word, ...]
    terms: frozenset[str]
    around: frozenset[str]
    whole: frozenset[str]
    row: bool = False

    @property
    def length(self) -> int:
        """How many words it has."""
        return len(self.first) + len(self.second)

    @cached_property
    def words(self) -> tuple[Word, ...]:
        """Its words; those of a second sentence have clauses and segments of their own."""
        return self.first + tuple(map(_behind, self.second))

    @cached_property
    def column_names(self) -> frozenset[str]:
        """Of a row the terms that only stand in the names of its columns: 'Fee: £12' has no thing called Fee."""
        if not self.row:
            return frozenset()
        named = {word.term for text in self.texts for name in COLUMN.findall(text) for word in words_of(name)}
        values = {word.term for text in self.texts for word in words_of(COLUMN.sub(" ; ", text))}
        return frozenset(named - values)

    @cached_property
    def index(self) -> Index:
        """Where its words stand."""
        return index_of(self.words)


@lru_cache(maxsize=1 << 13)
def plain_words(text: str) -> str:
    """The words of a text in small letters, with a space before and behind each, so that one text is looked for in another."""
    return f" {' '.join(WORD.findall(text.lower()))} "


def places_of(context: Sequence[Mapping[str, Any]]) -> list[ContextPlace]:
    """All places of a context, items in order."""
    return [
        place for item in context for place in _places(int(item["number"]), str(item["source"]), str(item["text"]))
    ]  # fmt: skip


@lru_cache(maxsize=1 << 12)
def _places(number: int, source: str, text: str) -> tuple[ContextPlace, ...]:
    sentences = sentence_texts(text)
    words = [words_of(sentence)[:_LONGEST] for sentence in sentences]
    terms = [frozenset([word.term for word in row]) for row in words]
    headings = frozenset([word.term for word in words_of(source)])
    whole = headings.union(*terms)
    nothing: frozenset[str] = frozenset()
    found = []
    for at, sentence in enumerate(sentences):
        before = terms[at - 1] if at else nothing
        around = headings | before | (terms[at + 1] if at + 1 < len(terms) else nothing)
        row = bool(ROW.match(sentence))
        found.append(
            ContextPlace(
                item=number,
                texts=(sentence,),
                first=words[at],
                second=(),
                terms=terms[at],
                around=around,
                whole=whole,
                row=row,
            )
        )
        if before and not row and not ROW.match(sentences[at - 1]):
            both = (sentences[at - 1], sentence)
            found.append(ContextPlace(number, both, words[at - 1], words[at], before | terms[at], around, whole))
    return tuple(found)


def _behind(word: Word) -> Word:
    return Word(
        text=word.text,
        lower=word.lower,
        term=word.term,
        figure=word.figure,
        unit=word.unit,
        name=word.name,
        content=word.content,
        clause=word.clause + _APART,
        segment=word.segment + _APART,
        sentence=1,
        light=word.light,
        weight=word.weight,
    )


def nearest(claim: Sequence[Word], places: Sequence[ContextPlace]) -> tuple[ContextPlace, Alignment] | None:
    """The place whose wording is nearest to a claim, whatever it says of it; None where none shares a word."""
    wanted = frozenset(word.term for word in claim if word.content) or frozenset(word.term for word in claim)
    shared = [(len(wanted & place.terms) - 0.004 * place.length, number) for number, place in enumerate(places)]
    order = sorted((row for row in shared if row[0] > 0), key=lambda row: (-row[0], row[1]))
    best: tuple[float, ContextPlace, Alignment] | None = None
    for count, number in order[:_LOOKED_AT]:
        if best is not None and (count < _FEWER * order[0][0] or best[2].runs == 1.0):
            break
        place = places[number]
        found = align(claim, place.words, place.index)
        score = found.score - _LENGTH * place.length
        if place.row and any(word.name and not word.segment and word.term not in wanted for word in place.words):
            score -= _OTHER_ROW
        if best is None or score > best[0]:
            best = (score, place, found)
    return (best[1], best[2]) if best else None
