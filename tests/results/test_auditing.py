"""What stands in a store is proved: a run made anew comes to the same, and what does not fit together is found."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from aventrik.core.errors import BadInput
from aventrik.core.measures import Scores
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.kept.chains import broken_chains
from aventrik.pipeline.codec import digest, encode
from aventrik.results.auditing import audited
from aventrik.storage.packing import compressed
from aventrik.storage.tables.mending import drop_filtered_away

from ..conftest import Program


def changed(folder: Path, stage: str, value: Any) -> int:
    """Puts another value in the place of a result of a stage, with a digest that is right; returns how many there were."""
    with closing(sqlite3.connect(folder / ".aventrik" / "store.db")) as db, db:
        [(name,)] = db.execute("SELECT id FROM results WHERE stage = ? ORDER BY id LIMIT 1", (stage,)).fetchall()
        body = encode(value)
        db.execute("UPDATE results SET value = ?, digest = ? WHERE id = ?", (compressed(body), digest(body), name))
        return int(db.execute("SELECT count(*) FROM results WHERE stage = ?", (stage,)).fetchone()[0])


@pytest.fixture
def ran(workspace: Program) -> Program:
    (workspace.folder / "configs" / "starter.toml").write_text(
        'name = "starter"\n[chunking]\nsize = 60\noverlap = 0\n[embedding]\nmodel = "lsa"\ndimensions = 8\n'
        '[[reranking]]\nstep = "closeness"\n'
    )
    workspace("run", "starter", "--testset", "small")
    return workspace


@pytest.mark.parametrize("how", [(), ("--threads", "3"), ("--on", "2")])
def test_a_run_made_anew_comes_to_the_same(ran: Program, how: tuple[str, ...]) -> None:
    found = ran.json("store", "--audit", "starter", *how)
    assert found["sound"]
    assert (found["first"], found["apart"], found["broken"]) == ("", [], [])
    assert {stage["compared"] for stage in found["stages"]} == {3}
    assert "step 1" in {stage["stage"] for stage in found["stages"]}


def test_what_comes_out_otherwise_is_told_from_its_first_stage_on(ran: Program) -> None:
    changed(ran.folder, "retrieval scores", Scores({"hit@5": 0.123}))
    found = json.loads(ran("store", "--audit", "starter", "--json", code=1).stdout)["result"]
    assert [(each["stage"], each["other"]) for each in found["stages"] if each["other"]] == [("retrieval scores", 1)]
    assert found["first"] == "retrieval scores"
    assert not found["sound"]
    shown = " ".join(ran("store", "--audit", "starter", code=1).stdout.split())
    assert "1 of " in shown
    assert "results come out otherwise, the first at 'retrieval scores'" in shown


def test_an_audit_leaves_the_store_as_it_was(ran: Program) -> None:
    def rows() -> list[Any]:
        with closing(sqlite3.connect(ran.folder / ".aventrik" / "store.db")) as db:
            return [
                db.execute(f"SELECT count(*) FROM {table}").fetchone()
                for table in ("runs", "results", "documents", "calls")
            ]

    before = rows()
    ran("store", "--audit", "starter")
    assert rows() == before


def test_a_change_of_the_documents_since_does_not_touch_an_audit(ran: Program) -> None:
    path = ran.folder / "docs" / "bridges.txt"
    path.write_text("Every bridge is gone.\n")
    ran("gather", str(ran.folder / "docs"))
    assert ran.json("store", "--audit", "starter")["sound"]


def test_what_can_not_be_audited_is_told(ran: Program) -> None:
    with OpenWorkspace(ran.folder) as opened:
        [run] = opened.store.runs.all()
        with pytest.raises(BadInput, match="is not finished"):
            audited(opened, replace(run, finished=""))
        with pytest.raises(BadInput, match="was brought from another system"):
            audited(opened, replace(run, made=run.made | {"outside": {"system": ""}}))
    assert "go with --audit" in ran.fails("store", "--threads", "2")
    assert "--threads: must be 1 or more" in ran.fails("store", "--audit", "starter", "--threads", "0")


def test_results_that_do_not_rest_on_what_stands_before_them_are_found(ran: Program) -> None:
    """Another list in the place of the candidates, whole and with the right digest: each row by itself is sound."""
    assert "fit together" in " ".join(ran("store", "--check").stdout.split())
    with closing(sqlite3.connect(ran.folder / ".aventrik" / "store.db")) as db, db:
        rows = db.execute("SELECT id, digest, value FROM results WHERE stage = 'candidates' ORDER BY id").fetchall()
        assert rows[0][1] != rows[1][1]
        db.execute("UPDATE results SET value = ?, digest = ? WHERE id = ?", (rows[1][2], rows[1][1], rows[0][0]))
    shown = " ".join(ran("store", "--check", code=1).stdout.split())
    assert (
        "run 1 (starter): 'step 1' of 1 of 3 questions was made of something else than what stands before it" in shown
    )
    with OpenWorkspace(ran.folder) as opened:
        assert len(list(broken_chains(opened.store))) >= 1


def test_lists_that_a_filter_left_empty_by_mistake_are_dropped_and_made_again(workspace: Program) -> None:
    """As a worker of format 6 kept them, which did not know what the filter lets pass."""
    (workspace.folder / "configs" / "starter.toml").write_text(
        'name = "starter"\n[chunking]\nsize = 60\noverlap = 0\n[search]\nmethod = "keyword"\nwhere = "document like \'%s.txt\'"\n'
    )
    workspace("run", "starter", "--testset", "small")
    means = workspace.json("compare")["runs"][0]["measures"]
    with OpenWorkspace(workspace.folder) as opened:
        database = opened.store.database  # type: ignore[attr-defined]
        assert drop_filtered_away(database) == []
    path = workspace.folder / ".aventrik" / "store.db"
    with closing(sqlite3.connect(path)) as db, db:
        body = encode({"lists": [[]]})
        db.execute("UPDATE results SET value = ?, digest = 'd' WHERE stage = 'keyword hits'", (compressed(body),))
        db.execute("PRAGMA user_version = 6")
    assert "some of its results are gone" in workspace.fails("compare")
    workspace("run", "starter", "--testset", "small")
    assert workspace.json("compare")["runs"][0]["measures"] == means
