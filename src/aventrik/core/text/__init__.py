"""Words, terms, sentences and an estimate of tokens."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache

import Stemmer

from ..documents.spans import Range
from .word import STOP_WORDS, WORD

# Scripts that are written without white space between words, or whose words carry their endings in writing.
_UNSPACED = (
    "\u0e00-\u0e7f\u3005-\u3007\u3040-\u30ff\u31f0-\u31ff\u3400-\u4dbf\u4e00-\u9fff\uac00-\ud7af\uf900-\ufaff"
    "\uff66-\uff9d\U00020000-\U0003ffff"
)
_OF_UNSPACED = re.compile(rf"[{_UNSPACED}]")
_RUN = re.compile(rf"[{_UNSPACED}]+|[^{_UNSPACED}]+")
NUMBER = re.compile(r"\d+(?:[.,:]\d+)*")
TOKEN = re.compile(r"[^\W_]{1,6}|[^\w\s]|_")
_BREAK = re.compile(
    r"""(?P<stop>[.!?]+["'”’)\]»]*)(?=[ \t]+["'“‘„(\[«¿¡]*(?P<next>\w))|"""
    r"""(?P<full>[。！？｡]+[」』”’）】〉》"']*|[।॥؟۔։።]+["'”’)\]»]*(?=\s))|\n+"""
)
_ABBREVIATION = re.compile(
    r"(?:^|[\s(\[])(?:e\.g|i\.e|etc|cf|vs|viz|no|nos|fig|figs|dr|mr|mrs|ms|st|sec|ch|vol|pp?|ed|eds|approx|"
    r"dept|inc|ltd|jr|sr|al|bzw|usw|ca|evtl|ggf|inkl|abs|art|nr|str|hr|mme|mlle|env|sra|ud|uds|núm|pág|av|[^\W\d_])\.$",
    re.IGNORECASE,
)

_stemmer = Stemmer.Stemmer("english", 0)


def words(text: str) -> list[str]:
    """Words and numbers as they stand, in order."""
    return WORD.findall(text)


@lru_cache(maxsize=1 << 19)
def stem(word: str) -> str:
    """The English (Snowball) stem of a lower-cased word."""
    return str(_stemmer.stemWord(word.replace("’", "'")))


def stems_of(words: list[str], language: str = "english") -> list[str]:
    """The stems of many lower-cased words at once; of a language without a stemmer the words themselves."""
    plain = [word.replace("’", "'") for word in words]
    if language == "english":
        return list(_stemmer.stemWords(plain))
    from .languages import stemmer

    found = stemmer(language)
    return plain if found is None else list(found.stemWords(plain))


def pieces_of(word: str) -> list[str]:
    """What a word is matched by: itself, but for its stretches of Chinese, Japanese, Korean or Thai letters each two that
    stand beside each other (a single one by itself)."""
    if word.isascii() or not _OF_UNSPACED.search(word):
        return [word]
    found: list[str] = []
    for run in _RUN.findall(word):
        pairs = len(run) > 1 and _OF_UNSPACED.match(run)
        found.extend([run[place : place + 2] for place in range(len(run) - 1)] if pairs else [run])
    return found


def terms(text: str, language: str = "english") -> list[str]:
    """Stemmed, lower-cased words, of scripts without white space pairs of letters: what keyword search matches."""
    found = WORD.findall(text.lower())
    if not text.isascii():
        found = [piece for word in found for piece in pieces_of(word)]
    if language == "english":
        return [stem(word) for word in found]
    return stems_of(found, language)


@lru_cache(maxsize=1 << 15)
def content_terms(text: str) -> tuple[str, ...]:
    """`terms` without stop words, in order, repeats kept."""
    found = [word for word in WORD.findall(text.lower()) if word not in STOP_WORDS]
    if not text.isascii():
        found = [piece for word in found for piece in pieces_of(word)]
    return tuple(stem(word) for word in found)


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

    A sentence ends at a full stop, question or exclamation mark that white space and a capital, a figure, or a letter of a
    script without capitals follow, unless an abbreviation or an initial stands before it; at the full stops of scripts
    that have their own; and always at a newline.
    """
    end = len(text) if end is None else end
    left = start
    for found in _BREAK.finditer(text, start, end):
        stop = found["stop"]
        right = found.end("stop") if stop else found.end("full") if found["full"] else found.start()
        if stop and not _may_begin(found["next"]):
            continue
        if stop == "." and _ABBREVIATION.search(text, max(left, right - 12), right):
            continue
        yield from _sentence(text, left, right)
        left = right if stop else found.end()
    yield from _sentence(text, left, end)


def _may_begin(letter: str) -> bool:
    """Whether a sentence may begin with a letter: a capital, a figure, or a letter of a script without capitals."""
    return letter.isupper() or letter.isdigit() or (letter.isalpha() and letter.lower() == letter.upper())


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
