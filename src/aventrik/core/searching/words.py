"""What a query is for keyword search: its words, its phrases, and what the first results add to it."""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..indexing import Narrowing
from ..indexing.keyword import KeywordIndex
from ..protocols import Hit
from ..text import WORD, pieces_of, terms
from ..text.languages import ENGLISH, asking_words, language_of, stop_words

STOP_WORDS = ("drop", "keep")
_PHRASE = re.compile(r"\"([^\"]+)\"|“([^”]+)”|„([^“”]+)[“”]|«([^»]+)»")
_FREQUENT = 20  # a function word of a collected list counts as one where it stands in one of so many texts
_MOST_LOOKED_AT = 20_000  # texts in which a phrase is looked for


@dataclass(frozen=True)
class WordSearch:
    """How queries are read. `stop_words`: "drop" leaves function and question words out (see `left_out`), unless they are
    quoted or nothing else is left; "keep" takes every word. `feedback`: from how many first results terms are taken (0: none),
    `feedback_terms` how many, and `feedback_weight` their share of the query (0 to 1)."""

    stop_words: str = "drop"
    feedback: int = 0
    feedback_terms: int = 20
    feedback_weight: float = 0.5


PLAIN = WordSearch()


@dataclass(frozen=True)
class Read:
    """A query: how much each stemmed term counts, and its phrases as the words that must stand there side by side."""

    weights: Mapping[str, float]
    phrases: tuple[tuple[str, ...], ...] = ()


def read(query: str, index: KeywordIndex, how: WordSearch) -> Read:
    """The terms and phrases of a query."""
    quoted = [next(filter(None, found.groups())) for found in _PHRASE.finditer(query)]
    phrases = tuple(words for text in quoted if (words := tuple(_words(text))))
    loose = _words(_PHRASE.sub(" ", query))
    spoken = languages_of(_words(query), index)
    left = left_out(loose, index, spoken[0]) if how.stop_words == "drop" else frozenset()
    kept = [word for word in loose if word not in left]
    inside = [word for words in phrases for word in words]
    if not kept and not inside:
        kept = loose
    return Read(Counter(index.stems([*kept, *inside], spoken)), phrases)


def _words(text: str) -> list[str]:
    return WORD.findall(text.lower())


def languages_of(words: Sequence[str], index: KeywordIndex) -> tuple[str, ...]:
    """The languages that a query may be in: of those of the index's texts that of which it has the most function words, or
    several that have as many; all where it has none."""
    if len(index.languages) == 1:
        return index.languages
    counts = {
        each: sum(word in stop_words(each) or word in asking_words(each) for word in words) for each in index.languages
    }
    most = max(counts.values())
    return tuple(each for each, count in counts.items() if count == most)


def left_out(words: Sequence[str], index: KeywordIndex, language: str) -> frozenset[str]:
    """Which words of a query in a language are left out: in English all function words; in another one its words of
    asking, and those function words that stand in at least one of so many texts, as the collected lists of other
    languages hold many a word that says something."""
    known = stop_words(language)
    if language == ENGLISH:
        return known
    least = index.total / _FREQUENT
    often = {
        word for word in words
        if word in known and max(map(index.document_frequency, index.stems([word])), default=0) >= least
    }  # fmt: skip
    return frozenset(often) | asking_words(language)


def search(
    index: KeywordIndex,
    query: str,
    top: int,
    narrowing: Narrowing,
    how: WordSearch,
    text_of: Callable[[int], str],
) -> list[Hit]:
    """The `top` chunks that share a term with a query and hold all its phrases, as (chunk, score), best first; `text_of`
    gives the text of a chunk."""
    asked = read(query, index, how)
    among = None
    if asked.phrases:
        among = _with_phrases(index, asked.phrases, narrowing, text_of)
    if how.feedback and asked.weights:
        first = index.weighed(asked.weights, how.feedback, narrowing, among)
        models = [terms_of(text_of(chunk), index.languages) for chunk, _ in first]
        scores = [score for _, score in first]
        likely = likelihoods(scores, logarithms=bool(len(index.norms)))
        weights = expanded(asked.weights, models, likely, how)
        return index.weighed(weights, top, narrowing, among)
    return index.weighed(asked.weights, top, narrowing, among)


def terms_of(text: str, languages: Sequence[str]) -> Counter[str]:
    """The stemmed terms of a text in its language, without function words."""
    language = languages[0] if len(languages) == 1 else language_of(text) or ENGLISH
    known = stop_words(language)
    words = [word for word in WORD.findall(text.lower()) if word not in known and len(word) > 1]
    return Counter(terms(" ".join(words), language))


def likelihoods(scores: Sequence[float], logarithms: bool) -> list[float]:
    """How much each of the first results says: its score as a share of all; of scores that are logarithms of likelihoods
    the likelihood."""
    if not scores:
        return []
    values = [math.exp(score - max(scores)) if logarithms else max(score, 0.0) for score in scores]
    whole = math.fsum(values)
    return [value / whole if whole else 1 / len(values) for value in values]


def expanded(
    asked: Mapping[str, float], models: Sequence[Mapping[str, float]], likely: Sequence[float], how: WordSearch
) -> dict[str, float]:
    """The query with terms of the first results (RM3: Lavrenko and Croft, 2001, as interpolated by Abdul-Jaleel and
    others, 2004): (1 − a) · p(w | query) + a · p(w | results), times the number of the query's terms, where
    p(w | results) is the sum over results of their likelihood · p(w | text), of the greatest so many terms, scaled to
    sum to 1; a is `feedback_weight`. p(w | text) and p(w | query) are shares of the words."""
    size = math.fsum(asked.values())
    found: dict[str, float] = {}
    for model, share in zip(models, likely):
        length = math.fsum(model.values())
        for term, count in model.items():
            found[term] = found.get(term, 0.0) + share * count / length
    best = sorted(found.items(), key=lambda pair: (-pair[1], pair[0]))[: how.feedback_terms]
    whole = math.fsum(value for _, value in best)
    weights = {term: (1 - how.feedback_weight) * count for term, count in asked.items()}
    for term, value in best:
        weights[term] = weights.get(term, 0.0) + how.feedback_weight * value / whole * size
    return {term: weight for term, weight in weights.items() if weight > 0}


def _with_phrases(
    index: KeywordIndex,
    phrases: Sequence[tuple[str, ...]],
    narrowing: Narrowing,
    text_of: Callable[[int], str],
) -> np.ndarray:
    """The index texts whose chunk holds every phrase, its words in any form side by side."""
    sets = []
    for words in phrases:
        for word in words:
            found = [index.texts_with(term) for term in dict.fromkeys(index.stems([word]))]
            sets.append(np.unique(np.concatenate(found)) if found else np.zeros(0, np.int32))
    sets.sort(key=len)
    texts = sets[0]
    for other in sets[1:]:
        texts = np.intersect1d(texts, other, assume_unique=True)
    owners = texts if narrowing.owner is None else narrowing.owner[texts]
    if narrowing.allowed is not None:
        may = narrowing.allowed[owners]
        texts, owners = texts[may], owners[may]
    held: dict[int, bool] = {}
    kept = []
    for text, chunk in zip(texts.tolist(), owners.tolist()):
        if chunk not in held:
            if len(held) >= _MOST_LOOKED_AT:
                break
            held[chunk] = holds(text_of(chunk), phrases, index)
        if held[chunk]:
            kept.append(text)
    return np.array(kept, dtype=np.int32)


def holds(text: str, phrases: Sequence[tuple[str, ...]], index: KeywordIndex) -> bool:
    """Whether the words of each phrase stand side by side in a text, in any form that a stemmer of the index joins."""
    there = [frozenset(index.stems([word])) for word in _pieces(text)]
    for words in phrases:
        wanted = [frozenset(index.stems([word])) for word in words for word in pieces_of(word)]
        starts = range(len(there) - len(wanted) + 1)
        if not any(all(wanted[n] & there[start + n] for n in range(len(wanted))) for start in starts):
            return False
    return True


def _pieces(text: str) -> list[str]:
    return [piece for word in _words(text) for piece in pieces_of(word)]
