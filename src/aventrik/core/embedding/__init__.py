"""Texts to vectors. A model that ships with the tool is one module and one line in `MODELS`."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from importlib import import_module
from typing import Protocol, cast

import numpy as np
import numpy.typing as npt

MODELS = ("lsa", "static")

State = dict[str, npt.NDArray]


class Embedder(Protocol):
    """What every embedding model does."""

    def fit(self, texts: Callable[[], Iterable[str]]) -> State:
        """What the model has to learn before it can embed, from texts spread over the corpus; empty for a ready-made
        one."""
        ...

    def embed(self, texts: Sequence[str], state: State, kind: str = "passage") -> npt.NDArray[np.float32]:
        """Unit vectors, shape (len(texts), d); a text with no known word is all zeros.

        `kind` is "passage" or "query", for models that want the two told apart.
        """
        ...


def embedder(name: str, dimensions: int = 192) -> Embedder:
    """The model of that name among `MODELS`; `dimensions` counts for those that are fitted on the corpus."""
    return cast(Embedder, import_module(f"{__name__}.{name}").make(dimensions))


def unit(vectors: npt.NDArray) -> npt.NDArray[np.float32]:
    """Rows scaled to length 1; a zero row stays zero."""
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.where(lengths > 0, lengths, 1), dtype=np.float32)
