"""Figures as they are compared, however they are written: digits, words, ordinals, clock times, thousands, months."""

from __future__ import annotations

import re

_UNITS = {
    word: value for value, word in enumerate(
        "zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen "
        "eighteen nineteen".split()
    )
}  # fmt: skip
_TENS = {
    word: 10 * value for value, word in enumerate("twenty thirty forty fifty sixty seventy eighty ninety".split(), 2)
}
_GREAT = {"hundred": 100, "thousand": 1_000, "million": 1_000_000, "billion": 1_000_000_000}
_ORDINALS = {
    word: value for value, word in enumerate(
        "first second third fourth fifth sixth seventh eighth ninth tenth eleventh twelfth".split(), 1
    )
}  # fmt: skip
_TIMES = {"once": 1, "twice": 2, "thrice": 3, "half": 0.5, "dozen": 12, "nought": 0, "nil": 0, "double": 2, "triple": 3}
MONTHS = {
    word: place for place, word in enumerate(
        "january february march april may june july august september october november december".split(), 1
    )
}  # fmt: skip
_SHORT_MONTHS = {name[:3]: place for name, place in MONTHS.items()}
_CLOCK = re.compile(r"(\d{1,2})[:.](\d{2})(?::\d{2})?")
_JOINED = re.compile(r"(\d+(?:[.,]\d+)*)(st|nd|rd|th|[a-z]{1,4}|%)")
_DECIMAL_COMMA = re.compile(r"\d+,\d{1,2}")
_EXPONENT = re.compile(r"\d+(?:\.\d+)?e[+-]?\d+")


def value_of(word: str) -> str | None:
    """The figure that one lower-cased word or figure is, in a form that all spellings share; None for any other word.

    '1,000', '1000.0' and '1e3' are '1000'; '1,5' is '1.5'; 'three' is '3'; 'third' and '3rd' are '#3'; '4:30' and '04.30'
    with a colon keep their minutes; '18m' is '18'. A month is no figure here.
    """
    if word[:1].isdigit():
        return _written(word)
    if word in _UNITS:
        return str(_UNITS[word])
    if word in _TENS:
        return str(_TENS[word])
    if word in _ORDINALS:
        return f"#{_ORDINALS[word]}"
    if word in _TIMES:
        return plain(_TIMES[word])
    if word in _GREAT:
        return str(_GREAT[word])
    return None


def _written(word: str) -> str | None:
    if ":" in word:
        clock = _CLOCK.fullmatch(word)
        return f"{int(clock[1])}:{clock[2]}" if clock else word
    if _EXPONENT.fullmatch(word):
        return plain(float(word))
    joined = _JOINED.fullmatch(word)
    if joined and joined[2] in ("st", "nd", "rd", "th"):
        return f"#{joined[1]}"
    figure = joined[1] if joined else word
    if not re.fullmatch(r"\d+(?:[.,]\d+)*", figure):
        return None
    if _DECIMAL_COMMA.fullmatch(figure):
        figure = figure.replace(",", ".")
    if re.fullmatch(r"\d{1,3}(?:,\d{3})+(?:\.\d+)?", figure):
        figure = figure.replace(",", "")
    if re.fullmatch(r"\d{1,3}(?:\.\d{3}){2,}", figure):
        figure = figure.replace(".", "")
    if figure.count(".") > 1 or "," in figure:
        return figure  # a version, a list
    return plain(float(figure)) if len(figure) < 16 else figure


def unit_of(word: str) -> str:
    """The unit that is written onto a figure: 'm' of '18m'; empty where there is none."""
    joined = _JOINED.fullmatch(word)
    return joined[2] if joined and joined[2] not in ("st", "nd", "rd", "th") else ""


def compound(values: list[tuple[str, str]]) -> str:
    """The figure that adjoining words make: [('twenty', '20'), ('five', '5')] → '25', [('3', '3'), ('million', '1000000')]
    → '3000000'."""
    total, part = 0.0, 0.0
    for word, value in values:
        if word in _GREAT:
            part = max(part, 1) * _GREAT[word]
            if word != "hundred":
                total, part = total + part, 0.0
        else:
            part += float(value)
    return plain(total + part)


def is_part(word: str) -> bool:
    """Whether a word can be a part of a figure of several words."""
    return word in _UNITS or word in _TENS or word in _GREAT


def is_great(word: str) -> bool:
    """Whether a word multiplies the figure before it."""
    return word in _GREAT


def month_of(word: str) -> int:
    """The place of a month in the year, 1 to 12; 0 for any other word. 'may' alone is no month."""
    if word == "may":
        return 0
    return MONTHS.get(word, 0) or (_SHORT_MONTHS.get(word, 0) if word != "mar" else 3)


def within(figure: str, low: str, high: str) -> bool:
    """Whether a figure lies in a range of figures; False where one of the three is no plain number."""
    try:
        return float(low) <= float(figure) <= float(high)
    except ValueError:
        return False


def plain(value: float) -> str:
    """A number without the zeros behind its point."""
    return f"{value:.10f}".rstrip("0").rstrip(".") if value % 1 else str(int(value))
