"""Search by a database: index texts are loaded into it, or a table of the user's is searched as it is."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from typing import Any

import numpy as np
import numpy.typing as npt

from ...core.brought import Brought, BroughtItem
from ...core.chunking import ChunkTable
from ...core.indexing import Hit, Narrowing
from ...core.searching import Searching, fuse
from ...core.searching.in_memory import InMemory
from ...core.searching.words import PLAIN, WordSearch
from ...core.text.languages import AUTO, ENGLISH, NONE, language_of
from ..inputs import Given

_SIMPLE = "simple"  # PostgreSQL's configuration that takes words as they are
# The languages for which PostgreSQL has a configuration of its own.
_CONFIGURED = frozenset(
    "arabic armenian basque catalan danish dutch english finnish french german greek hindi hungarian indonesian irish italian "
    "lithuanian nepali norwegian portuguese romanian russian serbian spanish swedish tamil turkish yiddish".split()
)
_LOOKED_AT = 500  # texts from whose language that of all is told


@dataclass(frozen=True)
class LoadSettings:
    """How index texts are laid out in the database: see `Layout` there. `words` and `vectors` say what is searched,
    `metadata` names what a filter looks at."""

    way: str = "exact"
    links: int = 32
    build_effort: int = 80
    lists: int = 0
    words: bool = True
    vectors: bool = True
    language: str = AUTO
    metadata: str = ""


@dataclass(frozen=True)
class Loaded:
    """The table that holds the index texts, and by which configuration their words are read."""

    table: str
    language: str


def loaded(given: Given) -> Loaded:
    """The index texts in a table of the database, loaded where they are not there."""
    from ...storage.server.searching import Layout

    how: LoadSettings = given.settings
    database, texts, table = given.models["database"], given["matched"], given["chunks"]
    language = _language(how.language, texts) if how.words else ""
    name = f"t_{given.key}"
    if database.has(name):
        return Loaded(name, language)
    vectors = given["vectors"] if how.vectors else None
    owner = given["written"].owner if given["written"] is not None else None
    fields = given["metadata"] if how.metadata else None

    def rows() -> Iterator[tuple[int, int, str | None, Any, str | None]]:
        metas: dict[int, str] = {}
        for number, text in enumerate(texts):
            doc = int(table.doc[number if owner is None else owner[number]])
            if fields is not None and doc not in metas:
                metas[doc] = json.dumps(fields.get(table.docs[doc], {}), default=str).replace("\\u0000", "")
            yield number, doc, text if how.words else None, None if vectors is None else vectors[number], metas.get(doc)

    layout = Layout(how.way, how.links, how.build_effort, how.lists, language)
    width = vectors.shape[1] if vectors is not None else 0
    database.load(
        name,
        rows(),
        width,
        layout,
        len(texts),
        lambda done, total: given.progress("loading into the database", done, total),
    )
    return Loaded(name, language)


def _language(wanted: str, texts: Any) -> str:
    """The database's configuration for a language: of "auto" that of most of some texts, spread evenly."""
    if wanted == AUTO:
        step = max(1, len(texts) // _LOOKED_AT)
        found = Counter(language_of(text) or ENGLISH for text in islice(iter(texts), 0, None, step))
        wanted = min(found, key=lambda each: (-found[each], each)) if found else ENGLISH
    return wanted if wanted in _CONFIGURED and wanted != NONE else _SIMPLE


@dataclass(frozen=True)
class AtDatabase:
    """How the database is searched: see `Reaching` there."""

    way: str = "exact"
    effort: int = 256
    probes: int = 20
    match: str = "any"
    where: str = ""

    def reaching(self) -> Any:
        """The same in the database's own form."""
        from ...storage.server.searching import Reaching

        return Reaching(self.way, self.effort, self.probes, self.match, self.where)


@dataclass(frozen=True, eq=False)
class OnServer:
    """A `Searcher` whose lists a database makes; it filters by the condition itself. Which terms are rare it does not
    say."""

    identity: str
    database: Any
    loaded: Loaded
    table: ChunkTable
    owner: npt.NDArray[np.int32] | None
    how: AtDatabase

    def by_words(
        self, queries: Sequence[str], top: int, condition: frozenset[str] | None, how: WordSearch = PLAIN
    ) -> list[list[Hit]]:
        """For each query the `top` chunks by `ts_rank`."""
        wanted = top * Narrowing(self.owner).most_texts
        found = self.database.by_words(self.loaded.table, queries, wanted, self.loaded.language, self.how.reaching())
        return [Narrowing(self.owner).hits(row, top) for row in found]

    def by_vectors(
        self, queries: npt.NDArray[np.float32], top: int, condition: frozenset[str] | None
    ) -> list[list[Hit]]:
        """For each row the nearest chunks."""
        reaching = self.how.reaching()

        def near(rows: npt.NDArray[np.float32], count: int, allowed: Any) -> list[list[Hit]]:
            found: list[list[Hit]] = self.database.nearest(self.loaded.table, rows, count, reaching)
            return found

        return InMemory(self.identity, self.table, self.owner, nearest=near).by_vectors(queries, top, None)

    def document_frequency(self, term: str) -> int:
        """Not known here."""
        return 0

    def rarity(self, term: str) -> float:
        """Not known here."""
        return 0.0

    def recall(self) -> float:
        """The share of the ten nearest that the database's index finds."""
        return float(self.database.recall(self.loaded.table, self.how.reaching()))


def server(given: Given) -> OnServer:
    """What searches in the database."""
    written = given["written"]
    owner = None if written is None else written.owner
    return OnServer(given.key, given.models["database"], given["loaded"], given["chunks"], owner, given.settings)


@dataclass(frozen=True)
class TableSearch:
    """How a table of the user's is searched: what it is, by what, how many rows a query looks up, and how lists are
    joined; `state` tells whether it has changed."""

    table: tuple[tuple[str, str], ...]
    method: str
    depth: int
    at: AtDatabase
    searching: Searching
    state: str


def rows_found(given: Given) -> list[Brought]:
    """The ranked list of each question as the table gives it."""
    from ...storage.server.user_table import TableOf, TableRow, UserTable

    how: TableSearch = given.settings
    table = UserTable(given.models["database"], TableOf(**dict(how.table)))
    texts = [wording.text for wording in given["wording"]]
    none: list[list[TableRow]] = [[] for _ in texts]
    words = near = none
    if how.method != "vector":
        words = table.rows_with(texts, how.depth, how.at.reaching())
    if how.method != "keyword":
        vectors = given.models["embedder"].embed(texts, {}, "query")
        near = table.rows_near(vectors, how.depth, how.at.reaching())
    return [_joined(one, other, how) for one, other in zip(words, near)]


def _joined(words: Sequence[Any], near: Sequence[Any], how: TableSearch) -> Brought:
    """Both lists of a question in one, joined as those of our own search are."""
    rows: dict[str, Any] = {}
    for row in (*words, *near):
        rows.setdefault(row.id, row)
    numbers = {name: number for number, name in enumerate(rows)}
    lists = [[(numbers[row.id], row.score) for row in found] for found in (words, near)]
    one = [lists[0]] if how.method != "vector" else []
    other = [lists[1]] if how.method != "keyword" else []
    names = list(rows)
    chosen = fuse(one, other, how.searching, []).chunks
    return Brought(ranked=tuple(BroughtItem(rows[names[n]].text, rows[names[n]].source) for n in chosen))
