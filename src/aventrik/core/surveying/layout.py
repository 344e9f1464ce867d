"""Places of vectors in the plane, for a map."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from .topics import reduce

_STEPS = 500  # of t-SNE


def positions(
    vectors: npt.NDArray[np.float32], chosen: npt.NDArray[np.int64], layout: str, seed: int = 0
) -> npt.NDArray[np.float32]:
    """A place in the plane for each chosen vector, shape (m, 2), each axis from −1 to 1.

    "pca": the first two principal components of all vectors; "tsne": van der Maaten and Hinton (2008), of the chosen.
    """
    rows = np.ascontiguousarray(vectors[chosen])
    if layout == "tsne" and len(rows) >= 5:
        from sklearn.manifold import TSNE
        from threadpoolctl import threadpool_limits

        perplexity = min(30.0, (len(rows) - 1) / 3)
        close = reduce(rows, 50, seed)
        with threadpool_limits(1):  # quicker than several on so few points, and the same on any machine
            model = TSNE(perplexity=perplexity, init="pca", random_state=seed, n_jobs=1, max_iter=_STEPS)
            found = model.fit_transform(close)
    else:
        found = reduce(rows, 2, seed)
        if found.shape[1] < 2:
            found = np.hstack([found, np.zeros((len(found), 2 - found.shape[1]), np.float32)])
    found = np.asarray(found, dtype=np.float32)
    found = found - (found.max(axis=0) + found.min(axis=0)) / 2
    return np.round(found / np.where(np.abs(found).max(axis=0) > 0, np.abs(found).max(axis=0), 1), 4)
