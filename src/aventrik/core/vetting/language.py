"""The language of a document, by its script and its function words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ..documents import Document
from ..text import languages
from . import Finding


def guess(text: str) -> tuple[str, float]:
    """(language, confidence 0 to 1), the language written as a name; an empty one where nothing tells."""
    language, sure = languages.guess(text)
    return language.capitalize(), sure


def find(documents: Sequence[Document]) -> list[Finding]:
    """Documents in another language than most of the corpus's text."""
    guesses = {document.name: guess(document.text) for document in documents}
    weight: Counter[str] = Counter()
    for document in documents:
        weight[guesses[document.name][0]] += len(document.text)
    weight.pop("", None)
    if not weight:
        return []
    main = weight.most_common(1)[0][0]
    return [
        Finding("other language", d.name, sure, f"it is in {tongue}, the corpus in {main}", ((0, len(d.text)),))
        for d in documents
        for tongue, sure in [guesses[d.name]]
        if tongue and tongue != main and sure > 0.6
    ]
