"""Questions that lean on the one before in their conversation ("and this year?")."""

from __future__ import annotations

import re

from ...text import STOP_WORDS, WORD, stem
from ...wording.asking import FRAME

_FEW = 3  # things that a question names, from which it stands alone though it points back
_TIMES = frozenset("year month week day morning evening night today tomorrow now last next".split())
_OPENING = re.compile(
    r"^(?:and|but|so|or|then|also|ok|okay|what about|how about|what if|and what|same)\b", re.IGNORECASE
)
_POINTING = re.compile(
    r"\b(?:it|its|they|them|their|there|then|that|those|these|this(?! (?:year|month|week|morning|evening|summer|winter)\b)|"
    r"he|she|him|her|one|ones|same|instead|too|either|else|otherwise)\b",
    re.IGNORECASE,
)
_BARE = re.compile(
    r"^(?:why|when|where|how|who|which|which one|how much|how many|how long|how far|how come)(?: not)?\W*$", re.I
)
_ASKED = re.compile(
    r"\b(?:how|what|whats|when|where|who|which|why|is|are|do|does|did|can|could|may|must|should|will|would)\b", re.I
)


def leans(question: str) -> bool:
    """Whether a question seems to need the one before it: it asks bare ("when?"), begins as one that goes on ("and …") and
    names few things, or points back while it names hardly anything."""
    if _BARE.match(question):
        return True
    words = WORD.findall(question)
    names = {word for word in map(str.lower, words) if _names(word)}
    if _OPENING.match(question) and len(names) < _FEW:
        return True
    if not names:
        return len(words) <= 6 and bool(_ASKED.search(question) or _POINTING.search(question))
    pointing = _POINTING.search(question)
    return pointing is not None and len(names) < 2 and not _opens(question)


def _names(word: str) -> bool:
    """Whether a word names something: no small word, no word that frames a question, no figure, no day or season."""
    return word not in STOP_WORDS and word not in _TIMES and not word[0].isdigit() and stem(word) not in FRAME


def _opens(question: str) -> bool:
    """Whether it says "is there …" or "there is …", which points at nothing."""
    return bool(
        re.search(
            r"\b(?:is|are|was|were|be|will|if|does|do|can) there\b|\bthere (?:is|are|was|a|any)\b", question, re.I
        )
    )
