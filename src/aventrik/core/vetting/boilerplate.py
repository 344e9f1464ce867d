"""Paragraphs that stand in many documents, and documents made up of them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence

from ..documents import Document
from ..documents.spans import Range
from . import Finding

_LEAST_DOCUMENTS = 3
_LEAST_SHARE = 0.08
_MOSTLY = 0.6


def find(documents: Sequence[Document]) -> list[Finding]:
    """Documents of which at least 60 % are paragraphs of 40 characters or more that 8 % of all documents share
    (and three at the least)."""
    least = max(_LEAST_DOCUMENTS, round(_LEAST_SHARE * len(documents)))
    places: dict[str, set[str]] = defaultdict(set)
    paragraphs: dict[str, list[tuple[Range, str]]] = {}
    for document in documents:
        rows = []
        for part in document.of_kind("paragraph", "item"):
            text = " ".join(document.text[part.start : part.end].lower().split())
            if len(text) >= 40:
                rows.append(((part.start, part.end), text))
                places[text].add(document.name)
        paragraphs[document.name] = rows
    found = []
    for document in documents:
        shared = [span for span, text in paragraphs[document.name] if len(places[text]) >= least]
        share = sum(end - start for start, end in shared) / max(1, len(document.text.strip()))
        if share >= _MOSTLY:
            told = f"{share:.0%} of it are paragraphs that {least} documents or more share"
            found.append(Finding("boilerplate", document.name, min(1.0, share), told, tuple(shared)))
    return found
