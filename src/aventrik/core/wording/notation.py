"""A text with its times, dates and thousands written in one way, so that they can be compared word by word."""

from __future__ import annotations

import re

from .figures import MONTHS, value_of

_HOUR = r"(\d{1,2}|one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve)"
_PAST = re.compile(rf"\b(half|(?:a )?quarter) (past|to) {_HOUR}\b(?: ?o'clock)?( ?[ap]\.?m\b\.?)?", re.IGNORECASE)
_CLOCK = re.compile(r"\b(\d{1,2})(?:[.:](\d{2}))? ?([ap])\.?m\b\.?(?!\w)", re.IGNORECASE)
_OCLOCK = re.compile(rf"\b{_HOUR} o['’]clock\b", re.IGNORECASE)
_NOON = re.compile(r"\b(noon|midnight|midday)\b", re.IGNORECASE)
_MAY_TELL_TIME = re.compile(r"past|quarter|clock|noon|mid(?:night|day)", re.IGNORECASE)
_DIGIT = re.compile(r"\d")
_ISO = re.compile(r"\b(\d{4})-(\d{2})-(\d{2})\b")
_MONTH = "|".join(name.capitalize() for name in MONTHS)
_SHORT = "Jan|Feb|Mar|Apr|Jun|Jul|Aug|Sept?|Oct|Nov|Dec"
_DAY_FIRST = re.compile(rf"\b(\d{{1,2}})(?:st|nd|rd|th)?(?: of)? ({_MONTH}|{_SHORT})\b\.?")
_MONTH_FIRST = re.compile(rf"\b({_MONTH}|{_SHORT})\.? (\d{{1,2}})(?:st|nd|rd|th)?\b(?![.:]\d)(?:,? (?=\d{{4}}\b))?")
_SPACED = re.compile(r"(?<![\d.,])\d{1,3}(?:[  \u2009]\d{3})+(?!\d)")
_PER_CENT = re.compile(r"(?<=\d) ?(?:%|per ?cent\b)")
_NAMES = {name[:3]: name.capitalize() for name in MONTHS}


def in_one_notation(text: str) -> str:
    """'half past four' and '4.30 pm' as 4:30 and 16:30, 'May 3rd, 2031' and '2031-05-03' as 3 May 2031, '1 000' as 1000."""
    if _DIGIT.search(text):
        text = _SPACED.sub(lambda found: re.sub(r"\D", "", found[0]), text)
        text = _ISO.sub(lambda found: _date(int(found[3]), int(found[2]), found[1], found[0]), text)
        text = _MONTH_FIRST.sub(lambda found: f"{int(found[2])} {_month(found[1])} ", text)
        text = _DAY_FIRST.sub(lambda found: f"{int(found[1])} {_month(found[2])}", text)
        text = _CLOCK.sub(lambda found: _clock(int(found[1]), int(found[2] or 0), found[3]), text)
        text = _PER_CENT.sub(" percent", text)
    if not _MAY_TELL_TIME.search(text):
        return text
    text = _PAST.sub(_past, text)
    text = _OCLOCK.sub(lambda found: f"{_hour(found[1])}:00", text)
    return _NOON.sub(lambda found: "0:00" if found[1].lower() == "midnight" else "12:00", text)


def _month(name: str) -> str:
    return _NAMES[name[:3].lower()]


def _date(day: int, month: int, year: str, otherwise: str) -> str:
    return f"{day} {list(_NAMES.values())[month - 1]} {year}" if 1 <= month <= 12 else otherwise


def _hour(word: str) -> int:
    return int(word) if word.isdigit() else int(value_of(word.lower()) or 0)


def _clock(hour: int, minutes: int, half: str) -> str:
    hour = hour % 12 + (12 if half.lower() == "p" else 0)
    return f"{hour}:{minutes:02d}"


def _past(found: re.Match[str]) -> str:
    hour = _hour(found[3])
    minutes = 30 if found[1].lower() == "half" else 15
    if found[2].lower() == "to":
        hour, minutes = hour - 1, 60 - minutes
    half = (found[4] or "").strip()[:1]
    return _clock(hour, minutes, half) if half else f"{hour}:{minutes:02d}"
