"""What is wrong with documents. A kind of finding is one module and one line in `KINDS`."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from importlib import import_module
from typing import Any

from ..documents import Document
from ..documents.spans import Range

# kind: (module, what it means)
KINDS: dict[str, tuple[str, str]] = {
    "exact copy": ("copies", "the same text stands in another document"),
    "near copy": ("copies", "nearly the same text stands in another document"),
    "superseded": ("editions", "a later edition of it is in the corpus"),
    "contradicts": ("editions", "a sentence says another figure than one in the same words elsewhere"),
    "boilerplate": ("boilerplate", "most of it stands in many documents"),
    "garbled": ("garbled", "much of it is no readable text"),
    "too short": ("short", "it holds hardly any text"),
    "other language": ("language", "it is in another language than most of the corpus"),
    "off topic": ("outliers", "it has little in common with any other document"),
    "mixed topics": ("mixed", "its parts have little to do with one another"),
    "personal data": ("personal", "it holds addresses, numbers or names of persons"),
    "informal": ("informal", "it is worded rudely or like a chat"),
}
# Kinds that mean a document had better not be searched; the others want a look.
UNFIT = (
    "exact copy",
    "superseded",
    "boilerplate",
    "garbled",
    "too short",
    "other language",
    "personal data",
    "informal",
)


@dataclass(frozen=True)
class Finding:
    """Something noticed about a document.

    `confidence` is from 0 to 1; `spans` are the ranges of its text that show it; `other` names the document that
    it is held against; `details` hold what is special to the kind, such as differing figures.
    """

    kind: str
    document: str
    confidence: float
    message: str
    spans: tuple[Range, ...] = ()
    other: str = ""
    details: dict[str, Any] = field(default_factory=dict)


def vet(documents: Sequence[Document], progress: Callable[[str, int, int], None] | None = None) -> list[Finding]:
    """All findings on a corpus, in order of document, then of kind."""
    modules = list(dict.fromkeys(module for module, _ in KINDS.values()))
    found: list[Finding] = []
    for place, name in enumerate(modules):
        if progress:
            progress(f"vetting: {name}", place, len(modules))
        find: Callable[[Sequence[Document]], list[Finding]] = import_module(f"{__name__}.{name}").find
        found.extend(find(documents))
    order = list(KINDS)
    return sorted(found, key=lambda each: (each.document, order.index(each.kind), each.other))
