"""Exact vector search by inner product; vectors are normalised, so that is the cosine."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
import numpy.typing as npt

from ..errors import Damaged
from . import Hit

_SPARE = 6
_CLOSE = 5e-6  # single-precision scores no further apart may stand the other way round
_MOST = 4096  # rows looked at for the sake of those that are as near as the last
_TOGETHER = 64  # queries whose neighbours are scored again at a time
_AT_ONCE = 20_000  # rows that are scored again at a time
_ROWS = 1 << 16  # rows that are copied out at a time when only some may be found


def search(
    vectors: npt.NDArray[np.float32],
    queries: npt.NDArray[np.float32],
    top: int,
    allowed: npt.NDArray[np.bool_] | None = None,
) -> list[list[Hit]]:
    """For each query (a row of shape (q, d)) the `top` nearest rows of `vectors` (n, d), best first.

    `allowed` (n,) says which rows may be found; None means all. Equal scores (to 1e-6) stand in order of position, so what
    is found does not depend on which rows are looked at together: of shards the lists can be merged (see `merged`).
    Raises `Damaged` where one of the rows looked at holds what is no finite number.
    """
    if not len(vectors) or not len(queries):
        return [[] for _ in queries]
    queries = np.ascontiguousarray(queries, dtype=np.float32)
    found = [np.zeros((len(queries), 0), dtype=np.int64)]
    for first, places, rows in _blocks(vectors, allowed):
        if not np.isfinite(np.add.reduce(rows, axis=None)):  # which would be passed over without a word
            raise damaged(vectors)
        near = _near(queries, rows, top)
        found.append(np.where(near < 0, -1, near + first if places is None else places[near]))
    return rescored(vectors, queries, np.concatenate(found, axis=1), top)


def _near(queries: npt.NDArray[np.float32], rows: npt.NDArray[np.float32], top: int) -> npt.NDArray[np.int64]:
    """Positions, a row a query, −1 for none, among which the `top` nearest are for sure: where the last ones are as near
    as one that would be left out, more of them are taken."""
    import faiss

    wanted = min(len(rows), top + _SPARE)
    scores, near = faiss.knn(queries, rows, wanted, metric=faiss.METRIC_INNER_PRODUCT)
    if wanted == len(rows):
        return np.asarray(near, dtype=np.int64)
    tied = np.flatnonzero(scores[:, top - 1] - scores[:, -1] < _CLOSE)
    if not len(tied):
        return np.asarray(near, dtype=np.int64)
    more = {int(n): _tied(queries[n], rows, float(scores[n, top - 1]), top) for n in tied}
    whole = np.full((len(queries), max(wanted, *map(len, more.values()))), -1, dtype=np.int64)
    whole[:, :wanted] = near
    for n, places in more.items():
        whole[n] = -1
        whole[n, : len(places)] = places
    return whole


def _tied(
    query: npt.NDArray[np.float32], rows: npt.NDArray[np.float32], last: float, top: int
) -> npt.NDArray[np.int64]:
    """The positions of all rows that are surely nearer than the last of the nearest, and of the first of those that are as
    near."""
    scores = rows @ query
    above = np.flatnonzero(scores > last + _CLOSE)
    level = np.flatnonzero(np.abs(scores - last) <= _CLOSE)
    return np.concatenate([above, level[: max(top, _MOST)]])


def merged(lists: Sequence[Sequence[Hit]], top: int) -> list[Hit]:
    """The `top` best of several lists of different positions, equal scores in order of position."""
    return sorted((hit for found in lists for hit in found), key=lambda hit: (-hit[1], hit[0]))[:top]


def _blocks(
    vectors: npt.NDArray[np.float32], allowed: npt.NDArray[np.bool_] | None
) -> Iterator[tuple[int, npt.NDArray[np.int64] | None, npt.NDArray[np.float32]]]:
    """(offset, positions, rows) of what may be found; positions are None where all rows are taken as they stand."""
    if allowed is None:
        yield 0, None, vectors
        return
    for first in range(0, len(vectors), _ROWS):
        places = np.flatnonzero(allowed[first : first + _ROWS]) + first
        if len(places):
            yield 0, places, np.ascontiguousarray(vectors[places])


def rescored(
    vectors: npt.NDArray[np.float32], queries: npt.NDArray[np.float32], places: npt.NDArray[np.int64], top: int
) -> list[list[Hit]]:
    """The `top` best of the rows named in `places` (q, m; −1 is none) for each query, scored again in double precision,
    so that a score does not depend on how rows were grouped for a matrix product."""
    places = np.sort(places, axis=1)
    found: list[list[Hit]] = []
    together = max(1, min(_TOGETHER, _AT_ONCE // max(1, places.shape[1])))
    for first in range(0, len(places), together):
        near = places[first : first + together]
        rows = vectors[np.maximum(near, 0)].astype(np.float64)
        scores = np.round(np.matmul(rows, queries[first : first + together, :, None].astype(np.float64))[..., 0], 6)
        if not np.isfinite(scores).all():
            raise damaged(vectors if np.isfinite(queries).all() else queries)
        scores[near < 0] = -np.inf
        order = np.argsort(-scores, axis=1, kind="stable")[:, :top]
        chosen, best = np.take_along_axis(near, order, 1).tolist(), np.take_along_axis(scores, order, 1).tolist()
        found.extend([(p, s) for p, s in zip(*row) if p >= 0] for row in zip(chosen, best))
    return found


def damaged(vectors: npt.NDArray[np.float32]) -> Damaged:
    """What to say of vectors that hold something else than finite numbers, with their file where they have one."""
    file = getattr(vectors, "filename", None) or "a question's vector"
    hint = "'aventrik store --clean' drops it, and it is made again"
    return Damaged(f"{file}: holds something that is not a finite number; {hint}")
