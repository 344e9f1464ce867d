"""The built-in language model with an embedding model at its side: it answers by rules, and reads by likeness as well."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from ..core.keys import content_key
from ..core.protocols import Embedder, Reply, Task
from ..core.wording.fitting import pool_of
from . import OfflineModel
from .answering.answering import answer

_REMEMBERED = 20_000  # texts whose vectors are kept in mind
_TOGETHER = 256  # answers whose texts are embedded at a time


class ReadingModel:
    """A `LanguageModel`: the built-in one, whose answers go by an embedding model's likeness too. `identity` is that of
    the embedding model."""

    def __init__(self, name: str, embedder: Embedder, identity: Callable[[], str]) -> None:
        self.name = name
        self._embedder = embedder
        self._identity = identity
        self._offline = OfflineModel()
        self._vectors: dict[tuple[str, str], npt.NDArray[np.float32]] = {}

    def identity(self, task: str) -> str:
        """That of the built-in model; for answers with that of the embedding model."""
        plain = self._offline.identity(task)
        return content_key("reading", plain, self._identity()) if task == "answer" else plain

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        """A reply to each task, in order; raises `Unavailable` when the embedding model can't be used."""
        made: list[Reply] = []
        for first in range(0, len(tasks), _TOGETHER):
            some = tasks[first : first + _TOGETHER]
            self._bring(task for task in some if task.name == "answer")
            made.extend(
                Reply(answer(task.fields, self._likeness))
                if task.name == "answer"
                else self._offline.perform([task])[0]
                for task in some
            )
        return made

    def test(self) -> dict[str, Any]:
        """Answers something small."""
        context = [{"number": 1, "source": "Gates", "text": "The gate is open."}]
        [reply] = self.perform(
            [Task("answer", {"question": "Is the gate open?", "context": context, "style": "quote"})]
        )
        return {"known": reply.value is not None}

    def _bring(self, tasks: Any) -> None:
        """Embeds the sentences of many contexts at once."""
        texts = [each.headed for task in tasks for each in pool_of(task.fields["context"])]
        self._embed(texts, "passage")

    def _likeness(self, question: str, texts: Sequence[str]) -> npt.NDArray[np.float32]:
        self._embed([question], "query")
        self._embed(texts, "passage")
        rows = np.stack([self._vectors["passage", text] for text in texts])
        found: npt.NDArray[np.float32] = rows @ self._vectors["query", question]
        return found

    def _embed(self, texts: Sequence[str], kind: str) -> None:
        fresh = [text for text in dict.fromkeys(texts) if (kind, text) not in self._vectors]
        if not fresh:
            return
        if len(self._vectors) + len(fresh) > _REMEMBERED:
            keep = {(kind, text) for text in texts}
            self._vectors = {key: row for key, row in self._vectors.items() if key in keep}
            fresh = [text for text in dict.fromkeys(texts) if (kind, text) not in self._vectors]
        for text, row in zip(fresh, self._embedder.embed(fresh, {}, kind)):
            self._vectors[kind, text] = row
