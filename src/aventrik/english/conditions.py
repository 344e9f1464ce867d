"""Conditions, exceptions, limits of time and words of extent in a sentence: where each stands, and the sentence without it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

# Those that open a condition wherever they stand; the others do so at the start of a sentence.
_ALWAYS = (
    "if", "unless", "when", "whenever", "once", "until", "till", "as long as", "as soon as", "provided that", "except when",
    "except if", "except in", "except for", "except", "only if", "only when", "in case of", "in case", "in the event of",
)  # fmt: skip
_AT_THE_START = (
    *_ALWAYS, "where", "before", "after", "during", "in summer", "in winter", "at night", "at weekends", "without", "on sundays",
)  # fmt: skip


def _any_of(openers: tuple[str, ...]) -> str:
    return "|".join(re.escape(each).replace(r"\ ", r"\s+") for each in sorted(openers, key=len, reverse=True))


_LEADING = re.compile(
    rf"^\W*(?P<whole>(?:{_any_of(_AT_THE_START)}|(?:from|between)(?=\s(?:\d|[A-Z])))\b[^.;:?!]*?,)\s+(?:then\s+)?(?P<rest>\S.*)$",
    re.IGNORECASE | re.DOTALL,
)
_TRAILING = re.compile(
    rf"(?P<whole>,?\s+(?:but\s+)?(?<!\beven )(?:{_any_of(_ALWAYS)})\s+[^,;:.!?]+)(?P<stop>[.;!]|,\s|$)", re.IGNORECASE
)
_ONLY = re.compile(r"(?<!-)\b(?:only|solely|exclusively)\s+(?!if\b|when\b)", re.IGNORECASE)
_EXTENT = re.compile(
    r"(?<!\btoo )(?<!\bas )(?<!\bso )(?<!\bhow )(?<!\bthe )(?<!\bat )(?<!\bnot )\b(?P<whole>most|many|some|"
    r"several|a few|almost all|nearly all|usually|often|sometimes|generally|normally|typically|mostly|in general)"
    r"\b(?P<of>\s+of(?:\s+the)?)?\s+",
    re.IGNORECASE,
)
_LEAST = 3  # words that have to be left
_ASKS = re.compile(
    r"\b(?:know|knows|knowing|tell|tells|determine|determines|decide|decides|deciding|consider|considers|check|checks|checking|see|sees|ask|asks|say|says|sure|"
    r"clear|find out|wonder|learn|remember|understand|detect|detects|test|tests|because|is that|case|cases|"
    r"example|times?|day|moment|point|(?:ask|asks|tell|tells|show|shows)(?:\s\w+){1,3})\s*$",
    re.IGNORECASE,
)
_EMPTY = re.compile(
    r"^(?:only )?(?:if|when|where|once|until|except)?\s*(?:not|so|any|possible|necessary|needed|required|appropriate|applicable|desired|"
    r"you (?:want|like|wish)|further notice|omitted|in doubt)?$",
    re.IGNORECASE,
)


@dataclass(frozen=True)
class Condition:
    """`text` is what binds the rest of the sentence, `rest` the sentence without it; `kind` is "condition", "only" or
    "extent"."""

    text: str
    rest: str
    kind: str = "condition"


@lru_cache(maxsize=1 << 13)
def conditions_in(sentence: str) -> tuple[Condition, ...]:
    """Each condition of a sentence; what is left makes a sentence of three words or more."""
    return tuple(_conditions(sentence))


def _conditions(sentence: str) -> Iterator[Condition]:
    plain = sentence.strip()
    leading = _LEADING.match(plain)
    if leading and _enough(leading["rest"]) and not _EMPTY.match(leading["whole"].rstrip(",")):
        rest = leading["rest"]
        yield Condition(leading["whole"].rstrip(","), rest[:1].upper() + rest[1:])
    start = leading.end("whole") if leading else 0
    for found in _TRAILING.finditer(plain, start):
        rest = plain[: found.start()].rstrip(" ,;") + (plain[found.end("whole") :] or "")
        if _ASKS.search(plain[: found.start()]) or _EMPTY.match(found["whole"].strip(" ,")):
            continue
        if _enough(plain[start : found.start()]):
            yield Condition(found["whole"].strip(" ,"), rest)
    for found in _ONLY.finditer(plain):
        rest = plain[: found.start()] + plain[found.end() :]
        if _enough(rest):
            yield Condition(found[0].strip(), rest[:1].upper() + rest[1:], "only")
    for found in _EXTENT.finditer(plain):
        rest = (
            plain[: found.start()]
            + ((found["of"][3:].strip() + " ").lstrip() if found["of"] else "")
            + plain[found.end() :]
        )
        if _enough(rest):
            yield Condition(found["whole"], rest[:1].upper() + rest[1:], "extent")


def leading_end(sentence: str) -> int:
    """Where the condition ends with which a sentence opens; 0 where it opens with none."""
    found = _LEADING.match(sentence)
    return found.end("whole") if found else 0


def _enough(text: str) -> bool:
    return len(re.findall(r"\w+", text)) >= _LEAST
