"""What configurations make of the corpus: chunk tables, keyword indexes, vectors. Made once, kept, shared."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
import numpy.typing as npt

from ..core import embedding
from ..core.chunking import ChunkTable, Cutting, chunk
from ..core.indexing import keyword
from ..core.keys import content_key
from ..core.spans import Span, text_of
from ..workspace.configuration import Configuration
from ..workspace.workspace import Workspace
from .models import Models
from .stages import CorpusKeys

_HELD = 12
_EMBEDDED_AT_ONCE = 512

Progress = Callable[[str, int, int], None]


class Resources:
    """Chunks, indexes and vectors by configuration, from the store or computed; the last few stay in memory."""

    def __init__(
        self,
        workspace: Workspace,
        progress: Progress = lambda stage, done, total: None,
        models: Models | None = None,
    ) -> None:
        self.workspace = workspace
        self.models = models if models is not None else Models(workspace)
        self.progress = progress
        self.documents = workspace.corpus.keys()
        self.seconds: dict[str, float] = {}
        self.made: dict[str, int] = {}
        self.corpus_key = content_key(self.documents)
        self._held: OrderedDict[str, Any] = OrderedDict()
        self._keys: dict[tuple[Any, ...], CorpusKeys] = {}

    def keys(self, configuration: Configuration) -> CorpusKeys:
        """Content keys of what the configuration makes of the corpus."""
        settings = (configuration.chunking, configuration.index, configuration.embedding)
        if settings not in self._keys:
            self._keys[settings] = CorpusKeys.of(
                configuration, self.corpus_key, self.models.embedder_identity(configuration.embedding.model)
            )
        return self._keys[settings]

    def chunks(self, configuration: Configuration) -> ChunkTable:
        """The chunk table of a configuration."""
        cutting = configuration.chunking

        def make() -> ChunkTable:
            how = Cutting(cutting.method, cutting.size, cutting.unit, cutting.overlap)
            cut = []
            for done, (name, _) in enumerate(self.documents):
                self.progress("chunks", done, len(self.documents))
                cut.append((name, chunk(self.workspace.corpus.document(name), how)))
            return ChunkTable.build(cut)

        return self._get("chunks", self.keys(configuration).chunks, make, ChunkTable.arrays, ChunkTable.from_arrays)

    def keyword(self, configuration: Configuration) -> keyword.KeywordIndex:
        """The keyword index of a configuration."""

        def make() -> keyword.KeywordIndex:
            return keyword.build(
                self.index_texts(configuration, "keyword"), configuration.index.k1, configuration.index.b
            )

        index = keyword.KeywordIndex
        return self._get("keyword", self.keys(configuration).keyword, make, index.arrays, index.from_arrays)

    def fitted(self, configuration: Configuration) -> embedding.State:
        """What the embedding model of a configuration learnt from the corpus."""

        def make() -> embedding.State:
            model = self.models.embedder(configuration.embedding.model)
            return model.fit(lambda: self.index_texts(configuration, "fitted"))

        return self._get("fitted", self.keys(configuration).fitted, make, dict, dict)

    def vectors(self, configuration: Configuration) -> npt.NDArray[np.float32]:
        """The chunk vectors of a configuration, one row a chunk."""
        state = self.fitted(configuration)

        def make() -> npt.NDArray[np.float32]:
            model = self.models.embedder(configuration.embedding.model)
            blocks: list[npt.NDArray[np.float32]] = []
            batch: list[str] = []
            for text in self.index_texts(configuration, "vectors"):
                batch.append(text)
                if len(batch) == _EMBEDDED_AT_ONCE:
                    blocks.append(model.embed(batch, state))
                    batch = []
            if batch or not blocks:
                blocks.append(model.embed(batch or [""], state)[: len(batch)])
            return np.concatenate(blocks)

        return self._get(
            "vectors",
            self.keys(configuration).vectors,
            make,
            lambda array: {"vectors": array},
            lambda arrays: arrays["vectors"],
        )

    def embed_queries(self, configuration: Configuration, queries: list[list[str]]) -> list[npt.NDArray[np.float32]]:
        """For each list of queries an array with a row each."""
        flat = [text for texts in queries for text in texts]
        if not flat:
            return []
        rows = self.models.embedder(configuration.embedding.model).embed(flat, self.fitted(configuration), "query")
        return np.split(rows, np.cumsum([len(texts) for texts in queries])[:-1])

    def index_texts(self, configuration: Configuration, stage: str) -> Iterator[str]:
        """What is matched for each chunk, in order: its text, behind its heading path when that is set."""
        table = self.chunks(configuration)
        for number in range(len(table)):
            if not number % 256:
                self.progress(stage, number, len(table))
            text = self.text(table, number)
            if configuration.index.headings:
                above = [line for line in self.source(table, number, title=False) if line not in text]
                text = "\n".join([*above, text])
            yield text
        self.progress(stage, len(table), len(table))

    def text(self, table: ChunkTable, number: int) -> str:
        """The text of a chunk."""
        return text_of(self.workspace.corpus.document(table.name(number)).text, table.ranges(number))

    def source(self, table: ChunkTable, number: int, title: bool = True) -> list[str]:
        """Where a chunk stands: its document's title (or name) and the headings over its beginning."""
        document = self.workspace.corpus.document(table.name(number))
        path = list(document.heading_path(table.ranges(number)[0][0]))
        lead = document.title or (document.name if title else "")
        return [lead, *path] if lead and lead not in path else path

    def spans(self, table: ChunkTable, number: int) -> tuple[Span, ...]:
        """The spans that a chunk serves."""
        name = table.name(number)
        return tuple(Span(name, start, end) for start, end in table.ranges(number))

    def _get(
        self,
        stage: str,
        key: str,
        make: Callable[[], Any],
        to_arrays: Callable[[Any], dict[str, npt.NDArray]],
        from_arrays: Callable[[dict[str, npt.NDArray]], Any],
    ) -> Any:
        if key in self._held:
            self._held.move_to_end(key)
            return self._held[key]
        store = self.workspace.store
        try:
            value = from_arrays(store.arrays(key))
        except KeyError:
            began = time.perf_counter()
            value = make()
            store.keep_arrays(key, to_arrays(value))
            self.seconds[stage] = self.seconds.get(stage, 0.0) + time.perf_counter() - began
            self.made[stage] = self.made.get(stage, 0) + 1
        self._held[key] = value
        if len(self._held) > _HELD:
            self._held.popitem(last=False)
        return value
