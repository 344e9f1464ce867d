"""Models from a local folder, through sentence-transformers (the extra `neural`). Nothing is downloaded."""

from __future__ import annotations

import contextlib
import hashlib
import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cached_property, lru_cache
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from ..core.embedding import unit
from ..core.errors import BadInput, MissingExtra
from ..core.keys import content_key
from ..core.protocols import State
from .calls import CUT, CUT_PASSAGE, Spent

_AT_ONCE = 64
_COUNTED = 512  # texts whose tokens are counted at a time


def needs_library(what: str) -> Any:
    os.environ.setdefault("HF_HUB_OFFLINE", "1")
    os.environ.setdefault("TOKENIZERS_PARALLELISM", "false")
    os.environ.setdefault("HF_HUB_DISABLE_PROGRESS_BARS", "1")
    try:
        import sentence_transformers
    except ImportError:
        raise MissingExtra(what, "neural") from None
    _hush()
    return sentence_transformers


def _hush() -> None:
    """No bars and warnings of the libraries below: what they have to say of a model's files is of no use here, and
    `--quiet` must hold for them too."""
    import logging
    import warnings

    warnings.filterwarnings("ignore", module="transformers|sentence_transformers|huggingface_hub|torch")
    for name in ("sentence_transformers", "transformers", "huggingface_hub", "torch"):
        logging.getLogger(name).setLevel(logging.ERROR)
    with contextlib.suppress(ImportError, AttributeError):
        from transformers.utils import logging as library

        library.disable_progress_bar()
        library.set_verbosity_error()


def batched(texts: Iterable[str], count: int) -> Iterator[list[str]]:
    """Texts, so many at a time."""
    rest = iter(texts)
    while some := list(islice(rest, count)):
        yield some


def _folder(name: str, path: Path) -> Path:
    if not (path / "config.json").is_file():
        raise BadInput(f"model '{name}': {path} holds no model (no config.json there)")
    return path


@lru_cache(maxsize=16)
def folder_hash(path: Path) -> str:
    """A hash over the names and contents of all files in a folder and below, read once in a process."""
    whole = hashlib.sha256()
    for file in sorted(each for each in path.rglob("*") if each.is_file()):
        with open(file, "rb") as opened:
            whole.update(
                f"{file.relative_to(path).as_posix()}\0{hashlib.file_digest(opened, 'sha256').hexdigest()}\n".encode()
            )
    return whole.hexdigest()


class LocalEmbedder:
    """An `Embedder` from a folder."""

    def __init__(self, name: str, path: Path, query_prefix: str = "", passage_prefix: str = "") -> None:
        self._name = name
        self._path = _folder(name, path)
        self.spent = Spent()
        self.cuts: set[str] = set()  # the texts that were cut since it was cleared
        self._prefixes = {"query": query_prefix, "passage": passage_prefix}

    def identity(self, use: str) -> str:
        """What the vectors of passages, or of queries, depend on: a prefix of the other kind is no part of it."""
        return content_key("local", folder_hash(self._path), self._prefixes[use])

    @cached_property
    def _model(self) -> Any:
        library = needs_library(f"the embedding model '{self._name}'")
        return library.SentenceTransformer(str(self._path), device="cpu")

    def fit(self, texts: Callable[[], Iterable[str]]) -> State:
        """Nothing to learn."""
        return {}

    def embed(self, texts: Sequence[str], state: State, kind: str = "passage") -> npt.NDArray[np.float32]:
        """Unit vectors of the texts, in batches."""
        whole = [self._prefixes[kind] + text for text in texts]
        self.cuts.update(text for text, over in zip(texts, self._over(whole)) if over)
        rows = self._model.encode(whole, batch_size=_AT_ONCE, show_progress_bar=False, convert_to_numpy=True)
        return unit(np.asarray(rows, dtype=np.float32))

    def _over(self, texts: Sequence[str]) -> list[bool]:
        """Which texts are longer than the model reads, which cuts them by itself; notes how many."""
        limit = self._model.max_seq_length
        if not limit or not texts:
            return [False] * len(texts)
        over = [len(ids) > limit for ids in self._model.tokenizer(list(texts), truncation=False)["input_ids"]]
        if any(over):
            self.spent.notes[CUT] = self.spent.notes.get(CUT, 0) + sum(over)
        return over

    def cut_count(self, texts: Iterable[str]) -> int:
        """How many passages are longer than the model reads."""
        limit, prefix = self._model.max_seq_length, self._prefixes["passage"]
        count = 0
        for some in batched(texts, _COUNTED):
            ids = self._model.tokenizer([prefix + text for text in some], truncation=False)["input_ids"]
            count += sum(len(each) > limit for each in ids) if limit else 0
        return count

    def test(self) -> dict[str, Any]:
        """Embeds something small."""
        return {"known": True, "dimensions": self.embed(["Is the gate open?"], {}).shape[1]}


class LocalReranker:
    """A cross-encoder from a folder."""

    def __init__(self, name: str, path: Path) -> None:
        self._name = name
        self._path = _folder(name, path)
        self.spent = Spent()
        self.cuts: set[str] = set()  # the questions of which a passage was cut since it was cleared

    @property
    def identity(self) -> str:
        """What the scores depend on."""
        return content_key("local", folder_hash(self._path))

    @cached_property
    def _model(self) -> Any:
        library = needs_library(f"the reranking model '{self._name}'")
        return library.CrossEncoder(str(self._path), device="cpu")

    def score(self, pairs: Sequence[tuple[str, Sequence[str]]]) -> list[list[float]]:
        """For each (question, passages) a score a passage."""
        flat = [(question, text) for question, texts in pairs for text in texts]
        self._note_cuts(flat)
        scores = iter(
            np.asarray(self._model.predict(flat, batch_size=_AT_ONCE, show_progress_bar=False)).ravel().tolist()
            if flat
            else []
        )
        return [[float(next(scores)) for _ in texts] for _, texts in pairs]

    def _note_cuts(self, pairs: Sequence[tuple[str, str]]) -> None:
        """Notes which passages are longer than the model reads beside their question; it cuts them by itself."""
        tokenizer = self._model.tokenizer
        limit = self._model.max_length or getattr(tokenizer, "model_max_length", 0)
        if not pairs or not limit:
            return
        ids = tokenizer([question for question, _ in pairs], [text for _, text in pairs], truncation=False)["input_ids"]
        over = [question for (question, _), each in zip(pairs, ids) if len(each) > limit]
        if over:
            self.cuts.update(over)
            self.spent.notes[CUT_PASSAGE] = self.spent.notes.get(CUT_PASSAGE, 0) + len(over)

    def test(self) -> dict[str, Any]:
        """Scores two passages."""
        return {
            "known": True,
            "scores": self.score([("Is the gate open?", ["The gate is open.", "Dogs on a lead."])])[0],
        }
