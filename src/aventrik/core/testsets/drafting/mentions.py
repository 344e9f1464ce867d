"""Where else the words stand that a question hides: in a table of contents, in a cross-reference."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ...documents import Document
from .. import Quoted

_TELLING = 4  # words of a title below which it is a term like others


def mentions(hidden: Sequence[Quoted], documents: Iterable[Document]) -> dict[str, list[Quoted]]:
    """For each hidden text of at least four words, or that asks, every other place with the same words."""
    wanted = {}
    for quoted in hidden:
        words = quoted.quote.strip()
        if len(words.split()) >= _TELLING or words.endswith("?"):
            wanted[words] = quoted
    found: dict[str, list[Quoted]] = {}
    for document in documents:
        text = document.text
        for words, own in wanted.items():
            at = text.find(words)
            while at >= 0:
                end = at + len(words)
                if not (own.doc == document.name and own.start < end and at < own.end):
                    found.setdefault(own.quote, []).append(Quoted(document.name, at, end, words))
                at = text.find(words, end)
    return found
