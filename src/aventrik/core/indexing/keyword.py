"""Keyword search: BM25 and, over title and body, BM25F; BM25+; a language model; with postings that are laid out a term
at a time."""

from __future__ import annotations

import math
from collections import Counter, OrderedDict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from ..text import WORD, pieces_of, stem, stems_of
from ..text.counting import hash_of
from ..text.languages import ENGLISH, NONE, NUMBERED
from . import Hit, Narrowing, best
from .terms import Columns, count, table_of

Terms = tuple[Columns, dict[str, npt.NDArray[np.int64]]]

_SLICE = 1 << 20  # postings that are weighed at a time
_OFTEN = 20  # a term in more than one of so many texts is frequent
_ROW_BYTES = 50_000_000


@dataclass(frozen=True)
class Scoring:
    """How terms are weighed (see `KeywordIndex`): `way` is one of `SCORINGS`; `delta` counts for BM25+, `mu` for the
    language model."""

    way: str = "bm25"
    k1: float = 1.2
    b: float = 0.75
    title_weight: float = 0.0
    title_b: float = 0.75
    delta: float = 1.0
    mu: float = 1000.0


@dataclass(frozen=True)
class Figures:
    """What weights take from all texts: their number, and of each term (`hashes`, uint64, ascending) in how many it
    occurs and how many of all words it is (titles times their weight); the words of each field; and the number of each
    text's language as often as it occurs, with its place among them."""

    size: int
    hashes: npt.NDArray[np.uint64]
    frequency: npt.NDArray[np.int64]
    sums: npt.NDArray[np.float64]
    lengths: npt.NDArray[np.int64]
    languages: npt.NDArray[np.int64]

    def arrays(self) -> dict[str, npt.NDArray]:
        """The columns, for storage."""
        return {"size": np.array([self.size]), **{name: getattr(self, name) for name in _FIGURES}}

    @classmethod
    def from_arrays(cls, arrays: Mapping[str, npt.NDArray]) -> Figures:
        """The inverse of `arrays`."""
        return cls(int(arrays["size"][0]), *(np.asarray(arrays[name]) for name in _FIGURES))

    def of(self, hashes: npt.NDArray[np.uint64]) -> npt.NDArray[np.int64]:
        """The places of terms that are all among them."""
        return np.searchsorted(self.hashes, hashes)

    @property
    def spoken(self) -> tuple[str, ...]:
        """The languages, the commonest first, of several as common the one met first; English where there is none."""
        counts, first = self.languages
        order = sorted(np.flatnonzero(counts).tolist(), key=lambda each: (-counts[each], first[each]))
        return tuple(NUMBERED[each] if each < len(NUMBERED) else NONE for each in order) or (ENGLISH,)


_FIGURES = ("hashes", "frequency", "sums", "lengths", "languages")


def figures(body: Terms, scoring: Scoring = Scoring(), titles: Terms | None = None) -> Figures:
    """The figures of some documents' texts."""
    fields = [body] if titles is None else [body, titles]
    hashes = np.unique(np.concatenate([columns["vocabulary"] for columns, _ in fields]))
    tables = [table_of(*each, hashes) for each in fields]
    sums = np.zeros(tables[0].shape[1])
    for table, weight in zip(tables, (1.0, scoring.title_weight)):
        sums += weight * np.bincount(table.indices, weights=table.data, minlength=len(sums))
    there = tables[0] if titles is None else tables[0] + tables[1]
    frequency = np.bincount(there.indices, minlength=len(sums)).astype(np.int64)
    lengths = np.array([int(table.data.sum(dtype=np.int64)) for table in tables], dtype=np.int64)
    numbers = np.asarray(body[0]["language"]).astype(np.int64)
    numbers[numbers < 0] = len(NUMBERED)
    languages = np.zeros((2, len(NUMBERED) + 1), dtype=np.int64)
    languages[0] = np.bincount(numbers, minlength=len(NUMBERED) + 1)
    languages[1] = len(numbers)
    known, first = np.unique(numbers, return_index=True)
    languages[1, known] = first
    return Figures(tables[0].shape[0], hashes, frequency[: len(hashes)], sums[: len(hashes)], lengths, languages)


def joined(parts: Sequence[Figures]) -> Figures:
    """The figures of all texts, from those of shards in their order."""
    hashes = np.unique(np.concatenate([part.hashes for part in parts]))
    frequency, sums = np.zeros(len(hashes), dtype=np.int64), np.zeros(len(hashes))
    languages = np.zeros_like(parts[0].languages)
    before = 0
    for part in parts:
        places = np.searchsorted(hashes, part.hashes)
        frequency[places] += part.frequency
        sums[places] += part.sums
        fresh = (languages[0] == 0) & (part.languages[0] > 0)
        languages[1, fresh] = before + part.languages[1, fresh]
        languages[0] += part.languages[0]
        before += int(part.languages[0].sum())
    lengths = np.sum([part.lengths for part in parts], axis=0)
    return Figures(sum(part.size for part in parts), hashes, frequency, sums, lengths, languages)


PLAIN = Scoring()
SCORINGS = ("bm25", "bm25+", "dirichlet")


@dataclass(frozen=True)
class KeywordIndex:
    """Postings of each term: text numbers and weights.

    Term t's postings are `texts[first[t]:first[t + 1]]` (int32, ascending) and the same part of `weights`
    (float32). `hashes` (uint64, ascending) are the terms' 64-bit hashes, by which a term is found. `norms` (float32,
    one a text, or empty): what each term of a query adds to the score of any text. `languages` are those by whose
    stemmers the texts' terms were made.

    The score of a text is the sum over the terms of the query of weight + norm, as often as a term stands in it.

    BM25 (Robertson and Zaragoza, 2009, sections 3.4 and 3.6): the weight of a term in a text is
    idf · tf · (k1 + 1) / (tf + k1), where tf is the sum over the fields of
    field weight · count / (1 − b + b · length ÷ mean length), each with the field's own b and lengths,
    and idf = ln(1 + (N − n + 0.5) / (n + 0.5)), which is never negative.

    BM25+ (Lv and Zhai, 2011): idf · (tf · (k1 + 1) / (tf + k1) + δ) with the same tf, and idf = ln((N + 1) / n).

    A language model with Dirichlet smoothing (Zhai and Lafferty, 2004, section 3): the weight is
    ln(1 + count / (μ · p)), where p is the term's share of all words of the collection, and the norm
    ln(μ / (length + μ)); counts and lengths are summed over the fields, each times its weight.
    """

    size: int
    hashes: npt.NDArray[np.uint64]
    first: npt.NDArray[np.int64]
    texts: npt.NDArray[np.int32]
    weights: npt.NDArray[np.float32]
    norms: npt.NDArray[np.float32] = field(default_factory=lambda: np.zeros(0, np.float32))
    languages: tuple[str, ...] = (ENGLISH,)
    whole: Figures | None = None  # of all texts, where these are a shard of them

    @property
    def total(self) -> int:
        """The number of all texts, those of other shards too."""
        return self.size if self.whole is None else self.whole.size

    def search(self, query: str, top: int, narrowing: Narrowing | None = None) -> list[Hit]:
        """The `top` texts (or, narrowed, chunks) that share a term with the query, as (number, score), best first; every
        word of the query counts (see `core.searching.words` for more)."""
        weights: Counter[str] = Counter()
        for term in self.stems(WORD.findall(query.lower())):
            weights[term] += 1
        return self.weighed(weights, top, narrowing)

    def stems(self, words: Sequence[str], languages: Sequence[str] = ()) -> list[str]:
        """What lower-cased words are matched by: their stems in some languages, one of each form a word; in every language
        of the texts where none is named."""
        found: list[str] = []
        for word in words:
            for piece in pieces_of(word):
                found.extend(dict.fromkeys(self._stem(piece, language) for language in languages or self.languages))
        return found

    @staticmethod
    def _stem(word: str, language: str) -> str:
        return stem(word) if language == ENGLISH else stems_of([word], language)[0]

    def weighed(
        self,
        weights: Mapping[str, float],
        top: int,
        narrowing: Narrowing | None = None,
        among: npt.NDArray[np.int32] | None = None,
    ) -> list[Hit]:
        """The `top` texts (or, narrowed, chunks) that have one of some stemmed terms, each of which counts with its
        weight; of the texts `among` alone, where they are given."""
        scores = self.scores(weights)
        floor = 0.0
        if len(self.norms):
            has = np.zeros(self.size, dtype=bool)
            for term in weights:
                has[self.texts_with(term)] = True
            scores = np.where(has, scores + self.norms * np.float32(sum(weights.values())), np.float32(-np.inf))
            floor = -np.inf
        if among is not None:
            kept = np.full(self.size, -np.inf, dtype=np.float32)
            kept[among] = scores[among]
            scores = kept
        if narrowing is not None:
            scores = narrowing.of_chunks(scores)
        return best(scores, top, floor=floor)

    def scores(self, weights: Mapping[str, float]) -> npt.NDArray[np.float32]:
        """The sum of the terms' weights in every text, each times that of the query; without norms."""
        scores = np.zeros(self.size, dtype=np.float32)
        for term, times in weights.items():
            left, right = self._postings(term)
            if (right - left) * _OFTEN > self.size:
                row = self._row(term, left, right)
                scores += row * np.float32(times) if times != 1 else row
            elif left < right:
                found = self.weights[left:right]
                scores[self.texts[left:right]] += found * np.float32(times) if times != 1 else found
        return scores

    @cached_property
    def _rows(self) -> OrderedDict[str, npt.NDArray[np.float32]]:
        return OrderedDict()

    def _row(self, term: str, left: int, right: int) -> npt.NDArray[np.float32]:
        """The weights of a frequent term with a place for every text, which are quicker to add; the last few are held."""
        row = self._rows.get(term)
        if row is None:
            row = np.zeros(self.size, dtype=np.float32)
            row[self.texts[left:right]] = self.weights[left:right]
            self._rows[term] = row
            if len(self._rows) > max(8, _ROW_BYTES // row.nbytes):
                self._rows.popitem(last=False)
        else:
            self._rows.move_to_end(term)
        return row

    def document_frequency(self, term: str) -> int:
        """In how many of all texts a term (already stemmed) stands."""
        if self.whole is not None:
            wanted = np.uint64(hash_of(term))
            place = int(np.searchsorted(self.whole.hashes, wanted))
            there = place < len(self.whole.hashes) and self.whole.hashes[place] == wanted
            return int(self.whole.frequency[place]) if there else 0
        left, right = self._postings(term)
        return right - left

    def texts_with(self, term: str) -> npt.NDArray[np.int32]:
        """The numbers of the texts in which a (stemmed) term stands, ascending."""
        left, right = self._postings(term)
        return self.texts[left:right]

    def rarity(self, term: str) -> float:
        """The weight of a (stemmed) term by itself: ln(1 + N ÷ (n + ½)); greatest for one that stands nowhere."""
        return math.log1p(self.total / (self.document_frequency(term) + 0.5))

    def _postings(self, term: str) -> tuple[int, int]:
        wanted = hash_of(term)
        place = int(np.searchsorted(self.hashes, wanted))
        if place == len(self.hashes) or self.hashes[place] != wanted:
            return (0, 0)
        return (int(self.first[place]), int(self.first[place + 1]))

    def arrays(self) -> dict[str, npt.NDArray]:
        """The columns, for storage."""
        return {
            "size": np.array([self.size], dtype=np.int64),
            "hashes": self.hashes,
            "first": self.first,
            "texts": self.texts,
            "weights": self.weights,
            "norms": self.norms,
            "languages": np.array([_number(each) for each in self.languages], dtype=np.int16),
        }

    @classmethod
    def from_arrays(cls, arrays: dict[str, npt.NDArray], whole: Figures | None = None) -> KeywordIndex:
        """The inverse of `arrays`; of a shard the figures of the `whole` stand elsewhere."""
        columns = {name: arrays[name] for name in ("hashes", "first", "texts", "weights", "norms")}
        return cls(int(arrays["size"][0]), **columns, languages=_named(arrays["languages"]), whole=whole)


def _number(language: str) -> int:
    return NUMBERED.index(language) if language in NUMBERED else -1


def _named(numbers: npt.NDArray) -> tuple[str, ...]:
    """Languages by their numbers, the commonest first; English where there is none."""
    counts = Counter(np.asarray(numbers).tolist())
    return tuple(NUMBERED[each] if each >= 0 else NONE for each, _ in counts.most_common()) or (ENGLISH,)


def build(
    texts: Iterable[str], scoring: Scoring = PLAIN, titles: Iterable[str] = (), language: str = ENGLISH
) -> KeywordIndex:
    """An index over texts of one language; `titles`, one a text, are their second field."""

    def whole(one: Iterable[str]) -> Terms:
        [columns] = count([list(one)], language)
        return columns, {name: np.array([0, len(column)], dtype=np.int64) for name, column in columns.items()}

    return merge(whole(texts), scoring, whole(titles) if scoring.title_weight > 0 else None)


def merge(
    body: Terms, scoring: Scoring = PLAIN, titles: Terms | None = None, whole: Figures | None = None
) -> KeywordIndex:
    """An index from the terms of documents, each field as (columns, where each document's begin and end); of a shard of
    them where the figures of the `whole` are given, by which its postings are weighed as if all stood in one index."""
    shard = whole is not None
    whole = whole or figures(body, scoring, titles)
    fields = [body] if titles is None else [body, titles]
    hashes = np.unique(np.concatenate([columns["vocabulary"] for columns, _ in fields]))
    counts = table_of(*body, hashes)
    size = counts.shape[0]
    if not size or not counts.nnz:
        nothing = np.zeros(0)
        first = np.zeros(1, np.int64)
        return KeywordIndex(
            size, nothing.astype(np.uint64), first, nothing.astype(np.int32), nothing.astype(np.float32),
            languages=whole.spoken, whole=whole if shard else None,
        )  # fmt: skip
    model = scoring.way == "dirichlet"
    means = [length / max(1, whole.size) for length in whole.lengths.tolist()]
    table = counts.astype(np.float32) if model else _by_length(counts, scoring.b, means[0])
    if titles is not None:
        other = table_of(*titles, hashes)
        table = table + np.float32(scoring.title_weight) * (
            other.astype(np.float32) if model else _by_length(other, scoring.title_b, means[1])
        )
    norms = np.zeros(0, np.float32)
    if model:
        lengths = np.asarray(table.sum(axis=1), dtype=np.float64).ravel()
        norms = np.log(scoring.mu / (lengths + scoring.mu)).astype(np.float32)
    columns = table.tocsc()  # of each term the texts in ascending order
    own = np.diff(columns.indptr)
    places = whole.of(hashes)
    if model:
        per_term = whole.sums[places] / max(float(whole.sums.sum()), 1e-9)
    elif scoring.way == "bm25+":
        per_term = np.log((whole.size + 1) / np.maximum(whole.frequency[places], 1))
    else:
        frequency = whole.frequency[places]
        per_term = np.log1p((whole.size - frequency + 0.5) / (frequency + 0.5))
    _weigh(columns.data, np.repeat(per_term, own), scoring)
    texts_of = columns.indices.astype(np.int32, copy=False)
    return KeywordIndex(
        size=size,
        hashes=hashes,
        first=columns.indptr.astype(np.int64),
        texts=texts_of,
        weights=columns.data,
        norms=norms,
        languages=whole.spoken,
        whole=whole if shard else None,
    )


def _weigh(weights: npt.NDArray[np.float32], per_term: npt.NDArray[np.float64], scoring: Scoring) -> None:
    """Makes the weights of postings out of their counts, in place, a slice at a time."""
    for left in range(0, len(weights), _SLICE):
        some = weights[left : left + _SLICE].astype(np.float64)
        of = per_term[left : left + _SLICE]
        if scoring.way == "dirichlet":
            weights[left : left + _SLICE] = np.log1p(some / (scoring.mu * of))
        else:
            more = scoring.delta if scoring.way == "bm25+" else 0.0
            weights[left : left + _SLICE] = of * (some * (scoring.k1 + 1) / (some + scoring.k1) + more)


def _by_length(counts: Any, b: float, mean: float) -> Any:
    """Counts divided by how long their text is beside the mean, as float32."""
    lengths = np.asarray(counts.sum(axis=1)).ravel()
    norm = 1 - b + b * lengths / max(mean, 1e-9)
    table = counts.astype(np.float32)
    table.data /= np.repeat(np.maximum(norm, 1e-9), np.diff(counts.indptr)).astype(np.float32)
    return table
