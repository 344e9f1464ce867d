"""Exact vector search by inner product; vectors are normalised, so that is the cosine."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from . import Hit

_SPARE = 16


def search(vectors: npt.NDArray[np.float32], queries: npt.NDArray[np.float32], top: int) -> list[list[Hit]]:
    """For each query (a row of shape (q, d)) the `top` nearest rows of `vectors` (n, d), best first.

    Some spare neighbours are fetched and all are scored again one by one, so that a score does not hang on
    how the rows were grouped for the matrix product; equal scores (to 1e-6) stand in order of position.
    """
    import faiss

    if not len(vectors) or not len(queries):
        return [[] for _ in queries]
    wanted = min(len(vectors), top + _SPARE)
    _, places = faiss.knn(
        np.ascontiguousarray(queries, dtype=np.float32), vectors, wanted, metric=faiss.METRIC_INNER_PRODUCT
    )
    found: list[list[Hit]] = []
    for row, query in zip(places, queries):
        near = np.sort(row[row >= 0])
        scores = np.round(np.einsum("nd,d->n", vectors[near].astype(np.float64), query.astype(np.float64)), 6)
        order = np.lexsort((near, -scores))[:top]
        found.append([(int(near[i]), float(scores[i])) for i in order])
    return found
