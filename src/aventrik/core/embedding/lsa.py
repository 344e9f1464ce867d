"""Latent semantic analysis: TF-IDF and a truncated singular value decomposition, fitted on the corpus.

Deerwester and others (1990), Indexing by latent semantic analysis.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

import numpy as np
import numpy.typing as npt

from ..text import content_terms
from . import State, unit

DIMENSIONS = 192
_SEED = 7


def fit(texts: Callable[[], Iterable[str]]) -> State:
    """Vocabulary, inverse document frequencies and directions, from at least one text with a word."""
    from sklearn.decomposition import TruncatedSVD
    from sklearn.feature_extraction.text import TfidfVectorizer

    vectorizer = TfidfVectorizer(analyzer=content_terms, sublinear_tf=True, dtype=np.float32)
    try:
        table = vectorizer.fit_transform(texts())
    except ValueError:  # no word in any text
        return _state([], np.zeros(0, np.float32), np.zeros((1, 0), np.float32))
    rank = min(DIMENSIONS, min(table.shape) - 1)
    if rank < 1:
        directions = np.eye(1, table.shape[1], dtype=np.float32)
    else:
        svd = TruncatedSVD(n_components=rank, n_iter=4, random_state=_SEED).fit(table)
        directions = svd.components_.astype(np.float32)
    return _state(list(vectorizer.get_feature_names_out()), vectorizer.idf_.astype(np.float32), directions)


def embed(texts: Sequence[str], state: State, kind: str = "passage") -> npt.NDArray[np.float32]:
    """TF-IDF rows of the texts, turned into the fitted directions."""
    from scipy.sparse import csr_matrix

    places = _places(state)
    idf, directions = state["idf"], state["directions"]
    rows: list[int] = []
    columns: list[int] = []
    for row, text in enumerate(texts):
        known = [places[term] for term in content_terms(text) if term in places]
        rows.extend([row] * len(known))
        columns.extend(known)
    counts = csr_matrix((np.ones(len(rows), np.float32), (rows, columns)), shape=(len(texts), len(idf)))
    counts.sum_duplicates()
    counts.data = (1 + np.log(counts.data)) * idf[counts.indices]
    return unit(np.asarray(counts @ directions.T))


def _state(vocabulary: list[str], idf: npt.NDArray, directions: npt.NDArray) -> State:
    joined = np.frombuffer("\n".join(vocabulary).encode(), dtype=np.uint8)
    return {"vocabulary": joined, "idf": idf, "directions": directions}


def _places(state: State) -> dict[str, int]:
    joined = state["vocabulary"].tobytes().decode()
    return {term: place for place, term in enumerate(joined.split("\n"))} if joined else {}
