"""Words, terms, sentences and an estimate of tokens."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache

import Stemmer

from ..documents.spans import Range

WORD = re.compile(r"\d+(?:[.,:]\d+)*|[^\W\d_]+(?:['’][^\W\d_]+)*|[^\W_]+")
NUMBER = re.compile(r"\d+(?:[.,:]\d+)*")
TOKEN = re.compile(r"[^\W_]{1,6}|[^\w\s]|_")
_BREAK = re.compile(r"""(?P<stop>[.!?]+["'”’)\]]*)(?=[ \t]+["'“‘(\[]?[A-Z0-9])|\n+""")
_ABBREVIATION = re.compile(
    r"(?:^|[\s(\[])(?:e\.g|i\.e|etc|cf|vs|viz|no|nos|fig|figs|dr|mr|mrs|ms|st|sec|ch|vol|pp?|ed|eds|approx|"
    r"dept|inc|ltd|jr|sr|al|[A-Za-z])\.$",
    re.IGNORECASE,
)

STOP_WORDS = frozenset(
    """a about above after again against all also am an and any are as at be because been before being below
    between both but by can could did do does doing down during each either else ever few for from further get
    got had has have having he her here hers him his how however i if in into is it its itself just let may me
    might more most much must my neither no nor not of off on once one only onto or other others ought our ours
    out over own per please rather same shall she should since so some still such than that the their theirs
    them then there these they this those though through thus to too under until up upon us very via was we were
    what when where whether which while who whom whose why will with within without would yes yet you your yours""".split()
)

_stemmer = Stemmer.Stemmer("english", 0)


def words(text: str) -> list[str]:
    """Words and numbers as they stand, in order."""
    return WORD.findall(text)


@lru_cache(maxsize=1 << 19)
def stem(word: str) -> str:
    """The English (Snowball) stem of a lower-cased word."""
    return str(_stemmer.stemWord(word.replace("’", "'")))


def stems_of(words: list[str]) -> list[str]:
    """`stem` of many words at once."""
    return list(_stemmer.stemWords([word.replace("’", "'") for word in words]))


def terms(text: str) -> list[str]:
    """Stemmed, lower-cased words: what keyword search matches."""
    return [stem(word) for word in WORD.findall(text.lower())]


@lru_cache(maxsize=1 << 15)
def content_terms(text: str) -> tuple[str, ...]:
    """`terms` without stop words, in order, repeats kept."""
    return tuple(stem(word) for word in WORD.findall(text.lower()) if word not in STOP_WORDS)


def numbers(text: str) -> list[str]:
    """Figures as they are compared: thousands commas and trailing zeros of decimals taken out."""
    return [plain_number(found) for found in NUMBER.findall(text)]


def plain_number(figure: str) -> str:
    """One figure in a form that two spellings of the same value share: '1,250.00' → '1250'."""
    if ":" in figure:
        return figure
    figure = re.sub(r",(?=\d{3}(?!\d))", "", figure).replace(",", ".")
    if figure.count(".") == 1:
        figure = figure.rstrip("0").rstrip(".")
    return figure.lstrip("0") or "0"


def count_tokens(text: str) -> int:
    """An estimate of language-model tokens: a word counts one for each six letters begun, a mark one."""
    return len(TOKEN.findall(text))


def sentences(text: str, start: int = 0, end: int | None = None) -> Iterator[Range]:
    """Ranges of sentences in text[start:end], without white space at their ends.

    A sentence ends at a full stop, question or exclamation mark that white space and a capital or a figure
    follow, unless an abbreviation or an initial stands before it, and always at a newline.
    """
    end = len(text) if end is None else end
    left = start
    for found in _BREAK.finditer(text, start, end):
        right = found.end("stop") if found["stop"] else found.start()
        if found["stop"] == "." and _ABBREVIATION.search(text, max(left, right - 12), right):
            continue
        yield from _sentence(text, left, right)
        left = found.end() if not found["stop"] else right
    yield from _sentence(text, left, end)


@lru_cache(maxsize=1 << 12)
def sentence_texts(text: str) -> tuple[str, ...]:
    """The sentences of a text; those of texts that were asked for lately are held."""
    return tuple(text[start:end] for start, end in sentences(text))


def _sentence(text: str, left: int, right: int) -> Iterator[Range]:
    while left < right and text[left].isspace():
        left += 1
    while right > left and text[right - 1].isspace():
        right -= 1
    if left < right:
        yield (left, right)
