"""What is made of documents, and of the corpus as a whole, before any question is asked."""

from __future__ import annotations

import itertools
import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from ...core.chunking import Chunk, ChunkTable, chunk, chunks_from, columns_of
from ...core.context.serving import ServedTable, served, served_columns
from ...core.documents import Document
from ...core.documents.spans import text_of
from ...core.indexing import approximate, keyword, terms
from ...core.indexing.approximate import Nearness
from ...core.indexing.compact import Coding, Compact, compacted, cut
from ...core.indexing.compact import search as compact_search
from ...core.indexing.texts import owners, texts_from, write
from ...core.indexing.vectors import merged
from ...core.indexing.vectors import search as exact
from ...core.protocols import State
from ...core.rewriting.glossary import Glossary, GlossaryEntry, definitions
from ...core.searching.in_memory import InMemory, ShardSpan, span_of
from ...storage.protocols import Collection, Columns
from ..inputs import Given
from .lists import source

FITTED_ON = 60_000  # index texts, spread evenly, that a model is fitted on at the most
_NEAREST = ".nearest.faiss"


# A document at a time.


def chunks(given: Given) -> list[Columns]:
    """The chunks of each document."""
    cutting = replace(given.settings, tokenizer=given.models.get("tokenizer", "estimate"))
    return [columns_of(chunk(document, cutting)) for document in given["documents"]]


def units(given: Given) -> list[Columns]:
    """What is served for each chunk of each document."""
    serving = given.settings
    if serving.larger is not None:
        larger = replace(serving.larger, tokenizer=given.models.get("tokenizer", "estimate"))
        serving = replace(serving, larger=larger)
    return [
        served_columns(*served(document, chunks_from(columns), serving))
        for document, columns in zip(given["documents"], given["chunks"])
    ]


def written(given: Given) -> list[Columns]:
    """What the writer says about each chunk of each document."""
    documents = [
        [(text_of(document.text, ranges), source(document, ranges)) for ranges in chunks_from(columns)]
        for document, columns in zip(given["documents"], given["chunks"])
    ]
    return write(documents, given.settings.text, given.models["writer"])


def matched(given: Given) -> list[list[str]]:
    """The texts that are matched of each document: of each chunk its own text or what was written about it, behind the
    headings over it that do not occur in it, when the settings say so."""
    made = []
    for place, (document, columns) in enumerate(zip(given["documents"], given["chunks"])):
        found = chunks_from(columns)
        texts = (
            [(number, text_of(document.text, ranges)) for number, ranges in enumerate(found)]
            if given["written"] is None
            else texts_from(given["written"][place])
        )
        made.append([_headed(document, found[number], text, given.settings.headings) for number, text in texts])
    return made


def _headed(document: Document, ranges: Chunk, text: str, headings: bool) -> str:
    if not headings:
        return text
    above = [line for line in source(document, ranges) if line not in text]
    return "\n".join([*above, text])


def titles(given: Given) -> list[list[str]]:
    """For each text that is matched, the title and headings over its chunk."""
    made = []
    for place, (document, columns) in enumerate(zip(given["documents"], given["chunks"])):
        above = ["\n".join(source(document, ranges)) for ranges in chunks_from(columns)]
        if given["written"] is not None:
            above = [above[number] for number in given["written"][place]["owner"].tolist()]
        made.append(above)
    return made


def count_terms(given: Given) -> list[Columns]:
    """How often each term occurs in each text of each document."""
    [texts] = given.inputs.values()
    return terms.count(texts, given.settings.language)


def defined(given: Given) -> list[Columns]:
    """The definitions of terms that each document holds."""
    made: list[Columns] = []
    for document in given["documents"]:
        found = [[entry.term, entry.meaning, entry.short] for entry in definitions(document)]
        body = json.dumps(found).encode() if found else b""
        made.append({"body": np.frombuffer(body, dtype=np.uint8), "sizes": np.array([len(body)], dtype=np.int64)})
    return made


def vectors(given: Given) -> list[Columns]:
    """A vector of each text of each document."""
    documents = given["matched"]
    flat = [text for texts in documents for text in texts]
    rows = given.models["embedder"].embed(flat, given["fitted"] or {}) if flat else np.zeros((0, 0), np.float32)
    parts = np.split(rows, np.cumsum([len(texts) for texts in documents])[:-1])
    return [{"rows": part} for part in parts]


def codes(given: Given) -> list[Columns]:
    """The vectors of each document as they are kept for search."""
    return [compacted(np.atleast_2d(columns["rows"]), given.settings) for columns in given["vectors"]]


# The whole corpus.


def keyword_index(given: Given) -> dict[str, npt.NDArray]:
    """Postings of all terms."""
    title_terms = given["title terms"]
    fields = [None if found is None else (found.columns, found.ends) for found in (given["terms"], title_terms)]
    assert fields[0] is not None
    return keyword.merge(fields[0], given.settings, fields[1]).arrays()


def fitted(given: Given) -> State:
    """What the embedding model learns from texts spread over the corpus."""
    texts = given["matched"]
    step = max(1, -(-len(texts) // FITTED_ON))

    def some() -> Iterator[str]:
        for number, text in enumerate(itertools.islice(texts, 0, None, step)):
            if not number % 256:
                given.progress("fitted", number * step, len(texts))
            yield text

    learnt: State = given.models["embedder"].fit(some)
    return learnt


def nearest_index(given: Given) -> list[Any]:
    """The indexes that find near vectors without looking at all of them, one for each part; that of a shard alone."""
    how: Nearness = given.settings
    owner = None if given["written"] is None else given["written"].owner
    rows = given["vectors"] if given["codes"] is None else given["codes"].rows
    shards = range(how.parts) if given.shard is None else [given.shard[0]]
    made = []
    for done, number in enumerate(shards):
        given.progress("nearest", done, len(shards))
        span = span_of(given["chunks"], owner, number, how.parts)
        made.append(approximate.build(rows[span.first_text : span.last_text], how))
    return made


# How what is kept is opened again.


def open_chunks(names: Sequence[str], found: Collection) -> ChunkTable:
    """The table of all chunks."""
    return ChunkTable.of_columns(names, found.columns, found.ends)


def open_units(names: Sequence[str], found: Collection) -> ServedTable:
    """The table of all units, and which one each chunk serves."""
    return ServedTable.of_columns(names, found.columns, found.ends)


@dataclass(frozen=True)
class WrittenTexts:
    """Which chunk each written text leads to, and for how many chunks the writer gave nothing."""

    owner: npt.NDArray[np.int32]
    failed: int


def open_written(names: Sequence[str], found: Collection) -> WrittenTexts:
    """The owners of all written texts."""
    return WrittenTexts(owners(found.columns, found.ends), int(found.columns["failed"].sum()))


def open_columns(names: Sequence[str], found: Collection) -> Collection:
    """The collection as it is."""
    return found


def open_defined(names: Sequence[str], found: Collection) -> Glossary:
    """The glossary of all documents."""
    body = found.columns["body"].tobytes()
    ends = np.cumsum(found.columns["sizes"]).tolist()
    entries: list[GlossaryEntry] = []
    for start, end in zip([0, *ends], ends):
        if end > start:
            entries.extend(GlossaryEntry(term, meaning, short) for term, meaning, short in json.loads(body[start:end]))
    return Glossary(entries)


def open_vectors(names: Sequence[str], found: Collection) -> npt.NDArray[np.float32]:
    """All vectors, shape (texts, dimensions)."""
    rows: npt.NDArray[np.float32] = found.columns["rows"]
    return rows if rows.ndim == 2 and rows.shape[1] else np.zeros((len(rows), 1), np.float32)


def open_codes(names: Sequence[str], found: Collection) -> Compact:
    """All vectors as they are kept for search."""
    columns = found.columns
    width = int(columns["width"].max(initial=1))
    rows = columns["rows"]
    if rows.ndim != 2 or not rows.shape[1]:
        rows = np.zeros((len(rows), 1), rows.dtype)
    bits = 8 if rows.dtype == np.int8 else 1 if rows.dtype == np.uint8 else 32
    return Compact(Coding(width, bits), rows, columns["scale"], width)


def write_arrays(value: dict[str, npt.NDArray], folder: Path) -> None:
    """Writes arrays, a file each."""
    for name, array in value.items():
        np.save(folder / f"{name}.npy", array)


def open_arrays(folder: Path) -> dict[str, npt.NDArray]:
    """The arrays again, memory-mapped."""
    found = {}
    for file in sorted(folder.glob("*.npy")):
        try:
            found[file.stem] = np.load(file, mmap_mode="r")
        except ValueError:  # an empty array can't be mapped
            found[file.stem] = np.load(file)
    return found


def open_keyword(folder: Path) -> keyword.KeywordIndex:
    """The keyword index."""
    return keyword.KeywordIndex.from_arrays(open_arrays(folder))


def write_nearest(indexes: Sequence[Any], folder: Path) -> None:
    """Writes approximate indexes, a file each."""
    for number, index in enumerate(indexes):
        approximate.write(index, folder / f"{number}{_NEAREST}")


def open_nearest(folder: Path) -> list[Any]:
    """The approximate indexes."""
    return [
        approximate.opened(folder / f"{number}{_NEAREST}") for number in range(len(list(folder.glob(f"*{_NEAREST}"))))
    ]


def open_part(folder: Path, number: int) -> list[Any]:
    """The approximate index of one part."""
    return [approximate.opened(folder / f"{number}{_NEAREST}")]


# What searches them.


def word_searcher(given: Given) -> InMemory:
    """Keyword search over the chunks."""
    written, table, documents = given["written"], given["chunks"], given["documents"]

    def text_of_chunk(number: int) -> str:
        document, ranges = documents[table.name(number)], table.ranges(number)
        return "\n".join([*source(document, ranges), text_of(document.text, ranges)])

    owner = None if written is None else written.owner
    return InMemory(given.key, table, owner, given["keyword"], text_of=text_of_chunk, span=_span(given, table, owner))


def _span(given: Given, table: ChunkTable, owner: npt.NDArray[np.int32] | None) -> ShardSpan | None:
    return None if given.shard is None else span_of(table, owner, *given.shard)


def shard_terms(given: Given) -> tuple[keyword.Terms, keyword.Terms | None]:
    """The terms of one shard's documents, of body and titles."""
    assert given.shard is not None
    table = given["chunks"]
    found: list[keyword.Terms | None] = []
    owner = None if given["written"] is None else given["written"].owner
    span = span_of(table, owner, *given.shard)
    first = int(table.doc[span.first]) if span.first < len(table) else len(table.docs)
    first = first if given.shard[0] else 0  # documents without a chunk stand at the end of the shard before
    last = int(table.doc[span.last]) if span.last < len(table) else len(table.docs)
    for each in (given["terms"], given["title terms"]):
        if each is None:
            found.append(None)
            continue
        columns = {
            name: column[each.ends[name][first] : each.ends[name][last]] for name, column in each.columns.items()
        }
        ends = {name: rows[first : last + 1] - rows[first] for name, rows in each.ends.items()}
        found.append((columns, ends))
    assert found[0] is not None
    return found[0], found[1]


@dataclass(frozen=True)
class Nearing:
    """How near vectors are looked for: how thoroughly in an approximate index, None for a search through all; and how
    many times the wanted number are scored again of vectors that are kept in fewer bits."""

    reach: approximate.Reach | None = None
    rescore: int = 0


def vector_searcher(given: Given) -> InMemory:
    """Vector search over the chunks: exact, through codes in fewer bits, or through the approximate index where there is
    one."""
    rows, indexes, kept, how = given["vectors"], given["nearest"], given["codes"], given.settings
    table, owner = given["chunks"], None if given["written"] is None else given["written"].owner
    span = _span(given, table, owner)
    first = span.first_text if span is not None else 0
    if span is not None:
        rows = rows[span.first_text : span.last_text]

    def near(queries: npt.NDArray, top: int, allowed: npt.NDArray[np.bool_] | None) -> list[list[tuple[int, float]]]:
        if indexes is not None:
            return in_parts(queries, top, allowed)
        if kept is not None:
            return compact_search(kept, rows, queries, top, allowed, how.rescore)
        return exact(rows, queries, top, allowed)

    def in_parts(
        queries: npt.NDArray, top: int, allowed: npt.NDArray[np.bool_] | None
    ) -> list[list[tuple[int, float]]]:
        found: list[list[list[tuple[int, float]]]] = []
        own, asked = (rows, queries) if kept is None else (kept.rows, cut(queries, kept.coding.keep))
        for number, index in enumerate(indexes):
            part = span or span_of(table, owner, number, len(indexes))
            begin, end = part.first_text - first, part.last_text - first
            may = None if allowed is None else allowed[begin:end]
            lists = approximate.search(index, own[begin:end], asked, top, how.reach, may)
            found.append([[(place + begin, score) for place, score in row] for row in lists])
        return found[0] if len(found) == 1 else [merged(row, top) for row in zip(*found)]

    return InMemory(given.key, table, owner, nearest=near, span=span)
