"""Candidates of several configurations for questions of a log, and the embedding model that reads along."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from importlib.util import find_spec
from typing import Any

import numpy as np
import numpy.typing as npt

from ..core.chunking import ChunkTable
from ..core.errors import BadInput
from ..core.protocols import Embedder, State
from ..core.testsets import Question
from ..core.testsets.locating.ranking import Place as Passage
from ..core.text import STOP_WORDS, WORD, stem
from ..core.text.spelling import nearest_known
from ..execution.open_workspace import OpenWorkspace
from ..execution.passing import Passing, PosedQuestions
from ..execution.place import Place
from ..pipeline.stages.lists import scored
from ..storage.protocols import Snapshot
from ..workspace.configuration import Configuration
from ..workspace.toml import nearest

SIZE = 600  # characters of a passage of the built-in pool
_HELD = 60_000  # vectors of sentences that are held


def default_embedding() -> str:
    """The embedding model of the built-in pool: the one that ships with the extra `static`, or none."""
    return "static" if find_spec("wordllama") is not None else "none"


def pool_of(opened: OpenWorkspace, names: Sequence[str], embedding: str = "") -> list[Configuration]:
    """The configurations whose candidates are pooled: those that are named, or else the built-in ones, keyword search in
    several wordings and, unless `embedding` is "none", vector search. Raises `BadInput` for a name that there is not."""
    if names:
        if embedding:
            raise BadInput("--embedding is of the built-in pool, and --pool names another")
        return opened.workspace.configurations(list(names))
    model = embedding or default_embedding()
    known = opened.workspace.embedding_models()
    if model not in known:
        raise BadInput(f"--embedding: no such embedding model '{model}'{nearest(model, known)}")
    chunking = {"method": "paragraph", "size": SIZE, "overlap": 0}
    by_words: dict[str, Any] = {
        "name": "pool by words", "search": {"method": "keyword", "stop_words": "keep"},
        "rewriting": {"method": "paraphrases", "model": "offline"},
    }  # fmt: skip
    found = [by_words]
    if model != "none":
        found.append({"name": "pool by vectors", "search": {"method": "vector"}, "embedding": {"model": model}})
    return [
        Configuration.model_validate({"embedding": {"model": "none"}, **each, "chunking": chunking}) for each in found
    ]


@dataclass(frozen=True)
class Reader:
    """An embedding model over a corpus: the cosines of a question and texts."""

    embedder: Embedder
    state: State
    held: dict[str, npt.NDArray[np.float32]]

    def questions(self, texts: Sequence[str]) -> npt.NDArray[np.float32]:
        """Vectors of questions, rows of length 1."""
        return self.embedder.embed(texts, self.state, "query")

    def likeness(self, question: str, texts: Sequence[str]) -> npt.NDArray[np.float32]:
        """Cosines, shape (texts,)."""
        missing = [text for text in dict.fromkeys(texts) if text not in self.held]
        if missing:
            if len(self.held) > _HELD:
                self.held.clear()
                missing = list(dict.fromkeys(texts))
            self.held.update(zip(missing, self.embedder.embed(missing, self.state, "passage")))
        rows = np.array([self.held[text] for text in texts], dtype=np.float32)
        return np.asarray(rows @ self.embedder.embed([question], self.state, "query")[0], dtype=np.float32)


class Pool:
    """What several configurations find, over a corpus or over another `snapshot` of it."""

    def __init__(
        self, opened: OpenWorkspace, configurations: Sequence[Configuration], snapshot: Snapshot | None = None
    ) -> None:
        self._opened = opened
        self._places: list[Place] = [opened.place(each, "candidates", snapshot=snapshot) for each in configurations]
        self.document = self._places[0].document

    def lists(self, texts: Sequence[str]) -> list[list[list[Passage]]]:
        """For each text the ranked passages of each configuration."""
        questions = [Question(str(n), text, kind="unanswerable") for n, text in enumerate(texts)]
        found: list[list[list[Passage]]] = [[] for _ in texts]
        for place in self._places:
            passing = Passing(place, PosedQuestions(questions, self._opened.standing), fresh=self._opened.fresh)
            passing.pass_all()
            table = place.open("chunks")
            for rows, record in zip(found, passing.records("candidates")):
                rows.append([_passage(table, number) for number, _ in scored(record)])
        return found

    @cached_property
    def reader(self) -> Reader | None:
        """The embedding model of the last configuration that searches by vectors; None where none does."""
        return next((reader_of(place) for place in reversed(self._places) if "query vectors" in place.nodes), None)

    def frequency(self, word: str) -> int:
        """In how many passages a word of lower case occurs, by its stem; 1 where no configuration searches by words."""
        for place in self._places:
            if "keyword hits" in place.nodes:
                return int(place.open("words").document_frequency(stem(word)))
        return 1

    def spelt(self, text: str) -> str:
        """A text with words that no passage has as the nearest that one has."""
        made: list[str] = []
        last = 0
        for found in WORD.finditer(text):
            low = found[0].lower()
            mended = low if low in STOP_WORDS else nearest_known(low, self.frequency)
            if mended != low:
                made.extend((text[last : found.start()], mended))
                last = found.end()
        return "".join([*made, text[last:]])


def reader_of(place: Place) -> Reader:
    """The embedding model of a place that searches by vectors."""
    node = place.nodes["query vectors"]
    return Reader(place.bench.models.get(node.models["embedder"]), place.wide(node)["fitted"] or {}, {})


def _passage(table: ChunkTable, number: int) -> Passage:
    ranges = table.ranges(number)
    return table.name(number), ranges[0][0], ranges[-1][1]
