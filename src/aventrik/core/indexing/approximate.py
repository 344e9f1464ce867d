"""Approximate vector search: a graph of near neighbours, or lists around centres. Quick, and told how exact it is.

"graph" is the hierarchical navigable small world of Malkov and Yashunin (2018), "lists" an inverted file (Sivic and
Zisserman, 2003, as Jégou and others, 2011, use it); both are those of the library faiss.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from . import Hit
from .vectors import rescored
from .vectors import search as exact

_SEED = 5
_SPARE = 6
_TRAINED = 64  # vectors a list that the centres are found from
_PROBES = 200  # vectors that recall is measured with
_AT_ONCE = 1 << 14

LAYOUTS = ("exact", "graph", "lists")


@dataclass(frozen=True)
class Nearness:
    """How the index is laid out. Graph: `links` a vector, `build_effort` vectors looked at for each that is added.
    Lists: how many `lists`, 0 meaning four times the square root of the number of vectors. With several `parts` each has
    an index of its own, and the lists found in them are merged."""

    way: str = "exact"
    links: int = 32
    build_effort: int = 80
    lists: int = 0
    parts: int = 1

    def in_use(self) -> Nearness:
        """The same without what its way does not use."""
        if self.way == "graph":
            return Nearness(self.way, self.links, self.build_effort, parts=self.parts)
        return Nearness(self.way, lists=self.lists, parts=self.parts)


@dataclass(frozen=True)
class Reach:
    """How thoroughly a search looks: `effort` vectors kept in view (graph), `probes` lists looked into (lists)."""

    effort: int = 256
    probes: int = 20

    def in_use(self, way: str) -> Reach:
        """The same without what a way does not use."""
        return Reach(effort=self.effort) if way == "graph" else Reach(probes=self.probes)


def _library() -> Any:
    return import_module("faiss")  # its type stubs do not know what it can do


def build(vectors: npt.NDArray[np.float32], how: Nearness) -> Any:
    """A faiss index over unit vectors (n, d). Built by one thread where the order of work would change the outcome."""
    faiss = _library()
    count, width = vectors.shape
    if how.way == "graph" or not count:
        index = faiss.IndexHNSWFlat(width, how.links, faiss.METRIC_INNER_PRODUCT)
        index.hnsw.efConstruction = how.build_effort
        threads = faiss.omp_get_max_threads()
        faiss.omp_set_num_threads(1)
        try:
            _add(index, vectors)
        finally:
            faiss.omp_set_num_threads(threads)
        return index
    lists = max(1, min(how.lists or round(4 * math.sqrt(count)), count // 4 or 1))
    centres = faiss.IndexFlatIP(width)
    # Eight bits a number are enough to find the near ones, which are then scored again by their own vectors.
    eight = faiss.ScalarQuantizer.QT_8bit
    index = faiss.IndexIVFScalarQuantizer(centres, width, lists, eight, faiss.METRIC_INNER_PRODUCT)
    index.cp.seed = _SEED
    index.cp.min_points_per_centroid = 1
    sample = np.random.default_rng(_SEED).permutation(count)[: _TRAINED * lists]
    index.train(np.ascontiguousarray(vectors[np.sort(sample)]))
    _add(index, vectors)
    return index


def _add(index: Any, vectors: npt.NDArray[np.float32]) -> None:
    for first in range(0, len(vectors), _AT_ONCE):
        index.add(np.ascontiguousarray(vectors[first : first + _AT_ONCE]))


def write(index: Any, path: Path) -> None:
    """Writes an index into a file."""
    faiss = _library()
    faiss.write_index(index, str(path))


def opened(path: Path) -> Any:
    """An index from a file; its vectors stay on disk until they are looked at, where the library can do that."""
    faiss = _library()
    lazy = getattr(faiss, "IO_FLAG_MMAP_IFC", 0) or faiss.IO_FLAG_MMAP
    return faiss.read_index(str(path), lazy)


def search(
    index: Any,
    vectors: npt.NDArray[np.float32],
    queries: npt.NDArray[np.float32],
    top: int,
    reach: Reach,
    allowed: npt.NDArray[np.bool_] | None = None,
) -> list[list[Hit]]:
    """As `vectors.search`, but a near row may be missed. Where few rows may be found, all of them are looked at."""
    faiss = _library()
    if not len(vectors) or not len(queries):
        return [[] for _ in queries]
    if allowed is not None and allowed.mean() < 0.05:
        return exact(vectors, queries, top, allowed)
    wanted = min(len(vectors), top + _SPARE)
    chosen: dict[str, Any] = {}
    if allowed is not None:
        chosen["sel"] = faiss.IDSelectorBitmap(np.packbits(allowed, bitorder="little"))
    if isinstance(index, faiss.IndexIVF):
        how = faiss.SearchParametersIVF(nprobe=reach.probes, **chosen)
    else:
        how = faiss.SearchParametersHNSW(efSearch=max(reach.effort, wanted), **chosen)
    _, places = index.search(np.ascontiguousarray(queries, dtype=np.float32), wanted, params=how)
    return rescored(vectors, queries, places, top)


Found = Callable[[npt.NDArray[np.float32], int, "npt.NDArray[np.bool_] | None"], list[list[Hit]]]


def recall(
    found: Found,
    vectors: npt.NDArray[np.float32],
    top: int = 10,
    allowed: npt.NDArray[np.bool_] | None = None,
) -> float:
    """Share of the `top` nearest, of the `allowed` rows where they are given, that a search finds too, 0 to 1: the mean over
    up to 200 of the vectors themselves, spread evenly, each as a query and not counted as its own neighbour."""
    if len(vectors) < 2:
        return 1.0
    chosen = np.unique(np.linspace(0, len(vectors) - 1, _PROBES).astype(np.int64))
    queries = np.ascontiguousarray(vectors[chosen])
    shares = []
    for own, near, true in zip(chosen, found(queries, top + 1, allowed), exact(vectors, queries, top + 1, allowed)):
        wanted = {place for place, _ in true if place != own}
        shares.append(len(wanted & {place for place, _ in near}) / max(1, len(wanted)))
    return float(np.mean(shares))
