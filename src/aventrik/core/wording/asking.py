"""A question as the answerer reads it: what it is about, in all words that may stand for it, and what kind of thing it asks for."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import lru_cache

from ..text import STOP_WORDS, stem
from ..text.spelling import LETTERS, one_apart
from .everyday import OTHERS
from .figures import MONTHS
from .notation import in_one_notation
from .synonyms import GROUPS
from .thesaurus import NOUNS, VERBS
from .words import Word, words_of

# Words that frame a question and name nothing: what they ask about stands beside them.
FRAME = frozenset(
    stem(word)
    for word in """how what when where who whom whose which why much many often far soon tell know please want need like
    anyone somebody someone anybody anything something mean means meant call called happen happens happened do does did doing thing things
    way ways ok okay allowed allow permitted possible get got go going come say says kind sort give
    find out help look looking question answer explain understand rule rules apply there exist able have has hello hi thanks learn
    whats hows wheres whos im ive dont cant isnt whether also still just really actually""".split()
)
_AFTER_HOW = frozenset("long old late early wide deep high tall big large fast heavy thick hot cold close near".split())
# Words that say what kind of value is asked for, which an answer gives without naming it.
_TYPES = frozenset(
    """day days date dates time times year years month months week weeks hour hours minutes speed number amount place places
    person people way ways length width height depth size weight age price cost distance reading rate reason name part""".split()
)
_LEANT = 0.4  # what a word counts that a part of a question takes from another part

_MONTH_NAMES = "january|february|march|april|may|june|july|august|september|october|november|december"
# What a question asks for, and how an answer shows that it gives that.
WANTED: tuple[tuple[re.Pattern[str], re.Pattern[str]], ...] = tuple(
    (re.compile(question, re.IGNORECASE), re.compile(value, re.IGNORECASE))
    for question, value in (
        (
            r"\b(?:how much|whats?|which)\b.*\b(?:costs?|pays?|charged?|charges|fees?|price|fine|deposit|penalty)\b",
            r"[£$€]\s?\d|\b\d[\d.,]*\s?(?:pounds|dollars|euros|pence|cents)|\bfree\b|\bno (?:fee|charge)\b",
        ),
        (
            r"\bhow (?:many|much|long|wide|deep|high|tall|far|fast|old|often|big|heavy|large)\b",
            r"\d|\b(?:one|two|three|four|five|six|seven|eight|nine|ten|dozen|half|twice|once|none|no limit|unlimited|every|daily|weekly)\b",
        ),
        (
            r"^when\b|\bwhen (?:do|does|is|are|was|were|will|can|may|must|did|should)\b|"
            r"\bwhat (?:time|date|day|year|month)\b|\bhow (?:late|early|soon)\b",
            rf"\d|\b(?:{_MONTH_NAMES}|monday|tuesday|wednesday|thursday|friday|saturday|sunday|noon|midnight|dawn|dusk|"
            r"sunset|sunrise|before|after|"
            r"during|once|while|when|summer|winter|spring|autumn|immediately|always|never)\b",
        ),
        (
            r"^where\b|\bwhere (?:do|does|is|are|can|may|must|should|was|were)\b",
            r"\b(?:at|in|on|to|from|near|by|under|behind|beside|between)\b|/|https?:",
        ),
        (
            r"^who\b|\bwhom?\b|\bwhose\b",
            r"[A-Z][a-z]+|\b(?:the|a|an|any|every) \w+|\b(?:you|owner|office|desk|team|keeper|skipper|staff)\b",
        ),
        (
            r"^why\b|\bwhy (?:do|does|is|are|was|were|must|can|should)\b",
            r"\b(?:because|since|so that|as|to|due|reason|for|otherwise|in order)\b",
        ),
        (
            r"\bwhat (?:should|must|do|does|can|may|is to be)\b.*\bdone?\b",
            r"\b(?:must|should|may|can|shall|never|always|has to|have to|is to|are to|do not)\b",
        ),
        (r"^(?:can|may|must|is|are|does|do|should|will|am|has|have|could|was|were)\b", r"."),
    )
)  # fmt: skip


@dataclass(frozen=True)
class NamedThing:
    """Something that a question names: the word, the terms that may stand for it with how well (0 to 1), whether it is a
    name or a figure."""

    word: str
    terms: dict[str, float]
    name: bool = False
    figure: str = ""
    weight: float = 1.0


_DEFINES = re.compile(
    r"\bmeant by\b|\bmeaning of\b|\bstands? for\b|\bdefin(?:e|ition)\b|\bdoes .* mean\b|"
    r"^what(?:'s| is| are)? (?:an? )?[\w -]+\??$|\btell me what (?:an? )?[\w -]+ (?:is|are)\b|come across\b",
    re.IGNORECASE,
)
_COLUMN = re.compile(
    r"\bhow many\b.*\b(?:does|do|has|have)\b|\bwhat (?:is|are) the\b.*\b(?:of|for)\b|\bwhich (?:is|has)\b",
    re.IGNORECASE,
)


_VERB = r"(?:does|do|did|is|are|was|were|has|have|had|must|may|can|should|will|apply|applies)"
_FOCUS = tuple(
    re.compile(pattern, re.IGNORECASE)
    for pattern in (
        rf"\bhow many (?P<focus>(?:[\w'’-]+ ){{0,2}}?[\w'’-]+) {_VERB}\b",
        rf"\b(?:what|which) (?!{_VERB}\b)(?P<focus>(?:[\w'’-]+ ){{0,2}}?[\w'’-]+) {_VERB}\b",
        r"\b(?:what|who)(?:'s| is| are| was| were) the (?P<focus>(?:[\w'’-]+ ){0,3}?[\w'’-]+) (?:of|for|at|in|on|between|to)\b",
    )
)
_DATE = re.compile(rf"\b(\d{{1,2}}) ({'|'.join(name.capitalize() for name in MONTHS)})\b")


@dataclass(frozen=True)
class ReadQuestion:
    """`about` what the question names; `form` the pattern that an answer of its kind has, None where any sentence may;
    whether it asks for a definition (`defines`), or for a property of a thing (`column`);
    `focus` the word of `about` that says of what kind the answer is ('headroom' of 'What headroom has …?'); `dates` the days
    that it names, as (day, month)."""

    about: tuple[NamedThing, ...]
    form: re.Pattern[str] | None
    defines: bool = False
    column: bool = False
    focus: str = ""
    dates: frozenset[tuple[str, str]] = frozenset()


def leaning(question: ReadQuestion, subject: str) -> ReadQuestion:
    """A question with what it leans on: the things that `subject` names and it does not, at a part of their weight; all
    of it for a question that names nothing."""
    terms = {term for asked in question.about for term in asked.terms}
    weight = _LEANT if question.about else 1.0
    more = tuple(
        replace(asked, name=False, weight=weight) for asked in read(subject).about if not terms & set(asked.terms)
    )  # fmt: skip
    return replace(question, about=(*question.about, *more))


@lru_cache(maxsize=1 << 12)
def read(text: str) -> ReadQuestion:
    """What a question asks for and about."""
    words = words_of(text)
    named = any(c.isupper() for c in text[1:])
    about: dict[str, NamedThing] = {}
    for before, word in zip([None, *words], words):
        if not word.content or (stem(word.lower) in FRAME and not word.figure):
            continue
        if before is not None and before.lower in ("how", "hows") and word.lower in _AFTER_HOW:
            continue
        about.setdefault(word.term, NamedThing(word.lower, standing_for(word), word.name and named, word.figure))
    form = next((value for kind, value in WANTED if kind.search(text)), None)
    defines = bool(_DEFINES.search(text)) and len(about) <= 4
    focus = next((found["focus"].split()[-1] for kind in _FOCUS if (found := kind.search(text))), "").lower()
    focus = focus if focus not in _TYPES and any(asked.word == focus for asked in about.values()) else ""
    form = None if form is not None and form.pattern == "." else form  # any sentence answers yes or no
    return ReadQuestion(tuple(about.values()), form, defines, bool(_COLUMN.search(text)), focus, dates_of(text))


def dates_of(text: str) -> frozenset[tuple[str, str]]:
    """The days that a text names, as (day, month)."""
    return frozenset(_DATE.findall(in_one_notation(text)))


def standing_for(word: Word) -> dict[str, float]:
    """The terms that may stand for a word: itself, 1; its synonyms, less."""
    found = {word.term: 1.0, stem(word.lower): 1.0}
    if word.figure:
        return found
    singular = word.lower[:-1] if word.lower.endswith("s") else word.lower
    others: set[str] = set()
    for form in (word.lower, singular):
        others.update(GROUPS.get(form, ()))
        for table in (NOUNS, VERBS):
            others.update(other for other in table.get(form, ()) if " " not in other)
            others.update(_BACK.get(form, ()))
    for other in others:
        if other not in STOP_WORDS:
            found.setdefault(stem(other), 0.8)
    for term in OTHERS.get(stem(word.lower), ()):
        found.setdefault(term, 0.7)
    return found


def _backwards() -> dict[str, tuple[str, ...]]:
    """For each single word of the thesaurus the words that it may stand for."""
    found: dict[str, list[str]] = {}
    for table in (NOUNS, VERBS):
        for first, others in table.items():
            for other in others:
                if " " not in other:
                    found.setdefault(other, []).append(first)
    return {word: tuple(firsts) for word, firsts in found.items()}


_BACK = _backwards()


def spelt(word: str, known: frozenset[str]) -> str:
    """The one known word that differs from a word by a letter (left out, added, changed, or two swapped); empty where there
    is none or several."""
    if len(word) < LETTERS or word in known:
        return ""
    near = [
        other for other in known if abs(len(other) - len(word)) <= 1 and other[0] == word[0] and one_apart(word, other)
    ]
    return near[0] if len(near) == 1 else ""
