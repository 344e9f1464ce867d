"""Questions that ask the same: word for word, or in the same words of meaning in another order, form or frame."""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from ...text import STOP_WORDS, WORD, stem
from ...text.spelling import Speller
from ...wording.asking import FRAME, read
from ...wording.synonyms import GROUPS as EVERYDAY
from ...wording.synonyms import leader
from ...wording.thesaurus import NOUNS, VERBS

ALIKE = 0.85  # of the weight of the words of two questions, that both must have
_KNOWN = 3  # times that a log has a word, from which the word is no misspelling
_LIGHT = frozenset(
    stem(word) for word in "given certain specific particular various kind type today now thank hello dear seem together first".split()
)  # fmt: skip
_NEGATION = frozenset("not no never without cannot nor neither none except unless".split())
_NEGATED = re.compile(r"n't$|^(?:can|don|isn|won|doesn|didn|aren|wasn|shouldn|couldn|wouldn|hasn|haven)t$")
_NOT = "¬"
_DIRECTION = re.compile(r"\b(?P<one>[\w'’-]+) (?:in)?to (?:an? |the |my )?(?P<other>[\w'’-]+)\b")
_CODE = re.compile(r"(?<![\w-])--?[a-z][\w-]+|\w+(?:[-_./:]+\w+)+")
_FORMS = (
    ("why", re.compile(r"\bwhy\b|\bhow come\b|\breason\b")),
    ("when", re.compile(r"\bwhen\b|\bwhat (?:time|date|day)\b|\bwhich (?:time|date|day)\b")),
    ("how many", re.compile(r"\bhow many\b|\bnumber of\b")),
    ("how much", re.compile(r"\bhow much\b|\bprice\b|\bcosts?\b|\bfees?\b|\bcharges?\b")),
    ("how long", re.compile(r"\bhow long\b")),
    ("who", re.compile(r"\bwho(?:m|se|'s|s)?\b")),
)
_ASKS = re.compile(
    r"\b(?:how|what|whats|when|where|wheres|who|whose|which|why|is|are|do|does|did|can|could|may|must|should|will)\b"
)


@dataclass(frozen=True)
class Gist:
    """What a question asks, whatever its words: the terms that mean something, its form ("why", "when", …, "" for any
    other, None where nothing tells), what it goes from and to, whether it asks what its only term is, and its codes:
    words with marks inside, and options."""

    terms: frozenset[str]
    form: str | None
    directions: frozenset[tuple[str, str]]
    defines: bool = False
    codes: frozenset[str] = frozenset()


def gist_of(text: str, spelt: Mapping[str, str] = {}) -> Gist:
    """The gist of a question; `spelt` has the known word for each misspelt one."""
    low = text.lower().replace("’", "'")
    words = [spelt.get(word, word) for word in WORD.findall(low)]
    terms: set[str] = set()
    every: list[str] = []
    for word in words:
        if word in _NEGATION or _NEGATED.search(word):
            terms.add(_NOT)
            continue
        term = leader(stem(word.removesuffix("'s")))
        every.append(term)
        if word not in STOP_WORDS and term not in FRAME and term not in _LIGHT:
            terms.add(term)
    form = next((name for name, pattern in _FORMS if pattern.search(low)), None)
    if form is None and _ASKS.search(low):
        form = ""
    if not terms - {_NOT}:
        terms.update(every)
    ways = frozenset((leader(stem(found["one"])), leader(stem(found["other"]))) for found in _DIRECTION.finditer(low))
    defines = len(terms) == 1 and read(text).defines
    codes = frozenset(stem(code) for code in _CODE.findall(low))
    return Gist(frozenset(terms), form, frozenset(way for way in ways if set(way) <= terms), defines, codes)


def same(one: Gist, other: Gist, rarity: Mapping[str, float]) -> bool:
    """Whether two questions ask the same: both have at least 0.85 of the weight of their terms, a term weighing by its
    rarity; neither negates what the other does not, nor turns a direction round; and their forms agree. Of a single term
    either both ask what it is, or neither does."""
    if one.form != other.form and one.form is not None and other.form is not None:
        return False
    if (_NOT in one.terms) != (_NOT in other.terms):
        return False
    if one.defines != other.defines or _other_codes(one.codes, other.codes):
        return False
    if any((b, a) in other.directions for a, b in one.directions):
        return False
    apart = one.terms ^ other.terms
    if not apart:
        return True
    if any(term[0].isdigit() for term in apart):
        return False
    weigh = rarity.get
    whole = sum(weigh(term, 1.0) for term in one.terms | other.terms)
    return sum(weigh(term, 1.0) for term in one.terms & other.terms) >= ALIKE * whole


def _other_codes(one: frozenset[str], other: frozenset[str]) -> bool:
    """Whether two questions name different codes; an option that only one of them names counts, a word that only one
    writes with a mark does not."""
    return one != other and bool((one and other) or any(code.startswith("-") for code in one | other))


def wording_key(text: str) -> str:
    """What two questions share that are the same word for word: their words in order, in lower case."""
    return " ".join(WORD.findall(text.lower().replace("’", "'")))


def fold(texts: Sequence[str], counts: Sequence[int] = (), known: Iterable[str] = ()) -> list[int]:
    """For each question the place of the one that stands for it: of those that ask the same the one asked most often, of
    equals the first. `known` are words of the documents, which are no misspellings."""
    weights = list(counts) or [1] * len(texts)
    by_wording: dict[str, int] = {}
    firsts: list[int] = []  # the first place of each wording
    stands: list[int] = []
    asked: dict[int, int] = {}
    for place, text in enumerate(texts):
        first = by_wording.setdefault(wording_key(text), place)
        if first == place:
            firsts.append(place)
        stands.append(first)
        asked[first] = asked.get(first, 0) + weights[place]
    spelt = _spelt([texts[place] for place in firsts], known)
    gists = {place: gist_of(texts[place], spelt) for place in firsts}
    rarity = _rarity(list(gists.values()))
    weights_of = {place: sum(rarity[term] for term in gist.terms) for place, gist in gists.items()}
    order = sorted(firsts, key=lambda place: (-asked[place], place))
    with_term: dict[str, list[int]] = {}
    exact: dict[tuple[frozenset[str], str | None], int] = {}
    into: dict[int, int] = {}
    for place in order:
        gist = gists[place]
        rarest = sorted(gist.terms, key=lambda term: (-rarity[term], term))[:2]
        found = exact.get((gist.terms, gist.form))
        if found is None or not same(gist, gists[found], rarity):
            low, high = ALIKE * weights_of[place], weights_of[place] / ALIKE  # beyond these they can't be alike
            near = dict.fromkeys(
                other for term in rarest for other in with_term.get(term, ()) if low <= weights_of[other] <= high
            )
            found = next((other for other in near if same(gist, gists[other], rarity)), None)
        if found is not None:
            into[place] = found
            continue
        into[place] = place
        exact.setdefault((gist.terms, gist.form), place)
        for term in rarest:
            with_term.setdefault(term, []).append(place)
    return [into[first] for first in stands]


def _rarity(gists: Sequence[Gist]) -> dict[str, float]:
    """ln(1 + N ÷ n) of a term in n of N questions; a log of few questions tells little apart, so at least 50 count."""
    counts: dict[str, int] = {}
    for gist in gists:
        for term in gist.terms:
            counts[term] = counts.get(term, 0) + 1
    total = max(50, len(gists))
    return {term: math.log(1 + total / count) for term, count in counts.items()}


def _spelt(texts: Sequence[str], known: Iterable[str]) -> dict[str, str]:
    words = Counter(word for text in texts for word in WORD.findall(text.lower()))
    sound = {word: count for word, count in words.items() if count >= _KNOWN}
    for word in (*known, *NOUNS, *VERBS, *EVERYDAY):
        sound.setdefault(word, 1)
    speller = Speller(sound)
    found = {word: speller.mended(word) for word in words if word not in sound}
    return {word: mended for word, mended in found.items() if mended != word}
