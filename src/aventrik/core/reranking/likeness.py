"""How alike texts are, by an embedding model or else by their terms."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from ..text import content_terms
from . import Item, StepMeans


def cosines_to(questions: Sequence[str], items: Sequence[Sequence[Item]], means: StepMeans) -> list[list[float]]:
    """The cosine of each item's text and its question."""
    made = []
    for question, row, rows in zip(questions, items, passages(items, means)):
        asked = means.vectors([question], "query") if means.vectors is not None else None
        if asked is None:
            asked, rows = _by_terms([question], [item.text for item in row])
        made.append([round(float(each), 6) for each in rows @ asked[0]] if row else [])
    return made


def passages(items: Sequence[Sequence[Item]], means: StepMeans) -> list[npt.NDArray]:
    """Of each list the unit vectors of its texts, shape (items, d); each text is embedded once."""
    if means.vectors is None:
        return [_by_terms([item.text for item in row])[0] for row in items]
    texts = list(dict.fromkeys(item.text for row in items for item in row))
    if not texts:
        return [np.zeros((0, 1), np.float32) for _ in items]
    vectors = means.vectors(texts, "passage")
    place = {text: number for number, text in enumerate(texts)}
    return [vectors[[place[item.text] for item in row]] for row in items]


def _by_terms(*groups: Sequence[str]) -> list[npt.NDArray[np.float64]]:
    """Unit vectors of how often each content term occurs in each text, over the terms of all; none for no term."""
    counts = [[Counter(content_terms(text)) for text in group] for group in groups]
    terms = sorted({term for group in counts for each in group for term in each})
    place = {term: number for number, term in enumerate(terms)}
    made = []
    for group in counts:
        rows = np.zeros((len(group), max(1, len(terms))))
        for row, each in zip(rows, group):
            for term, count in each.items():
                row[place[term]] = count
        lengths = np.linalg.norm(rows, axis=1, keepdims=True)
        made.append(rows / np.where(lengths > 0, lengths, 1))
    return made
