"""Latent semantic analysis: TF-IDF and a truncated singular value decomposition, fitted on the corpus.

Deerwester and others (1990), Indexing by latent semantic analysis. The decomposition is the randomised one of Halko,
Martinsson and Tropp (2011), as scikit-learn has it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt

from ..protocols import State
from ..text import STOP_WORDS
from ..text.counting import Vocabulary, count_terms
from . import unit

DIMENSIONS = 192
_SEED = 7
_MANY = 2000  # texts from which on a term that stands in one alone is left out: it relates no two


@dataclass(frozen=True)
class Lsa:
    """An `Embedder` of at most `dimensions` numbers a vector."""

    dimensions: int = DIMENSIONS

    def fit(self, texts: Callable[[], Iterable[str]]) -> State:
        """Vocabulary, inverse document frequencies and directions (dimensions, terms)."""
        from sklearn.decomposition import TruncatedSVD
        from threadpoolctl import threadpool_limits

        vocabulary = Vocabulary(words_left_out=STOP_WORDS)
        counts = count_terms(texts(), vocabulary)
        frequency = np.bincount(counts.indices, minlength=counts.shape[1])
        kept = np.flatnonzero(frequency > (1 if counts.shape[0] >= _MANY else 0))
        stems = list(vocabulary.stems_met)
        if not len(kept):
            return _state([], np.zeros(0, np.float32), np.zeros((1, 0), np.float32))
        idf = (np.log((1 + counts.shape[0]) / (1 + frequency[kept])) + 1).astype(np.float32)
        table = _weighted(counts[:, kept], idf)
        rank = min(self.dimensions, min(table.shape) - 1)
        if rank < 1:
            directions = np.eye(1, table.shape[1], dtype=np.float32)
        else:
            with threadpool_limits(1):  # sums in another order would give other directions on another machine
                svd = TruncatedSVD(n_components=rank, n_iter=4, random_state=_SEED).fit(table)
            directions = svd.components_.astype(np.float32)
        return _state([stems[place] for place in kept], idf, directions)

    def embed(self, texts: Sequence[str], state: State, kind: str = "passage") -> npt.NDArray[np.float32]:
        """TF-IDF rows of the texts, turned into the fitted directions."""
        directions = state["directions"]
        if not directions.shape[1]:
            return np.zeros((len(texts), 1), dtype=np.float32)
        vocabulary = _vocabulary(state["vocabulary"].tobytes().decode())
        return unit(np.asarray(_weighted(count_terms(texts, vocabulary), state["idf"]) @ directions.T))


def make(dimensions: int = DIMENSIONS) -> Lsa:
    """The model with a number of dimensions."""
    return Lsa(dimensions)


def _weighted(counts: Any, idf: npt.NDArray[np.float32]) -> Any:
    """(1 + ln count) × idf, each row scaled to length 1."""
    table = counts.astype(np.float32)
    table.data = (1 + np.log(table.data)) * idf[table.indices]
    squares = np.add.reduceat(np.append(table.data**2, 0), table.indptr[:-1]) if table.nnz else np.zeros(table.shape[0])
    sizes = np.diff(table.indptr)
    lengths = np.sqrt(np.where(sizes > 0, squares, 1))
    table.data /= np.repeat(np.where(lengths > 0, lengths, 1), sizes).astype(np.float32)
    return table


def _state(stems: list[str], idf: npt.NDArray, directions: npt.NDArray) -> State:
    joined = np.frombuffer("\n".join(stems).encode(), dtype=np.uint8)
    return {"vocabulary": joined, "idf": idf, "directions": directions}


@lru_cache(maxsize=2)
def _vocabulary(joined: str) -> Vocabulary:
    """The words of a fitted state; held, since texts come in batches."""
    return Vocabulary(joined.split("\n"), STOP_WORDS, closed=True)
