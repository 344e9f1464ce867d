"""The sentences and rows of a context as an answer could quote them, and what speaks for each."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from ..text import sentence_texts, stem
from .asking import NamedThing, ReadQuestion, dates_of, spelt
from .words import Word, words_of

_BETWEEN = re.compile(r"(?<![\d.,:])(\d+(?:\.\d+)?) ?[a-z]{0,3} ?(?:to|and|-|–|until) ?(\d+(?:\.\d+)?)(?![\d:])")
_BELOW = re.compile(
    r"\b(?:up to|under|below|less than|at most|no more than|not more than|younger than|under-)[ -]?(\d+(?:\.\d+)?)\b(?! to)"
)
_ABOVE_IT = re.compile(
    r"\b(?:over|above|more than|at least|from|older than|longer than) (\d+(?:\.\d+)?)\b(?! ?(?:to|and|–|-|until)\b)"
)
_OR_MORE = re.compile(r"(?<![\d.,:])(\d+(?:\.\d+)?)(?: [a-z]{1,8})? or (?:more|over|above|longer|older|higher)\b")
_OR_LESS = re.compile(
    r"(?<![\d.,:])(\d+(?:\.\d+)?)(?: [a-z]{1,8})? or (?:less|fewer|under|below|shorter|younger|lower)\b"
)
_ENDS = ".!;)”\"’'"
# What a word counts in the sentence before, in the headings, elsewhere in the item.
_NEAR, _ABOVE, _INSIDE = 0.6, 0.6, 0.3
_FITS, _MISFIT, _LABEL = 0.08, 0.1, 0.3
_RANGE, _DEFINITION, _ROWS = 0.9, 0.3, 0.1
_NO_FOCUS, _OTHER_DATE = 0.2, 0.2
_IS = re.compile(
    r"^\W*(?:an?|the)?\s*(?P<thing>[^.,;:]{2,60}?)\s*(?:\([^)]*\)\s*)?(?:is|are|means?|stands? for|refers? to|denotes?)\s",
    re.IGNORECASE,
)

# A row of a table as canonical text has it: 'Lock: Hexley; Width: 14 ft'.
ROW = re.compile(r"^[^:;]{1,60}: [^;]+(?:; [^:;]{1,60}: [^;]+)+")


@dataclass(frozen=True)
class ReadSentence:
    """A sentence or row of an item: its words' terms, those of the sentence before, of the headings and of the item."""

    item: int
    text: str
    terms: tuple[str, ...]
    here: frozenset[str]
    before: frozenset[str]
    headings: frozenset[str]
    whole: frozenset[str]
    label: bool
    row: bool
    ranges: tuple[tuple[float, float], ...] = ()
    heading: str = ""
    dates: frozenset[tuple[str, str]] = frozenset()

    @property
    def headed(self) -> str:
        """The sentence behind the nearest heading over it: what an embedding model reads."""
        return f"{self.heading}. {self.text}" if self.heading else self.text

    def holds(self, figure: str) -> bool:
        """Whether a range of the sentence ('over 7 to 12 metres', 'under 16') holds a figure."""
        try:
            value = float(figure)
        except ValueError:
            return False
        return any(low <= value <= high for low, high in self.ranges)


def pool_of(context: Sequence[Mapping[str, Any]]) -> list[ReadSentence]:
    """All sentences of a context, items in order."""
    return [
        each for item in context for each in sentences_of(int(item["number"]), str(item["source"]), str(item["text"]))
    ]


@lru_cache(maxsize=1 << 12)
def sentences_of(number: int, source: str, text: str) -> tuple[ReadSentence, ...]:
    texts = sentence_texts(text)
    terms = [tuple(_terms(words_of(each))) for each in texts]
    headings = frozenset(_terms(words_of(source)))
    nearest = source.split(" › ")[-1].strip()
    whole = headings.union(*(frozenset(row) for row in terms))
    found = []
    before: frozenset[str] = frozenset()
    for each, row in zip(texts, terms):
        here = frozenset(row)
        is_row = bool(ROW.match(each))
        label = not is_row and (
            each.rstrip()[-1:] not in _ENDS or each.endswith("?") or len(row) < 3 or each.lstrip().startswith("#")
        )
        found.append(
            ReadSentence(
                item=number,
                text=each,
                terms=row,
                here=here,
                before=before,
                headings=headings,
                whole=whole,
                label=label,
                row=is_row,
                ranges=_ranges(each),
                heading=nearest,
                dates=dates_of(each),
            )
        )
        before = here
    return tuple(found)


def _ranges(text: str) -> tuple[tuple[float, float], ...]:
    found = [(float(low), float(high)) for low, high in _BETWEEN.findall(text) if float(low) < float(high)]
    found.extend((0.0, float(high)) for high in _BELOW.findall(text))
    found.extend((float(low), math.inf) for low in _OR_MORE.findall(text))
    found.extend((0.0, float(high)) for high in _OR_LESS.findall(text))
    found.extend((float(low), math.inf) for low in _ABOVE_IT.findall(text))
    return tuple(found)


def _terms(words: Sequence[Word]) -> list[str]:
    """Terms of content words; a word that a synonym leads is there under both."""
    found = []
    for word in words:
        if word.content:
            found.append(word.term)
            if not word.figure and stem(word.lower) != word.term:
                found.append(stem(word.lower))
    return found


@dataclass(frozen=True)
class Fit:
    """How well a sentence fits a question (about 0 to 1), which of the things that it names it has, and whether the item
    lacks a name or figure of it."""

    score: float
    matched: frozenset[str]
    lost_names: bool


def fits_of(question: ReadQuestion, pool: Sequence[ReadSentence]) -> list[Fit]:
    """How well each sentence fits a question.

    The share of what the question names that the sentence has, each word by how few sentences have it; a word of the sentence
    before or of the headings counts 0.6, one that stands elsewhere in the item 0.3, a looser word for it less. A value of the
    kind that is asked for adds, its lack takes away; titles and headers hardly ever answer.
    """
    known = frozenset().union(*(each.whole for each in pool)) if pool else frozenset()
    about = [_mended(asked, known) for asked in question.about]
    weights = [_weight(asked, pool) for asked in about]
    whole = sum(weights) or 1.0
    return [_fit(question, about, weights, whole, each) for each in pool]


def _mended(asked: NamedThing, known: frozenset[str]) -> NamedThing:
    if asked.figure or any(term in known for term in asked.terms):
        return asked
    term = spelt(stem(asked.word), known)
    return replace(asked, terms={**asked.terms, term: 0.9}) if term else asked


def _weight(asked: NamedThing, pool: Sequence[ReadSentence]) -> float:
    """How much a word tells: little where many sentences have it. One that none has weighs as one that a single one has."""
    having = sum(any(term in each.here for term in asked.terms) for each in pool)
    return math.log1p(len(pool) / (max(having, 1) + 0.5)) * (1.3 if asked.name or asked.figure else 1.0) * asked.weight


def _best(asked: NamedThing, terms: frozenset[str]) -> float:
    return max((how for term, how in asked.terms.items() if term in terms), default=0.0)


def _stands(asked: NamedThing, each: ReadSentence) -> bool:
    """Whether something that is asked about stands in a sentence, the one before or the headings."""
    return any(_best(asked, terms) for terms in (each.here, each.before, each.headings))


def _defines(about: Sequence[NamedThing], each: ReadSentence) -> bool:
    """Whether a sentence begins with what is asked about, and says what it is."""
    found = _IS.match(each.text)
    if not found or not about:
        return False
    thing = frozenset(_terms(words_of(found["thing"])))
    return len(thing) <= 2 * len(about) and all(_best(asked, thing) for asked in about)


def _fit(
    question: ReadQuestion, about: Sequence[NamedThing], weights: Sequence[float], whole: float, each: ReadSentence
) -> Fit:
    share = 0.0
    matched, lost = set(), False
    for asked, weight in zip(about, weights):
        here = _best(asked, each.here) or (_RANGE if asked.figure and each.holds(asked.figure) else 0.0)
        anywhere = max(
            here,
            _NEAR * _best(asked, each.before),
            _ABOVE * _best(asked, each.headings),
            _INSIDE * _best(asked, each.whole),
        )
        share += weight * anywhere
        if here:
            matched.add(asked.word)
        lost |= (asked.name or bool(asked.figure)) and not anywhere
    score = share / whole
    if question.form is not None:
        score += _FITS if question.form.search(each.text) else -_MISFIT
    if question.focus and not any(asked.word == question.focus and _stands(asked, each) for asked in about):
        score -= _NO_FOCUS
    if question.dates and each.dates and not question.dates & each.dates:
        score -= _OTHER_DATE
    if question.defines and _defines(about, each):
        score += _DEFINITION
    if question.column and each.row and len(matched) > 1:
        score += _ROWS
    return Fit(score - _LABEL * each.label, frozenset(matched), lost)
