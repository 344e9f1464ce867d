"""Leaves the wording of questions out of what is searched: a question that is a heading must not find itself."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import replace

from ..documents import Document
from ..documents.spans import Range, merge

_INK = re.compile(r"\S")
_TELLING = 3  # words that a hidden text must have for a title to lose it


def hidden(document: Document, ranges: Sequence[Range]) -> Document:
    """The document with blanks in the place of the ranges: every other character keeps its place, so that spans of the
    one are spans of the other. A heading that becomes blank still begins its section, but has no words for a path. A
    title that says what is hidden loses it."""
    text = document.text
    pieces: list[str] = []
    told = 0
    for start, end in merge((max(0, start), min(end, len(text))) for start, end in ranges):
        pieces.append(text[told:start])
        pieces.append(_INK.sub(" ", text[start:end]))
        told = end
    pieces.append(text[told:])
    title = _without(document.title, (text[start:end] for start, end in ranges))
    return replace(document, text="".join(pieces), title=title)


def _without(title: str, words: Iterable[str]) -> str:
    plain = " ".join(title.split())
    for each in words:
        bare = " ".join(each.split()).rstrip("?.: ")
        if bare and (len(bare.split()) >= _TELLING or bare.lower() == plain.rstrip("?.: ").lower()):
            plain = re.sub(re.escape(bare), " ", plain, flags=re.IGNORECASE)
    return title if plain == " ".join(title.split()) else " ".join(plain.strip(" ?.:–—-|").split())
