"""What is wrong with a question by itself, whoever wrote it: its form, what it leans on, what its answer adds."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ...text import STOP_WORDS, content_terms, numbers, terms

_LONGEST = 60  # words
_LEANS = re.compile(
    r"\b(?:this|that|the|the above|the given|the following|the present|our) (?:passage|section|text|document|paragraph|chapter|page|"
    r"excerpt|article|table above|context|example above|statement above|quoted?)\b|\b(?:above|below|aforementioned)\b(?=[ ?.,]*$)|"
    r"\b(?:mentioned|described|given|shown|listed|stated) (?:above|below|here|in (?:the|this) (?:text|passage|section|document))\b|"
    r"\baccording to (?:the|this) (?:text|passage|section|document|author)\b|\bwhat does (?:it|this) say\b|^(?:and|but|also|then)\b",
    re.IGNORECASE,
)
_SAYS = re.compile(
    r"\bwhat (?:does|do|did|is said in|is stated in) (?:this|the|that)? ?(?:section|passage|text|document|page)\b",
    re.IGNORECASE,
)
_NAME = re.compile(r"(?<=[\w,;:] )[A-Z][\w’'-]{2,}")


def fault(question: str, answer: str, quotes: Sequence[str], around: Sequence[str] = ()) -> str:
    """Why a question can't be kept, or "". `quotes` are its evidence; `around` what else its wording may draw on: title
    and headings of the passage."""
    words = question.split()
    if len(words) < 2 or len(words) > _LONGEST:
        return "it has too few words, or too many"
    if _LEANS.search(question) or _SAYS.search(question):
        return "it leans on a passage that is not there"
    if not content_terms(question):
        return "it names nothing"
    held = " ".join([*quotes, *around, question])
    figures = set(numbers(answer)) - set(numbers(held))
    if figures:
        return f"the figure {min(figures)} of its answer is not in its evidence"
    known = set(terms(held))
    names = [name for name in _NAME.findall(answer) if name.lower() not in STOP_WORDS]
    strange = [name for name in names if not set(terms(name)) <= known]
    if strange:
        return f"the name {strange[0]} of its answer is not in its evidence"
    return ""
