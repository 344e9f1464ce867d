"""A ready-made table of token vectors, averaged over a text; the table ships inside the package wordllama."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from ..errors import MissingExtra
from . import State, unit

_WEIGHTS = "weights/l2_supercat_256.safetensors"
_TOKENIZER = "tokenizers/l2_supercat_tokenizer_config.json"


@dataclass(frozen=True)
class Static:
    """An `Embedder` that looks tokens up and averages them."""

    def fit(self, texts: Callable[[], Iterable[str]]) -> State:
        """Nothing to learn; checks that the table is there."""
        _table()
        return {}

    def embed(self, texts: Sequence[str], state: State, kind: str = "passage") -> npt.NDArray[np.float32]:
        """Mean of the token vectors of each text."""
        vectors, cutter = _table()
        ids = [found.ids for found in cutter.encode_batch_fast(list(texts), add_special_tokens=False)]
        sizes = np.fromiter(map(len, ids), dtype=np.int64, count=len(ids))
        means = np.zeros((len(texts), vectors.shape[1]), dtype=np.float32)
        filled = np.flatnonzero(sizes)
        if len(filled):
            flat = np.fromiter((token for row in ids for token in row), dtype=np.int64, count=int(sizes.sum()))
            starts = np.concatenate(([0], np.cumsum(sizes[filled])[:-1]))
            means[filled] = np.add.reduceat(vectors[flat], starts, axis=0) / sizes[filled, None]
        return unit(means)


def make(dimensions: int = 0) -> Static:
    """The model; it has as many dimensions as its table."""
    return Static()


def tokenizer() -> Any:
    """The tokenizer that comes with the table."""
    return _table()[1]


@lru_cache(maxsize=1)
def _table() -> tuple[npt.NDArray[np.float32], Any]:
    try:
        from safetensors.numpy import load_file
        from tokenizers import Tokenizer
    except ImportError:
        raise MissingExtra("the embedding model 'static'", "static") from None
    found = find_spec("wordllama")  # its own loader looks for the files elsewhere
    if found is None or not found.submodule_search_locations:
        raise MissingExtra("the embedding model 'static'", "static")
    folder = Path(found.submodule_search_locations[0])
    try:
        vectors = load_file(folder / _WEIGHTS)["embedding.weight"].astype(np.float32)
        return vectors, Tokenizer.from_file(str(folder / _TOKENIZER))
    except (OSError, KeyError):
        raise MissingExtra("the embedding model 'static' (its table was not found)", "static") from None
