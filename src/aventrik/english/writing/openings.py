"""Words for a search from the opening sentence of a passage, for documents without titles: what it begins with says what
it is about. The sentence is hidden, what follows it is evidence."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ...core.documents import Document
from ...core.documents.spans import trimmed
from ...core.testsets import Need, Quoted
from ...core.testsets.drafting.fitness import unfit
from ...core.testsets.drafting.offers import Offer
from ...core.text import STOP_WORDS, WORD, sentences
from .sections import MARK

_LEAST = 3  # sentences of a passage, the opening one among them
_WORDS = (6, 30)  # of an opening sentence
_ASKED = 7  # words that are typed at the most
_CLAUSE = re.compile(r"[,;:(–—]| - | (?:which|who|because|although|while|when|if|but|and) ")
_LEANS = re.compile(
    r"^(?:this|that|these|those|it|they|he|she|such|here|there|but|and|so|then|however|also)\b", re.IGNORECASE
)


def of_openings(document: Document) -> Iterator[Offer]:
    """An offer for each paragraph of at least three sentences whose first one says something by itself."""
    for part in document.of_kind("paragraph"):
        found = [trimmed(document.text, *place) for place in sentences(document.text, part.start, part.end)]
        found = [(start, end) for start, end in found if start < end]
        if len(found) < _LEAST or unfit(document, part.start, part.end):
            continue
        (start, end), *rest = found
        opening = document.text[start:end]
        words = opening.split()
        if not _WORDS[0] <= len(words) <= _WORDS[1] or _LEANS.match(opening) or not opening.endswith((".", "!")):
            continue
        typed = [word for word in WORD.findall(_CLAUSE.split(opening)[0]) if word.lower() not in STOP_WORDS][:_ASKED]
        if len(typed) < 3:
            continue
        spans = tuple(
            Quoted(document.name, left, right, document.text[left:right])
            for left, right in rest
            if len(WORD.findall(document.text, left, right)) >= 3 and not MARK.fullmatch(document.text, left, right)
        )
        if not spans:
            continue
        path = document.heading_path(part.start)
        answer = " ".join(quoted.quote for quoted in spans[:2])
        yield Offer(
            question=_lowered(typed),
            answer=answer,
            kind="passage",
            needs=(Need(opening, spans),),
            rule="opening",
            style="search",
            hide=(Quoted(document.name, start, end, opening),),
            topic=path[-1] if path else document.title,
        )


def _lowered(words: list[str]) -> str:
    first, *rest = words
    return " ".join([first if first[1:] != first[1:].lower() else first.lower(), *rest])
