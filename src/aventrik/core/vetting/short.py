"""Documents with hardly any text."""

from __future__ import annotations

from collections.abc import Sequence

from ..documents import Document
from . import Finding

_WORDS = 12


def find(documents: Sequence[Document]) -> list[Finding]:
    """Documents of fewer than 12 words."""
    found = []
    for document in documents:
        words = len(document.text.split())
        if words < _WORDS:
            told = f"it has {words} words"
            found.append(
                Finding("too short", document.name, 1 - words / (2 * _WORDS), told, ((0, len(document.text)),))
            )
    return found
