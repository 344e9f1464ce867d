"""Search by a PostgreSQL server: loaded index texts, tables of the user's, and conditions as SQL."""

from __future__ import annotations

import json
import random
from collections.abc import Iterator
from typing import Any

import numpy as np
import psycopg
import pytest

from aventrik.core.embedding import embedder
from aventrik.core.errors import BadInput
from aventrik.core.indexing.vectors import search as exact
from aventrik.core.searching.filters import parse, passes
from aventrik.storage.server.conditions import of_columns, of_metadata
from aventrik.storage.server.searching import Layout, Reaching, SearchDatabase

from ..conftest import TEXTS, Program
from ..servers import DatabaseServer

RNG = np.random.default_rng(3)


def unit(count: int, width: int) -> Any:
    rows = RNG.standard_normal((count, width)).astype(np.float32)
    return rows / np.linalg.norm(rows, axis=1, keepdims=True)


@pytest.fixture
def searching(database: str) -> Iterator[SearchDatabase]:
    made = SearchDatabase(database, "found")
    yield made
    made.close()


def load(searching: SearchDatabase, name: str, vectors: Any, texts: list[str] | None = None, **layout: Any) -> None:
    metas = [json.dumps({"number": n, "even": not n % 2}) for n in range(len(vectors))]
    rows = ((n, n, texts[n] if texts else None, vectors[n], metas[n]) for n in range(len(vectors)))
    searching.load(name, rows, vectors.shape[1], Layout(**layout), len(vectors))


# Vectors.


def test_exact_search_on_the_server_is_that_of_this_program(searching: SearchDatabase) -> None:
    vectors = unit(500, 24)
    vectors[100:104] = vectors[7]  # equal ones stand in order
    queries = np.concatenate([unit(8, 24), vectors[7:8]])
    load(searching, "t_exact", vectors)
    ours = exact(vectors, queries, 10)
    theirs = searching.nearest("t_exact", queries, 10, Reaching())
    assert [[place for place, _ in row] for row in theirs] == [[place for place, _ in row] for row in ours]
    assert np.allclose([[s for _, s in row] for row in theirs], [[s for _, s in row] for row in ours], atol=2e-6)
    some = searching.nearest("t_exact", queries, 10, Reaching(where="number < 50 and even = true"))
    allowed = np.array([n < 50 and not n % 2 for n in range(500)])
    assert [[p for p, _ in row] for row in some] == [
        [p for p, _ in row] for row in exact(vectors, queries, 10, allowed)
    ]


@pytest.mark.parametrize("way", ["graph", "lists"])
def test_an_approximate_index_of_the_server_finds_more_the_harder_it_looks(searching: SearchDatabase, way: str) -> None:
    vectors = unit(3000, 16)
    load(searching, f"t_{way}", vectors, way=way, links=8, build_effort=16, lists=100)
    plans = searching._rows(
        f"SELECT indexdef FROM pg_indexes WHERE tablename = 't_{way}' AND indexdef LIKE '%%vector%%'"
    )
    assert ("hnsw" if way == "graph" else "ivfflat") in plans[0][0]
    little = searching.recall(f"t_{way}", Reaching(way, effort=11, probes=1))
    much = searching.recall(f"t_{way}", Reaching(way, effort=1000, probes=100))
    again = searching.recall(f"t_{way}", Reaching(way, effort=11, probes=1))
    assert little == again < much  # whatever was planned before
    assert much > 0.97
    filtered = searching.recall(f"t_{way}", Reaching(way, effort=11, probes=1, where="number < 60"))
    assert filtered < little  # what the filter leaves out takes the place of what it lets pass
    exactly = searching.recall(f"t_{way}", Reaching("exact", where="number < 60"))
    assert exactly == 1.0


def test_a_table_is_loaded_whole_or_not_at_all_and_only_once(searching: SearchDatabase) -> None:
    vectors = unit(5, 4)

    def broken() -> Iterator[tuple[int, int, None, Any, None]]:
        yield 0, 0, None, vectors[0], None
        raise KeyboardInterrupt

    assert not searching.has("t_half")
    with pytest.raises(KeyboardInterrupt):
        searching.load("t_half", broken(), 4, Layout(), 5)
    assert not searching.has("t_half")
    load(searching, "t_half", vectors)
    assert searching.has("t_half")
    load(searching, "t_half", unit(2, 4))  # there already: nothing is done
    assert len(searching.nearest("t_half", vectors[:1], 10, Reaching())[0]) == 5
    assert searching.drop_loaded() == 1
    assert not searching.has("t_half")


def test_words_are_searched_as_the_server_reads_them(searching: SearchDatabase) -> None:
    texts = [
        "Locks are open.",
        "The lock keeper's lock was locked: a lock.",
        "A mooring's \\ price",
        "nothing here",
        "",
    ]
    searching.load("t_w", ((n, n, text, None, None) for n, text in enumerate(texts)), 0, Layout(language="english"), 5)
    [one, both, odd, none] = searching.by_words(
        "t_w", ["Which lock?", "keeper of the moorings", "it's \\ 'odd' & | !", "the"], 10, "english", Reaching()
    )
    assert sorted(n for n, _ in one) == [0, 1]
    assert sorted(n for n, _ in both) == [1, 2]
    assert odd == none == []
    [every] = searching.by_words("t_w", ["keeper of the moorings"], 10, "english", Reaching(match="all"))
    assert every == []
    [found] = searching.by_words("t_w", ["lock keeper"], 10, "english", Reaching(match="all"))
    assert [n for n, _ in found] == [1]


# Conditions.

CONDITIONS = [
    "area = 'Moss Cut'", "area <> 'Moss Cut'", "pages >= 3 and pages < 10", "not pages between 3 and 9", "issued > '2031-04-01'",
    "kind in ('works', 'event')", "not kind in ('works')", "area like 'm%cut'", "area like '50_\\%'", "area is null",
    "area is not null or pages = 3", "open = true", "open <> true", "tags = 'a'", "tags <> 'a'", "tags in ('a', 'c')",
    "tags like '%B%'", "not (tags = 'a' and pages > 1)", "area = 'it''s; DROP TABLE x --'", "\"odd \"\" name\" = 2.5",
]  # fmt: skip
ROWS: list[dict[str, Any]] = [
    {"area": "Moss Cut", "pages": 3, "issued": "2031-05-01", "kind": "works", "open": True, "tags": ["a", "b"]},
    {"area": "moss cut", "pages": 9.0, "issued": "2031-03-01", "kind": "event", "open": False, "tags": ["c", None]},
    {"area": None, "pages": 10, "kind": "other", "tags": []},
    {"area": "it's; DROP TABLE x --", "pages": "many", "tags": "a", "odd \" name": 2.5},
    {"area": "50x\\y", "open": "true", "tags": ["b"], "odd \" name": "2.5"},
    {},
]  # fmt: skip


@pytest.mark.parametrize("where", CONDITIONS)
def test_a_condition_means_on_the_server_what_it_means_here(database: str, where: str) -> None:
    said, values = of_metadata(parse(where))
    with psycopg.connect(database) as link:
        link.execute("CREATE TEMP TABLE m (n INTEGER, meta JSONB)")
        for n, row in enumerate(ROWS):
            link.execute("INSERT INTO m VALUES (%s, %s)", (n, json.dumps(row)))
        statement = psycopg.sql.SQL("SELECT n FROM m WHERE {} ORDER BY n").format(said)
        found = [n for (n,) in link.execute(statement, values)]
    assert found == [n for n, row in enumerate(ROWS) if passes(parse(where), row)]
    assert "DROP" not in said.as_string(None)


def test_a_condition_on_columns_is_compared_as_the_server_does(database: str) -> None:
    said, values = of_columns(parse("issued >= '2031-04-01' and pages in (1, 2) and not area like 'm%'"))
    assert values == ["2031-04-01", 1, 2, "m%"]
    with psycopg.connect(database) as link:
        link.execute("CREATE TEMP TABLE t (n INTEGER, issued DATE, pages INTEGER, area TEXT)")
        rows = [
            (1, "2031-05-01", 1, "x"),
            (2, "2031-03-01", 1, "x"),
            (3, "2031-05-01", 3, "x"),
            (4, "2031-05-01", 2, "Moss"),
        ]
        for row in rows:
            link.execute("INSERT INTO t VALUES (%s, %s, %s, %s)", row)
        statement = psycopg.sql.SQL("SELECT n FROM t WHERE {}").format(said)
        assert [n for (n,) in link.execute(statement, values)] == [1]


# The installed program.


def configure(program: Program, name: str, search: str, model: str = "lsa") -> None:
    (program.folder / "configs" / f"{name}.toml").write_text(
        f'name = "{name}"\n[chunking]\nsize = 120\noverlap = 0\n[embedding]\nmodel = "{model}"\n[answering]\nmodel = "none"\n'
        f"[search]\n{search}"
    )


def name_database(program: Program, address: str) -> None:
    with open(program.folder / "aventrik.toml", "a") as file:
        file.write(f'\n[database]\naddress = "{address}"\n')


def served(program: Program, run: str, question: str) -> list[tuple[str, int]]:
    shown = program.json("explain", run, question)
    return [(item["doc"], item["chunk"]) for item in shown["stages"]["served"]["items"]]


def test_what_the_server_finds_by_vectors_is_what_is_found_here(workspace: Program, database: str) -> None:
    (workspace.folder / "more.csv").write_text("document,area\nmoorings.md,Moss Cut\nlocks.md,Hexley\n")
    workspace("gather", "--metadata", "more.csv")
    name_database(workspace, database)
    near = 'method = "vector"\n'
    filtered = near + "where = \"area = 'Moss Cut'\"\n"
    configure(workspace, "here", near)
    configure(workspace, "there", near + 'place = "postgres"\n')
    configure(workspace, "here-where", filtered)
    configure(workspace, "there-where", filtered + 'place = "postgres"\n')
    configure(workspace, "graph", near + 'place = "postgres"\nnearest = "graph"\n')
    configure(workspace, "both", 'place = "postgres"\nmethod = "both"\n')
    done = workspace.json("run", "here", "there", "here-where", "there-where", "graph", "both", "--until", "served")
    assert [each["recall"] for each in done] == [None, None, None, None, 1.0, None]
    for question in ("a1", "a2"):
        assert served(workspace, "here", question) == served(workspace, "there", question)
        assert served(workspace, "here-where", question) == served(workspace, "there-where", question)
        assert {doc for doc, _ in served(workspace, "there-where", question)} == {"moorings.md"}
        assert served(workspace, "both", question)
    [asked] = workspace.json("ask", "How long may a boat stay?", "both")
    assert asked["stages"]["served"]["items"]
    workspace("run", "there", "--until", "served")
    with psycopg.connect(database) as link:
        tables = link.execute("SELECT count(*) FROM aventrik_search.loaded").fetchall()
    assert tables == [(4,)]  # there, there-where, graph, both: what is searched in the same way is loaded once


@pytest.fixture
def production(database: str) -> str:
    """A table as somebody's ingestion left it: paragraphs of the documents, and one that is nowhere in them."""
    model = embedder("static", 0)
    rows = [
        (f"{name}-{n}", text.strip(), name)
        for name, whole in TEXTS.items()
        for n, text in enumerate(whole.split("\n\n"))
        if text.strip()
    ]
    rows.append(("strange-1", "Guests: two days and no more at our jetties, boats included.", "gone.md"))
    random.Random(1).shuffle(rows)
    vectors = model.embed([text for _, text, _ in rows], {})
    with psycopg.connect(database) as link:
        link.execute("CREATE EXTENSION vector")
        link.execute(
            f"CREATE TABLE pieces (id TEXT, body TEXT, page TEXT, place INTEGER, v vector({vectors.shape[1]}))"
        )
        for place, (row, vector) in enumerate(zip(rows, vectors)):
            link.execute("INSERT INTO pieces VALUES (%s, %s, %s, %s, %s)", (*row, place, str(vector.tolist())))
        link.execute("CREATE INDEX ON pieces USING hnsw (v vector_cosine_ops)")
        link.commit()
    return database


TABLE = '[search.table]\nname = "pieces"\ntext = "body"\nsource = "page"\nvector = "v"\n'


def test_a_table_of_the_users_is_measured_as_it_is_and_never_written(
    workspace: Program, production: str, database_server: DatabaseServer
) -> None:
    name_database(workspace, production)
    for name, how in (("words", "keyword"), ("near", "vector"), ("both", "both")):
        configure(workspace, name, f'place = "postgres"\nmethod = "{how}"\nnearest = "graph"\n{TABLE}', "static")
    configure(
        workspace, "some", f'place = "postgres"\nmethod = "vector"\nwhere = "page like \'lock%\'"\n{TABLE}', "static"
    )
    done = workspace.json("run", "words", "near", "both", "some")
    assert [each["name"] for each in done] == ["words", "near", "both", "some"]
    shown = workspace.json("explain", "near", "a1")
    items = shown["stages"]["served"]["items"]
    assert items[0]["doc"] in ("moorings.md", "gone.md")
    assert any(item["doc"] == "gone.md" and not item["ranges"] for item in items)  # it takes its place in the list
    assert {item["doc"] for item in workspace.json("explain", "some", "a1")["stages"]["served"]["items"]} == {
        "locks.md"
    }
    found = {run["name"]: run["measures"]["hit@5"]["mean"] for run in workspace.json("compare")["runs"]}
    assert found["both"] > found["some"]
    assert all(not each["computed"] for each in workspace.json("run", "near"))
    database_server.run(production, "UPDATE pieces SET body = 'changed' WHERE page = 'moorings.md'")
    assert workspace.json("run", "near")[0]["computed"]["brought"] == 3
    assert database_server.run(production, "SELECT count(*) FROM pg_tables WHERE schemaname LIKE 'aventrik%'") == [(0,)]


@pytest.mark.parametrize(
    ("table", "model", "reason"),
    [
        ('[search.table]\nname = "nowhere"\nvector = "v"\n', "static", "check search.table.name 'nowhere'"),
        ('[search.table]\nname = "pieces"\nvector = "v"\n', "static", 'column "text" does not exist'),
        (TABLE, "lsa", "learns from the documents"),
        (TABLE.replace('vector = "v"\n', ""), "static", "search.table.vector"),
        ("where = \"colour = 'red'\"\n" + TABLE, "static", 'column "colour" does not exist'),
        ("where = \"place = 'red'\"\n" + TABLE, "static", "invalid input syntax"),
        (TABLE + 'language = "klingon"\n', "static", "klingon"),
        ("", "static", ""),
    ],
)
def test_what_does_not_fit_a_table_is_told(
    workspace: Program, production: str, table: str, model: str, reason: str
) -> None:
    if not table:
        configure(workspace, "x", 'place = "postgres"\n')
        assert "[database] address" in workspace.fails("run", "x")
        return
    name_database(workspace, production)
    configure(workspace, "x", f'place = "postgres"\nmethod = "both"\n{table}', model)
    assert reason in workspace.fails("run", "x")


def test_a_table_with_vectors_of_another_length_is_told(
    workspace: Program, production: str, database_server: DatabaseServer
) -> None:
    database_server.run(
        production, "DROP INDEX pieces_v_idx", "ALTER TABLE pieces ALTER v TYPE vector(3) USING '[1,2,3]'::vector"
    )
    name_database(workspace, production)
    configure(workspace, "x", f'place = "postgres"\nmethod = "vector"\n{TABLE}', "static")
    assert "have 3 numbers, those of the embedding model 256" in workspace.fails("run", "x")


def test_a_server_without_the_extension_is_told(database: str, monkeypatch: pytest.MonkeyPatch) -> None:
    searching = SearchDatabase(database, "found")
    before = searching.link.execute

    def refused(statement: Any, *values: Any) -> Any:
        if "CREATE EXTENSION" in str(statement):
            raise psycopg.errors.FeatureNotSupported('extension "vector" is not available')
        return before(statement, *values)

    monkeypatch.setattr(searching.link, "execute", refused)
    with pytest.raises(BadInput, match="has no pgvector"):
        load(searching, "t_none", unit(3, 4))
    monkeypatch.undo()
    before_it_is_there = searching.identity
    load(searching, "t_one", unit(3, 4))
    assert searching.identity == before_it_is_there


def test_vectors_too_long_for_an_index_are_told(searching: SearchDatabase) -> None:
    with pytest.raises(BadInput, match="2,000 numbers"):
        load(searching, "t_long", unit(2, 2001), way="graph")
    load(searching, "t_long", unit(2, 2001))
