"""Texts to vectors. A model that ships with the tool is one module and one line in `MODELS`."""

from __future__ import annotations

from importlib import import_module
from typing import cast

import numpy as np
import numpy.typing as npt

from ..protocols import Embedder

# model: whether it learns from the corpus before it can embed
MODELS = {"lsa": True, "static": False}


def embedder(name: str, dimensions: int = 192) -> Embedder:
    """The model of that name among `MODELS`; `dimensions` counts for those that are fitted on the corpus."""
    return cast(Embedder, import_module(f"{__name__}.{name}").make(dimensions))


def unit(vectors: npt.NDArray) -> npt.NDArray[np.float32]:
    """Rows scaled to length 1; a zero row stays zero."""
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.where(lengths > 0, lengths, 1), dtype=np.float32)
