"""A ready-made table of token vectors, averaged over a text; the table ships inside the package wordllama."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from ..errors import MissingExtra
from ..protocols import State
from . import unit

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
        from scipy.sparse import csr_matrix

        vectors, cutter = _table()
        ids = [found.ids for found in cutter.encode_batch_fast(list(texts), add_special_tokens=False)]
        sizes = np.fromiter(map(len, ids), dtype=np.int64, count=len(ids))
        flat = np.array(list(itertools.chain.from_iterable(ids)), dtype=np.int32)
        weights = np.repeat(1 / np.maximum(sizes, 1), sizes).astype(np.float32)
        first = np.concatenate(([0], np.cumsum(sizes)))
        tokens = csr_matrix((weights, flat, first), shape=(len(texts), len(vectors)))
        return unit(np.asarray(tokens @ vectors))


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
