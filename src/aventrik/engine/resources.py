"""What configurations make of the corpus: chunk tables, keyword indexes, vectors. Made once, kept, shared."""

from __future__ import annotations

import itertools
import time
from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import asdict
from typing import Any

import numpy as np
import numpy.typing as npt

from ..core import embedding
from ..core.chunking import Chunk, ChunkTable, chunk
from ..core.chunking.lookup import chunks_of
from ..core.indexing import Narrowing, approximate, keyword
from ..core.indexing.texts import IndexTexts, written_texts
from ..core.indexing.vectors import search as exact
from ..core.keys import content_key
from ..core.searching import Indexes, Nearest
from ..core.serving import ServedTable, served
from ..core.spans import text_of
from ..workspace.configuration import Configuration
from ..workspace.workspace import Workspace
from .filtering import passed
from .models import Models
from .stages import CorpusKeys

FITTED_ON = 60_000  # index texts, spread evenly, that a model is fitted on at the most
_HELD = 16
_EMBEDDED_AT_ONCE = 1024
_INDEX = "nearest.faiss"

Progress = Callable[[str, int, int], None]


class Resources:
    """Chunks, indexes and vectors by configuration, from the store or computed; the last few stay in memory."""

    def __init__(
        self,
        workspace: Workspace,
        progress: Progress = lambda stage, done, total: None,
        models: Models | None = None,
        fresh: bool = False,
    ) -> None:
        """With `fresh`, index texts that a model wrote are written anew, once."""
        self._fresh = fresh
        self.workspace = workspace
        self.models = models if models is not None else Models(workspace)
        self.progress = progress
        self.documents = workspace.corpus.keys()
        self.seconds: dict[str, float] = {}
        self.made: dict[str, int] = {}
        self.corpus_key = content_key(self.documents)
        self._held: OrderedDict[str, Any] = OrderedDict()
        self._keys: dict[tuple[Any, ...], CorpusKeys] = {}
        self._rewritten: set[str] = set()
        self._allowed: dict[str, tuple[str, frozenset[str]]] = {}

    def keys(self, configuration: Configuration) -> CorpusKeys:
        """Content keys of what the configuration makes of the corpus."""
        near = configuration.search.nearness
        settings = (configuration.chunking, configuration.index, configuration.embedding, near)
        if settings not in self._keys:
            index = configuration.index
            writer = "" if index.text == "chunk" else self.models.role("writer", index.model).identity(index.text)
            self._keys[settings] = CorpusKeys.of(
                configuration, self.corpus_key, self.models.embedder_identity(configuration.embedding), writer
            )
        return self._keys[settings]

    def chunks(self, configuration: Configuration) -> ChunkTable:
        """The chunk table of a configuration."""
        cutting = configuration.chunking.cutting

        def make() -> ChunkTable:
            cut = []
            for done, (name, _) in enumerate(self.documents):
                self.progress("chunks", done, len(self.documents))
                cut.append((name, chunk(self.workspace.corpus.document(name), cutting)))
            return ChunkTable.build(cut)

        return self._get("chunks", self.keys(configuration).chunks, make, ChunkTable.arrays, ChunkTable.from_arrays)

    def served(self, configuration: Configuration) -> ServedTable:
        """What is handed on for each chunk of a configuration."""
        table = self.chunks(configuration)
        key = self.keys(configuration).served
        if not key:
            return ServedTable(table, np.arange(len(table), dtype=np.int32))

        def make() -> ServedTable:
            cut: list[tuple[str, list[Chunk]]] = []
            units: list[int] = []
            before = 0
            for done, (name, _) in enumerate(self.documents):
                self.progress("served", done, len(self.documents))
                chunks = [table.ranges(number) for number in chunks_of(table, name)]
                made, places = served(self.workspace.corpus.document(name), chunks, configuration.chunking.serving)
                cut.append((name, made))
                units.extend(before + place for place in places)
                before += len(made)
            return ServedTable(ChunkTable.build(cut), np.array(units, dtype=np.int32))

        return self._get("served", key, make, ServedTable.arrays, ServedTable.from_arrays)

    def texts(self, configuration: Configuration) -> IndexTexts:
        """What is matched for each chunk, before headings are put in front."""
        table = self.chunks(configuration)
        key = self.keys(configuration).texts
        if not key:
            return IndexTexts(len(table), lambda number: self.text(table, number))

        def make() -> dict[str, npt.NDArray]:
            writer = self.models.role("writer", configuration.index.model)
            self._rewritten.add(key)
            return written_texts(
                ((self.text(table, number), self.source(table, number)) for number in range(len(table))),
                len(table),
                configuration.index.text,
                writer,
                self.progress,
            )

        if self._fresh and key not in self._rewritten:
            self.workspace.store.forget_arrays(key)
        return IndexTexts.from_arrays(self._get("texts", key, make, dict, dict))

    def keyword(self, configuration: Configuration) -> keyword.KeywordIndex:
        """The keyword index of a configuration."""

        def make() -> keyword.KeywordIndex:
            index = configuration.index
            titles = self._titles(configuration) if index.title_weight > 0 else ()
            texts = self.index_texts(configuration, "keyword", headings=index.title_weight == 0)
            return keyword.build(texts, index.k1, index.b, titles, index.title_weight, index.title_b)

        index = keyword.KeywordIndex
        return self._get("keyword", self.keys(configuration).keyword, make, index.arrays, index.from_arrays)

    def fitted(self, configuration: Configuration) -> embedding.State:
        """What the embedding model of a configuration learnt from the corpus."""

        def make() -> embedding.State:
            model = self.models.embedder(configuration.embedding)
            step = max(1, -(-len(self.texts(configuration)) // FITTED_ON))
            return model.fit(lambda: itertools.islice(self.index_texts(configuration, "fitted"), 0, None, step))

        return self._get("fitted", self.keys(configuration).fitted, make, dict, dict)

    def vectors(self, configuration: Configuration) -> npt.NDArray[np.float32]:
        """The vectors of a configuration, a row an index text, memory-mapped; an interrupted making goes on."""
        state = self.fitted(configuration)
        rows = len(self.texts(configuration))
        key = self.keys(configuration).vectors

        def batches(done: int) -> Iterator[npt.NDArray[np.float32]]:
            model = self.models.embedder(configuration.embedding)
            texts = self.index_texts(configuration, "vectors", done)
            while batch := list(itertools.islice(texts, _EMBEDDED_AT_ONCE)):
                yield model.embed(batch, state)

        def make() -> dict[str, npt.NDArray]:
            if rows:
                self.workspace.store.grown_array(key, "vectors", rows, batches)
            else:
                self.workspace.store.keep_arrays(key, {"vectors": np.zeros((0, 1), np.float32)})
            return self.workspace.store.arrays(key)

        made: dict[str, npt.NDArray[np.float32]] = self._get("vectors", key, make, None, dict)
        return made["vectors"]

    def nearest(self, configuration: Configuration) -> Nearest:
        """The vector search of a configuration: exact, or through its approximate index."""
        vectors = self.vectors(configuration)
        settings = configuration.search
        if settings.nearest == "exact":
            return lambda queries, top, allowed: exact(vectors, queries, top, allowed)
        index, _ = self._approximate(configuration)
        return lambda queries, top, allowed: approximate.search(index, vectors, queries, top, settings.reach, allowed)

    def recall(self, configuration: Configuration) -> float | None:
        """How much of the ten nearest the approximate index finds, 0 to 1; None where search is exact."""
        if configuration.search.method == "keyword" or configuration.search.nearest == "exact":
            return None
        index, key = self._approximate(configuration)
        key = content_key("recall", key, asdict(configuration.search.reach))
        store = self.workspace.store
        try:
            return float(store.result(key)["recall"])
        except KeyError:
            found = approximate.recall(index, self.vectors(configuration), configuration.search.reach)
            store.keep([(key, "recall", {"recall": found}, 0.0)])
            return found

    def _approximate(self, configuration: Configuration) -> tuple[Any, str]:
        """The index and its key."""
        key = self.keys(configuration).nearest
        store = self.workspace.store

        def make() -> Any:
            vectors = self.vectors(configuration)
            self.progress("nearest", 0, 1)
            folder = store.keep_folder(
                key,
                lambda draft: approximate.write(
                    approximate.build(vectors, configuration.search.nearness), draft / _INDEX
                ),
            )
            return approximate.opened(folder / _INDEX)

        def open_kept() -> Any:
            return approximate.opened(store.folder_of(key) / _INDEX)

        return self._held_or(key, open_kept, make, "nearest"), key

    def allowed(self, where: str) -> tuple[str, frozenset[str] | None]:
        """The documents that a filter lets pass, with their content key; ("", None) without a filter.

        Raises `BadInput` for a field that no document has, or a value of another type than the field's.
        """
        if not where:
            return "", None
        if where not in self._allowed:
            may = passed(self.workspace, where)
            self._allowed[where] = (content_key("allowed", sorted(may)), may)
        return self._allowed[where]

    def narrowing(self, configuration: Configuration) -> Narrowing:
        """Which chunks the configuration's filter lets pass, and which chunk each index text leads to."""
        _, names = self.allowed(configuration.search.where)
        table = self.chunks(configuration)
        may = None
        if names is not None:
            may = np.array([name in names for name in table.docs], dtype=bool)[table.doc]
        return Narrowing(self.texts(configuration).owner, may)

    def indexes(self, configuration: Configuration) -> Indexes:
        """All that the configuration's search method needs."""
        method = configuration.search.method
        return Indexes(
            self.keyword(configuration) if method != "vector" else None,
            self.nearest(configuration) if method != "keyword" else None,
            self.narrowing(configuration),
        )

    def embed_queries(self, configuration: Configuration, queries: list[list[str]]) -> list[npt.NDArray[np.float32]]:
        """For each list of queries an array with a row each."""
        flat = [text for texts in queries for text in texts]
        if not flat:
            return []
        rows = self.models.embedder(configuration.embedding).embed(flat, self.fitted(configuration), "query")
        return np.split(rows, np.cumsum([len(texts) for texts in queries])[:-1])

    def index_texts(
        self, configuration: Configuration, stage: str, first: int = 0, headings: bool = True
    ) -> Iterator[str]:
        """What is matched, in order from the `first` on: each index text, behind its chunk's heading path when the
        configuration (and `headings`) says so."""
        table = self.chunks(configuration)
        texts = self.texts(configuration)
        for number in range(first, len(texts)):
            if not number % 256:
                self.progress(stage, number, len(texts))
            text = texts.text(number)
            if headings and configuration.index.headings:
                above = [line for line in self.source(table, texts.chunk(number), title=False) if line not in text]
                text = "\n".join([*above, text])
            yield text
        self.progress(stage, len(texts), len(texts))

    def _titles(self, configuration: Configuration) -> Iterator[str]:
        """The title and heading path over each index text: the title field of the keyword index."""
        table = self.chunks(configuration)
        texts = self.texts(configuration)
        for number in range(len(texts)):
            yield "\n".join(self.source(table, texts.chunk(number), title=False))

    def text(self, table: ChunkTable, number: int) -> str:
        """The text of a chunk."""
        return text_of(self.workspace.corpus.document(table.name(number)).text, table.ranges(number))

    def source(self, table: ChunkTable, number: int, title: bool = True) -> list[str]:
        """Where a chunk stands: its document's title (or name) and the headings over its beginning."""
        document = self.workspace.corpus.document(table.name(number))
        path = list(document.heading_path(table.ranges(number)[0][0]))
        lead = document.title or (document.name if title else "")
        return [lead, *path] if lead and lead not in path else path

    def _get(
        self,
        stage: str,
        key: str,
        make: Callable[[], Any],
        to_arrays: Callable[[Any], dict[str, npt.NDArray]] | None,
        from_arrays: Callable[[dict[str, npt.NDArray]], Any],
    ) -> Any:
        """A stage's result: held, from the store, or made and kept; without `to_arrays`, `make` keeps it itself."""
        store = self.workspace.store

        def make_and_keep() -> Any:
            value = make()
            if to_arrays is not None:
                store.keep_arrays(key, to_arrays(value))
            return value

        return self._held_or(key, lambda: from_arrays(store.arrays(key)), make_and_keep, stage)

    def _held_or(self, key: str, kept: Callable[[], Any], make: Callable[[], Any], stage: str) -> Any:
        if key in self._held:
            self._held.move_to_end(key)
            return self._held[key]
        try:
            value = kept()
        except KeyError:
            began = time.perf_counter()
            value = make()
            self.seconds[stage] = self.seconds.get(stage, 0.0) + time.perf_counter() - began
            self.made[stage] = self.made.get(stage, 0) + 1
        self._held[key] = value
        if len(self._held) > _HELD:
            self._held.popitem(last=False)
        return value
