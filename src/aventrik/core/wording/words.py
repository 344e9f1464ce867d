"""A sentence as the judge reads it: words with their stems, figures, names, and the clause that each stands in."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

from ..text import STOP_WORDS, stem
from .figures import compound, is_great, is_part, month_of, unit_of, value_of
from .irregular import base
from .notation import in_one_notation
from .synonyms import leader

_TOKEN = re.compile(
    r"\d+(?:[.,:]\d+)*(?:[eE][+-]?\d+)?%?[A-Za-z]{0,4}(?![\w])|[^\W_]+(?:['’][^\W\d_]+)*|[.,;:()—–!?…•|]|--?(?=[A-Za-z])|[/<>=&$£€%]"
)
_HYPHEN = re.compile(r"(?<=[A-Za-z])-(?=[A-Za-z])")
_BREAKS = frozenset(",;:()—–.!?…•|")
_JOINING = frozenset("and or but nor yet so".split())
OPENING = frozenset(
    """if unless when whenever while before after until till except provided because since although though whereas that
    which who whose where once otherwise instead rather than without as lest""".split()
)
# Words that carry little: a claim may have them though its evidence does not.
LIGHT = frozenset(
    stem(word)
    for word in """matter way thing kind sort use used using make made making do done doing have having get getting give
    given take taken taking call called name named word say said says mean means meant part case number one ones whole
    fact order certain particular following specific various known able want need go goes come comes let lets put set
    become becomes keep kept also however therefore thus hence then there here currently example instance e g i etc
    according simply well even please itself themselves respectively actually basically typically generally namely
    document documentation text passage context information answer question""".split()
)
PRONOUNS = frozenset("it its this these that those they them their he she his her such there here which".split())
CLITICS = {"can't": ("can", "not"), "won't": ("will", "not"), "cannot": ("can", "not"), "shan't": ("shall", "not")}


_FUNCTION, _LIGHT = 0.2, 0.4  # weight of a word without a meaning of its own, and of a light one


@dataclass(eq=False)
class Word:
    """`text` as it stands; `term` is what is compared: the stem, put into the leading one of its synonyms, or a figure.
    `clause` and `segment` count up at each break, and at each that begins another case; `sentence` is 1 in the second of two
    that are read as one. `light`: it tells little; `weight` is how much it tells, 1 for content. Nothing changes one."""

    text: str
    lower: str
    term: str
    figure: str = ""
    unit: str = ""
    name: bool = False
    content: bool = False
    clause: int = 0
    segment: int = 0
    sentence: int = 0
    light: bool = False
    weight: float = 1.0


@dataclass(frozen=True)
class _WordToken:
    """What a lower-cased token is wherever it stands: its parts as (word, term, content, light, weight)."""

    parts: tuple[tuple[str, str, bool, bool, float], ...]
    figure: bool
    opens: bool
    turns: bool


@lru_cache(maxsize=1 << 16)
def _token(lower: str) -> _WordToken:
    rows = []
    for part in _parted(lower):
        content = part not in STOP_WORDS
        light = not content or stem(part) in LIGHT
        rows.append((part, _term(part), content, light, _FUNCTION if not content else _LIGHT if light else 1.0))
    figure = value_of(lower) is not None and not month_of(lower)
    return _WordToken(tuple(rows), figure, lower in _JOINING or lower in OPENING, lower in ("otherwise", "else"))


@lru_cache(maxsize=1 << 14)
def words_of(text: str) -> tuple[Word, ...]:
    """The words of one sentence."""
    found: list[Word] = []
    clause, segment, first = 0, 0, True
    pieces = _TOKEN.findall(_HYPHEN.sub(" ", in_one_notation(text)))
    place = 0
    while place < len(pieces):
        piece = pieces[place]
        place += 1
        if piece in _BREAKS:
            clause += 1
            segment += piece == ";"
            continue
        if not piece[0].isalnum():
            continue
        lower = piece.lower().replace("’", "'")
        kind = _token(lower)
        clause += kind.opens
        segment += kind.turns
        figure, taken = _figure(pieces, place - 1) if kind.figure else ("", 0)
        if figure:
            found.append(
                Word(
                    text=piece,
                    lower=lower,
                    term=figure,
                    figure=figure,
                    unit=unit_of(lower),
                    name=False,
                    content=True,
                    clause=clause,
                    segment=segment,
                )
            )
            place += taken - 1
        else:
            named = _is_name(piece) if not first else not piece[1:].islower() and len(piece) > 1 and _is_name(piece)
            found.extend(
                Word(
                    text=piece,
                    lower=part,
                    term=term,
                    figure="",
                    unit="",
                    name=content and named,
                    content=content,
                    clause=clause,
                    segment=segment,
                    sentence=0,
                    light=light,
                    weight=weight,
                )
                for part, term, content, light, weight in kind.parts
            )
        first = False
    return tuple(found)


_FAMILIES = {
    word: group.split()[0]
    for group in (
        "width wide broad breadth", "length long", "depth deep", "height high tall", "weight heavy weigh weighs",
        "speed fast", "costs cost price charge charged fee", "percent per cent percentage", "us usa america american",
        "email e-mail mail", "metre metres meter meters m", "kilometre kilometres kilometer kilometers km",
        "centimetre centimetres cm", "millimetre millimetres mm", "hour hours h hr hrs", "minute minutes min mins",
        "litre litres liter liters l", "kilogram kilograms kg", "beside besides", "among amongst", "while whilst",
        "until till", "okay ok", "photo photograph", "phone telephone",
    )
    for word in group.split()
}  # fmt: skip


def _term(word: str) -> str:
    """What a word is compared by: its family's first, or the leading synonym of its stem."""
    return _FAMILIES.get(word) or leader(stem(base(word)))


def _parted(lower: str) -> tuple[str, ...]:
    if lower in CLITICS:
        return CLITICS[lower]
    if lower.endswith("n't"):
        return (lower[:-3], "not")
    for ending in ("'s", "'re", "'ve", "'ll", "'d", "'m"):
        if lower.endswith(ending) and len(lower) > len(ending):
            return (lower[: -len(ending)],)
    return (lower,)


def _figure(tokens: list[str], place: int) -> tuple[str, int]:
    """(figure, tokens that it takes) at a place; ("", 0) where there is none."""
    lower = tokens[place].lower()
    value = value_of(lower)
    if value is None or month_of(lower):
        return "", 0
    parts = [(lower, value)]
    at = place + 1
    while at < len(tokens) and is_part(tokens[at].lower()) and (is_part(lower) or is_great(tokens[at].lower())):
        parts.append((tokens[at].lower(), str(value_of(tokens[at].lower()))))
        at += 1
    if len(parts) > 1 and not value.startswith("#"):
        return compound(parts), at - place
    if lower in ("one", "second", "once", "double", "first", "half") and not _counts(tokens, place):
        return "", 0
    return value, 1


def _counts(tokens: list[str], place: int) -> bool:
    """Whether a word that need not be a figure is one: 'one lock', not 'one of', 'the one that', 'first remove'."""
    lower = tokens[place].lower()
    behind = tokens[place + 1].lower() if place + 1 < len(tokens) else ""
    if lower in ("one", "once", "double"):
        return False
    if lower == "half":
        return behind in ("past", "a", "an", "of")
    if not behind or behind in _BREAKS:
        if lower == "first":
            return False  # 'comes first'
        return place > 0 and tokens[place - 1][0].isalpha()
    return behind[0].isalnum() and (behind not in STOP_WORDS or behind in ("and", "or", "but"))


def _is_name(token: str) -> bool:
    """Whether a token has a capital, or letters and digits."""
    return not token.islower() or not (token.isalpha() or token.isdigit() or "'" in token or "’" in token)
