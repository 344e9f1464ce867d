"""Which passages can be asked about: not lists of contents, indexes, change logs, code, nor what stands everywhere."""

from __future__ import annotations

import re

from ...documents import Document
from ...documents.spans import text_of, without
from ...text import WORD
from ...vetting.language import guess

_NAMED = re.compile(
    r"^(?:\d[\d.]*\s+)?(?:table of )?contents$|^(?:general |back-?of-the-?book )?index$|^(?:release notes|change ?log|changes|history of "
    r"changes|revision history|document history|bibliography|references|acknowledge?ments|copyright(?: notice)?|licen[cs]e|"
    r"list of (?:figures|tables|examples)|about this document|credits|colophon)$",
    re.IGNORECASE,
)
_ENTRY = re.compile(r"(?:\.{3,}|…|\s|,)\s*\d{1,4}(?:\s*[,–-]\s*\d{1,4})*$")
_VERSION = re.compile(
    r"^(?:[-*•]\s*)?(?:v(?:ersion|er|\.)?\s*)?\d+\.\d+[\w.~+-]*\b|^\d{4}-\d\d-\d\d\b|^(?:[-*•]\s*)?(?:closes|fix(?:es|ed)?|bug)\b",
    re.IGNORECASE,
)
_LINES = 4
_TOO_SHORT = 30  # words of which no language need be known
_MOST = 0.6
FIT = 2  # the least grade (0 to 3) of a passage that is asked about


def english(text: str) -> bool:
    """Whether a text is in English, which is all that the offline rules can work on; of one whose language can't be told,
    whether it is too short to tell."""
    tongue, _ = guess(text)
    return tongue == "English" if tongue else len(WORD.findall(text)) < _TOO_SHORT


def prose(document: Document, start: int, end: int) -> str:
    """The text of a range without what lies in table rows and code, whose words tell no language."""
    away = [(max(start, part.start), min(end, part.end)) for part in document.of_kind("row", "code")]
    return text_of(document.text, without([(start, end)], [piece for piece in away if piece[0] < piece[1]]))


def unfit(document: Document, start: int, end: int) -> str:
    """Why nothing should be asked about a passage of a document; empty where something may be."""
    text = document.text[start:end]
    for heading in document.heading_path(start):
        if _NAMED.match(heading.strip()):
            return f"it stands under '{heading.strip()[:40]}'"
    if not WORD.search(text):
        return "it has no words"
    code = sum(
        min(end, part.end) - max(start, part.start)
        for part in document.of_kind("code")
        if part.start < end and start < part.end
    )
    if code > _MOST * (end - start):
        return "it is code"
    lines = [line.strip() for line in text.split("\n") if line.strip()]
    if len(lines) >= _LINES:
        if sum(bool(_ENTRY.search(line)) and ": " not in line for line in lines) > _MOST * len(lines):
            return "it is a list of contents or an index"
        if sum(bool(_VERSION.match(line)) for line in lines) > _MOST * len(lines):
            return "it is a log of changes"
    if not english(prose(document, start, end)):
        return "it is not in English, or no prose"
    return ""
