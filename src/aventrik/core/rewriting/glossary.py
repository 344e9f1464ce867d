"""What abbreviations and house words mean, taken from the documents' own definitions."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from ..documents import Document
from ..text import STOP_WORDS, WORD, sentences, stem

_LONGEST_TERM = 60
_LONGEST_MEANING = 240
_WORDS = 6  # of a term at the most
_LISTS = re.compile(
    r"\b(glossary|definitions?|abbreviations?|acronyms?|terms used|terminology|words used)\b", re.IGNORECASE
)
_TERM_COLUMN = re.compile(r"^(term|word|abbreviation|acronym|short form|name)s?$", re.IGNORECASE)
_MEANING_COLUMN = re.compile(
    r"^(meaning|definition|means|stands for|long form|explanation|full name)s?$", re.IGNORECASE
)
_LINE = re.compile(r"^[-*•]?\s*[“\"'`]?(?P<term>[^:–—=\n]{2,60}?)[”\"'`]?\s*(?::|\s[–—=-]\s)\s*(?P<meaning>\S.{3,})$")
_MEANS = re.compile(
    r"^[\s“\"'`(]*(?:(?:the|an?)\s+)?[“\"'`]?(?P<term>[^,;:.()“”\"]{2,60}?)[”\"'`]?,?\s+(?:means|stands for|is short for|"
    r"refers to|denotes)\s+(?P<meaning>[^.;]{4,})",
    re.IGNORECASE,
)
_CALLED = re.compile(
    r"(?P<meaning>[^,;:.()]{4,80}?)\s+(?:is|are|was|were)\s+(?:(?:also|often|usually|sometimes|commonly)\s+)?"
    r"(?:called|known as|referred to as)\s+(?:(?:the|an?)\s+)?[“\"'`]?(?P<term>[^,;:.()“”\"]{2,60})[”\"'`]?",
    re.IGNORECASE,
)
_SAID = ("means", "stands for", "is short for", "refers to", "denotes", "called", "known as", "referred to")
_SHORT = re.compile(r"\(\s*[“\"'`]?([A-Za-z][A-Za-z0-9./&-]{1,9})[”\"'`]?\s*\)")
_BARE = frozenset("this that it which these those he she they we you what there".split())
_INNER = frozenset("of the and in for to a an at on".split())  # small words that a term may hold inside
_VAGUE = frozenset("often sometimes usually commonly typically formerly generally simply rather just".split())


@dataclass(frozen=True)
class GlossaryEntry:
    """A term and what it means; `short` says that the term is an abbreviation, whose meaning is its long form."""

    term: str
    meaning: str
    short: bool = False


def definitions(document: Document) -> list[GlossaryEntry]:
    """The definitions that a document holds: long forms beside abbreviations (after Schwartz and Hearst, 2003),
    sentences that say what a term means or is called, rows of tables of terms, and lines under a heading such as
    “Glossary”."""
    found: dict[tuple[str, str], GlossaryEntry] = {}
    for entry in (*_rows(document), *_of_sentences(document)):
        found.setdefault((entry.term.casefold(), entry.meaning.casefold()), entry)
    return list(found.values())


def _rows(document: Document) -> Iterator[GlossaryEntry]:
    """Of tables whose columns are a term and its meaning."""
    cells: dict[int, dict[str, str]] = {}
    for part in document.parts:
        if part.kind == "cell" and part.label:
            cells.setdefault(part.parent, {})[part.label.strip()] = document.text[part.start : part.end].strip()
    for row in cells.values():
        term = next((text for label, text in row.items() if _TERM_COLUMN.match(label)), "")
        meaning = next((text for label, text in row.items() if _MEANING_COLUMN.match(label)), "")
        yield from _entry(term, meaning)


def _of_sentences(document: Document) -> Iterator[GlossaryEntry]:
    for start, end in sentences(document.text):
        text = document.text[start:end]
        if len(text) > 2000:
            continue
        yield from abbreviations(text)
        line = _LINE.match(text)
        if line and any(_LISTS.search(heading) for heading in document.heading_path(start)[-2:]):
            yield from _entry(line["term"], line["meaning"])
            continue
        if not any(words in text for words in _SAID):
            continue
        for pattern in (_MEANS, _CALLED):
            said = pattern.search(text)
            if said:
                yield from _entry(said["term"], said["meaning"])


def _entry(term: str, meaning: str) -> Iterator[GlossaryEntry]:
    """The entry, where term and meaning can be such."""
    term = term.strip(" \t“”\"'`()*_-")
    meaning = " ".join(meaning.strip(" \t“”\"'`*_").rstrip(".").split())[:_LONGEST_MEANING]
    words = WORD.findall(term)
    if not words or len(words) > _WORDS or len(term) > _LONGEST_TERM or len(meaning) < 4:
        return
    low = [word.lower() for word in words]
    if low[0] in _BARE or low[0] in STOP_WORDS or low[-1] in STOP_WORDS or any(w in STOP_WORDS - _INNER for w in low):
        return
    said = [word.lower() for word in WORD.findall(meaning)]
    if not said or said[0] in _BARE or all(word in STOP_WORDS or word in _VAGUE for word in said):
        return
    if "//" in meaning or "?" in term or term.casefold() == meaning.casefold():
        return
    yield GlossaryEntry(term, meaning, len(words) == 1 and term.isupper())


def abbreviations(sentence: str) -> Iterator[GlossaryEntry]:
    """Short forms in brackets behind their long forms: the shortest run of words before the bracket in which the letters
    of the short form stand in order, the first of them at the beginning of a word (Schwartz and Hearst, 2003)."""
    for found in _SHORT.finditer(sentence):
        short = found[1]
        if sum(letter.isupper() for letter in short) < 2:
            continue
        before = WORD.findall(sentence[: found.start()])[-min(len(short) + 5, 2 * len(short)) :]
        long = _long_form(short, " ".join(before))
        if long and len(long) > len(short):
            yield GlossaryEntry(short, long, True)


def _long_form(short: str, before: str) -> str:
    letters = [letter.lower() for letter in short if letter.isalnum()]
    place = len(before)
    for number in range(len(letters) - 1, -1, -1):
        place -= 1
        while place >= 0 and (
            before[place].lower() != letters[number] or (number == 0 and place > 0 and before[place - 1].isalnum())
        ):
            place -= 1
        if place < 0:
            return ""
    return before[place:]


class Glossary:
    """The entries of a corpus, found by the words of a question."""

    def __init__(self, entries: Iterable[GlossaryEntry]) -> None:
        counts: Counter[tuple[str, ...]] = Counter()
        said: dict[tuple[str, ...], Counter[GlossaryEntry]] = {}
        for entry in entries:
            name = _stems(entry.term)
            counts[name] += 1
            said.setdefault(name, Counter())[entry] += 1
        self.entries = [
            min(each, key=lambda entry: (-each[entry], entry.term, entry.meaning)) for each in said.values()
        ]
        self._by_first: dict[str, list[tuple[tuple[str, ...], GlossaryEntry]]] = {}
        for entry in self.entries:
            names = [_stems(entry.term)]
            if entry.short:
                names.append(_stems(entry.meaning))
            for name in names:
                if name:
                    self._by_first.setdefault(name[0], []).append((name, entry))

    def about(self, question: str, most: int = 6) -> list[GlossaryEntry]:
        """The entries whose term, or of an abbreviation whose long form, stands in a question word for word, in their
        order there."""
        words = _stems(question)
        found: dict[GlossaryEntry, None] = {}
        for place, word in enumerate(words):
            for name, entry in self._by_first.get(word, ()):
                if words[place : place + len(name)] == name:
                    found.setdefault(entry)
        return list(found)[:most]


def _stems(text: str) -> tuple[str, ...]:
    return tuple(stem(word) for word in WORD.findall(text.lower()))


def lines(question: str, entries: Sequence[GlossaryEntry]) -> list[str]:
    """Entries as lines “term: meaning”, without those that add no word to the question."""
    known = set(_stems(question))
    return [
        f"{entry.term}: {entry.meaning}"
        for entry in entries
        if not known.issuperset(_stems(f"{entry.term} {entry.meaning}"))
    ]
