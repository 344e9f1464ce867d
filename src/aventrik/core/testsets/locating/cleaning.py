"""Lines of a log as questions: made plain, personal data masked, and those that ask nothing told apart."""

from __future__ import annotations

import re

from ...text import WORD
from ...vetting.personal import names_beside, personal_data

LONGEST = 2000  # characters of a question: more is a pasted text
_NOT_SHOWN = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff]")
_NAMED = re.compile(
    r"\b(?i:my name is|name:|i am|i'm|this is|regards,?|best wishes,?|yours,?) (?P<name>[A-Z][a-z]+(?:[ -][A-Z][a-z]+){1,2})\b",
)
_CHATTER = re.compile(
    r"^(?:h(?:i|ello|ey)|good (?:morning|afternoon|evening|day)|th(?:anks|ank you|x)(?: (?:a lot|very much|so much|again))?|"
    r"cheers|ok(?:ay)?|great|perfect|yes|no|bye|goodbye|see you|test(?:ing)?|please|never mind|help)(?: there| all| everyone)?$",
    re.IGNORECASE,
)


def plain(text: str) -> str:
    """A line without control and invisible characters, its white space single."""
    return " ".join(_NOT_SHOWN.sub(" ", text).split())


def no_question(text: str) -> str:
    """Why a plain line is no question; empty for one that may be one."""
    words = WORD.findall(text)
    if not words:
        return "it has no words"
    if len(text) > LONGEST:
        return f"it is longer than {LONGEST:,} characters"
    if not any(any(letter.isalpha() for letter in word) for word in words):
        return "it has figures alone"
    if _CHATTER.match(" ".join(words)):
        return "it only greets, thanks or tries out"
    return ""


def masked(text: str) -> tuple[str, tuple[str, ...]]:
    """A line with every piece of personal data replaced by its kind in brackets, and the kinds, each once."""
    places = [(start, end, kind) for kind, (start, end) in personal_data(text)]
    ranges = [(start, end) for start, end, _ in places]
    places.extend((start, end, "name") for start, end in names_beside(text, ranges))
    places.extend((*found.span("name"), "name") for found in _NAMED.finditer(text))
    out: list[str] = []
    last = 0
    kinds: list[str] = []
    for start, end, kind in sorted(places):
        if start < last:
            continue
        out.extend((text[last:start], f"[{kind}]"))
        last = end
        kinds.append(kind)
    return "".join([*out, text[last:]]), tuple(dict.fromkeys(kinds))
