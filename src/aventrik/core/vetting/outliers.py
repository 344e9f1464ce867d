"""Documents that have little in common with any other."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..documents import Document
from ..text import content_terms
from . import Finding

_FEWEST = 12
_NEIGHBOURS = 3
_FAR = 3.0
_TERMS = 400


def find(documents: Sequence[Document]) -> list[Finding]:
    """Documents whose three nearest neighbours (TF-IDF, cosine) are much further off than is usual in the corpus:
    by more than three times the median absolute deviation below the median, and under 0.06 in any case."""
    if len(documents) < _FEWEST:
        return []
    from sklearn.feature_extraction.text import TfidfVectorizer

    vectorizer = TfidfVectorizer(analyzer=lambda text: content_terms(text)[:_TERMS], sublinear_tf=True, min_df=2)
    try:
        table = vectorizer.fit_transform(document.text for document in documents)
    except ValueError:
        return []
    nearness = np.zeros(len(documents))
    for start in range(0, len(documents), 500):
        near = (table[start : start + 500] @ table.T).toarray()
        for row in range(len(near)):
            near[row, start + row] = 0
        count = min(_NEIGHBOURS, near.shape[1] - 1)
        nearness[start : start + 500] = np.sort(near, axis=1)[:, -count:].mean(axis=1)
    middle = float(np.median(nearness))
    spread = float(np.median(np.abs(nearness - middle))) or 0.01
    limit = min(middle - _FAR * spread, 0.5 * middle)
    return [
        Finding(
            "off topic",
            document.name,
            round(min(0.95, 0.5 + (limit - value) / (2 * middle + 1e-9)), 3),
            f"its nearest documents are {value:.2f} like it, where {middle:.2f} is usual",
            ((0, len(document.text)),),
        )
        for document, value in zip(documents, nearness)
        if value < max(limit, 0.06)
    ]
