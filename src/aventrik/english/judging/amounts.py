"""Amounts in a text, with arithmetic: whether a figure follows from those that a text gives, in one step."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from itertools import combinations

from ...core.wording.figures import MONTHS, month_of, value_of
from .units import base_amount

_AMOUNT = re.compile(
    r"(?P<money>[£$€])?\s?(?P<figure>\d{1,3}(?:,\d{3})+(?:\.\d+)?|\d+(?:\.\d+)?)\s?-?(?P<percent>%|per ?cent)?(?P<unit>[A-Za-z]+)?|"
    r"\b(?P<word>two|three|four|five|six|seven|eight|nine|ten|eleven|twelve|twenty|thirty|forty|fifty|sixty|ninety|hundred|dozen|half|quarter|"
    r"twice|double|once|third|every|each|a|an)\b(?:\s(?:of\s)?(?:an?\s|the\s)?(?P<behind>[A-Za-z]+))?"
)
_CLOCK = re.compile(r"\b(\d{1,2})(?:[:.](\d{2}))?\s?([ap])\.?m\b|\b(\d{1,2}):(\d{2})\b", re.IGNORECASE)
_DATE = re.compile(rf"\b(\d{{1,2}})\s({'|'.join(MONTHS)})(?:\s(\d{{4}}))?\b", re.IGNORECASE)
_YEAR = re.compile(r"\b(1[5-9]\d\d|20\d\d)\b")
_RATE = re.compile(
    r"\b(?:every|each|per|a|an)\s(?:(\w+)\s)?(second|minute|hour|day|week|fortnight|month|quarter|year)s?\b|\b(hourly|daily|weekly|monthly|quarterly|yearly|annually)\b"
)
_LY = {
    "hourly": "hour",
    "daily": "day",
    "weekly": "week",
    "monthly": "month",
    "quarterly": "quarter",
    "yearly": "year",
    "annually": "year",
}
_DAYS = {
    "second": 1 / 86400, "minute": 1 / 1440, "hour": 1 / 24, "day": 1.0, "week": 7.0, "fortnight": 14.0, "month": 365.25 / 12,
    "quarter": 365.25 / 4, "year": 365.25,
}  # fmt: skip
_FRACTIONS = {"half": 0.5, "quarter": 0.25, "third": 1 / 3, "twice": 2.0, "double": 2.0, "once": 1.0, "dozen": 12.0}
_MOST = 12  # amounts of a text that are reckoned with
_EXACT = 1e-9  # relative, for what is given whole; what has decimals may be rounded to them


@dataclass(frozen=True)
class Amount:
    """`value` in the base unit of its `dimension` ("" for a bare number, a currency's sign for money, "%" for a share)."""

    value: float
    dimension: str = ""
    bare: float = 0.0  # the figure as it is written


@lru_cache(maxsize=1 << 12)
def amounts_in(text: str) -> tuple[Amount, ...]:
    """The amounts of a text in order: figures with their units, money, shares, figures in words."""
    return tuple(_amounts(text))


def _amounts(text: str) -> Iterator[Amount]:
    for found in _AMOUNT.finditer(text):
        if found["figure"]:
            value, unit = float(found["figure"].replace(",", "")), found["unit"] or _next_word(text, found.end())
            if found["money"]:
                yield Amount(value, found["money"], value)
            elif found["percent"]:
                yield Amount(value / 100, "%", value)
            else:
                yield _in_base(value, unit)
        elif found["word"] not in ("every", "each", "a", "an"):
            value_ = _FRACTIONS.get(found["word"]) or float(value_of(found["word"]) or 0)
            if value_:
                yield _in_base(value_, found["behind"] or "")


def _next_word(text: str, at: int) -> str:
    found = re.match(r"\s?-?([A-Za-z]+)", text[at:])
    return found[1] if found else ""


def _in_base(value: float, unit: str) -> Amount:
    known = base_amount(value, unit)
    return Amount(*known, value) if known else Amount(value, "", value)


def bears_out(claim: str, figure: str, text: str) -> bool:
    """Whether a figure of a claim (`claim` is the words around it) follows from what a text gives in one step: a conversion of units, a
    sum, a difference, a product or a ratio of two amounts, a rate told in another way, the time between two dates or clock times."""
    try:
        bare = float(figure)
    except ValueError:
        return False
    own = [each for each in amounts_in(claim) if _near(each.bare, bare)] or [Amount(bare, "", bare)]
    given = amounts_in(text)[:_MOST]
    spans = _spans(text)
    return any(_one_step(each, given, spans) for each in own) or _same_rate(claim, bare, text)


def _one_step(wanted: Amount, given: tuple[Amount, ...], spans: tuple[float, ...]) -> bool:
    dimension = wanted.dimension
    if dimension in ("time", "") and any(_near(wanted.value / (86400 if dimension else 1), each) for each in spans):
        return True
    if dimension == "months" and any(_near(wanted.value * 365.25 / 12, each, 0.03) for each in spans):
        return True
    if dimension and any(each.dimension == dimension and _near(wanted.value, each.value) for each in given):
        return True
    # A figure without a unit is compared with the figures of each dimension as they are written.
    groups = [dimension] if dimension else sorted({each.dimension for each in given})
    return any(_reckoned(wanted, group, given) for group in groups)


def _reckoned(wanted: Amount, dimension: str, given: tuple[Amount, ...]) -> bool:
    """Whether an amount is the sum or difference of two of a dimension, the sum of three or four, or one of them times or by a
    count."""
    alike = [each for each in given if each.dimension == dimension]
    numbers = [each.value if wanted.dimension else each.bare for each in alike]
    value = wanted.value if wanted.dimension else wanted.bare
    if any(_near(value, one + two) or _near(value, abs(one - two)) for one, two in combinations(numbers, 2)):
        return True
    for each, one in zip(alike, numbers):
        for other in given:
            if (
                other is not each
                and other.bare not in (0.0, 1.0)
                and (_near(value, one * other.bare) or _near(value, one / other.bare))
            ):
                return True
    return len(numbers) in (3, 4) and _near(value, sum(numbers))


def _near(one: float, two: float, tolerance: float = _EXACT) -> bool:
    """Whether two amounts are the same, `one` perhaps rounded to its decimals."""
    if abs(one - two) <= tolerance * max(abs(one), abs(two), 1e-12):
        return True
    decimals = len(f"{one:.6f}".rstrip("0").partition(".")[2])
    return 0 < decimals < 4 and abs(one - two) <= 0.5 * 10**-decimals + 1e-12


@lru_cache(maxsize=1 << 12)
def _spans(text: str) -> tuple[float, ...]:
    """The times between two dates, years or clock times that a text names, in days; and, of years, in years."""
    found: list[float] = []
    clocks = []
    for each in _CLOCK.finditer(text):
        hour = int(each[1] or each[4]) % 12 + 12 * ((each[3] or "").lower() == "p") if each[3] else int(each[4])
        clocks.append(hour + int(each[2] or each[5] or 0) / 60)
    found.extend(abs(two - one) / 24 for one, two in combinations(clocks, 2))
    days = []
    for each in _DATE.finditer(text):
        try:
            days.append(date(int(each[3] or 2001), month_of(each[2].lower()) or 5, int(each[1])).toordinal())
        except ValueError:
            continue
    for one, two in combinations(days, 2):
        found.extend((abs(two - one), abs(two - one) + 1, 365 - abs(two - one)))
    years = [int(each) for each in _YEAR.findall(text)]
    found.extend(float(abs(two - one)) for one, two in combinations(years, 2))
    return tuple(found)


def _same_rate(claim: str, figure: float, text: str) -> bool:
    """Whether 'twice a year' is said as 'every six months': a rate of the claim of which the figure is a part."""
    return any(_near(one, two, 0.03) for one, part in _rates(claim) if part == figure for two, _ in _rates(text))


def _rates(text: str) -> list[tuple[float, float]]:
    """How often a day something happens, and the figure by which that is told: 'twice a year', 'every six months', '4 times a day',
    'weekly' (1)."""
    found = []
    plain = text.lower()
    for each in _RATE.finditer(plain):
        unit = _LY.get(each[3] or "", each[2])
        value = value_of(each[1] or "") or "1"
        count = float(value) if value[:1].isdigit() and ":" not in value else 1.0
        before = re.search(r"\b(once|twice|thrice|(\w+) times)\s$", plain[: each.start()])
        if before:
            said = value_of(before[2] or "") or "0"
            times = {"once": 1.0, "twice": 2.0, "thrice": 3.0}.get(before[1]) or (
                float(said) if said.isdigit() else 0.0
            )
            found.append((times / _DAYS[unit], times))
        elif not each[0].startswith(("a ", "an ", "per ")):
            found.append((1 / (count * _DAYS[unit]), count))
    return found
