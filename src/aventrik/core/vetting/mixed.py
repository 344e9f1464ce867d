"""Documents whose parts have little to do with one another: newsletters, minutes, collections."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from ..chunking import Cutting, chunk
from ..documents import Document
from ..documents.spans import Range
from ..text import content_terms
from . import Finding

_PARTS = Cutting("topic", 700, "chars", 0)
_FEWEST = 4  # parts of a document, and documents with so many, from which on something can be said
_USUAL = 8
_FAR = 3.0


def find(documents: Sequence[Document]) -> list[Finding]:
    """Documents whose parts (stretches on one topic, see `chunking.topic`) are much less like the rest of the document
    than is usual in the corpus: by more than three times the median absolute deviation below the median of all, and
    under half of it. The likeness is the mean TF-IDF cosine of each part with the sum of the others."""
    from sklearn.feature_extraction.text import TfidfVectorizer

    parts = {place: chunk(document, _PARTS) for place, document in enumerate(documents) if len(document.text) > 1500}
    parts = {place: found for place, found in parts.items() if len(found) >= _FEWEST}
    if len(parts) < _USUAL:
        return []
    texts = [documents[p].text[ranges[-1][0] : ranges[-1][1]] for p, found in parts.items() for ranges in found]
    try:
        table = TfidfVectorizer(analyzer=content_terms, sublinear_tf=True, min_df=2).fit_transform(texts)
    except ValueError:  # hardly any word stands in two parts
        return []
    likeness, weakest = {}, {}
    first = 0
    for place, found in parts.items():
        near = _with_the_rest(table[first : first + len(found)])
        likeness[place] = float(near.mean())
        weakest[place] = [found[n][-1] for n in np.argsort(near, kind="stable")[:3]]
        first += len(found)
    values = np.array(list(likeness.values()))
    middle = float(np.median(values))
    limit = min(middle - _FAR * (float(np.median(np.abs(values - middle))) or 0.01), middle / 2)
    return [
        _finding(documents[place], value, middle, limit, weakest[place])
        for place, value in likeness.items()
        if value < limit
    ]


def _with_the_rest(rows: Any) -> npt.NDArray[np.float64]:
    """The cosine of each row (unit length, sparse) with the sum of the others."""
    total = np.asarray(rows.sum(axis=0)).ravel()
    dots = rows @ total - np.asarray(rows.multiply(rows).sum(axis=1)).ravel()
    rest = np.array([np.linalg.norm(total - row.toarray().ravel()) for row in rows])
    return np.divide(dots, rest, out=np.zeros(len(dots)), where=rest > 0)


def _finding(document: Document, value: float, middle: float, limit: float, parts: list[Range]) -> Finding:
    told = f"its parts are {value:.2f} like the rest of it, where {middle:.2f} is usual"
    sure = round(min(0.95, 0.5 + (limit - value) / (2 * middle + 1e-9)), 3)
    return Finding("mixed topics", document.name, sure, told, tuple(sorted(parts)))
