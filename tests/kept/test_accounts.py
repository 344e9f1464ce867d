"""What runs found and answered, as it is handed to others: the same as `explain` tells of each question."""

from __future__ import annotations

import sqlite3
from contextlib import closing

import pytest

from aventrik.core.errors import BadInput
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.kept.accounts import Accounts, questions_of
from aventrik.kept.run_names import run_named
from aventrik.results.explaining import explain

from ..conftest import Program

CONFIGURATION = """
name = "{name}"
[chunking]
size = 90
serve = "{serve}"
[rewriting]
method = "{method}"
[search]
method = "keyword"
[context]
keep = 2
"""


@pytest.fixture
def ran(workspace: Program) -> Program:
    """Three runs: small chunks, their neighbours served, and rewritten questions; and what another system answered."""
    for name, serve, method in (
        ("small", "chunk", "none"),
        ("wide", "neighbours", "none"),
        ("worded", "chunk", "paraphrases"),
    ):
        path = workspace.folder / "configs" / f"{name}.toml"
        path.write_text(CONFIGURATION.format(name=name, serve=serve, method=method))
        workspace("run", name, "--testset", "small")
    (workspace.folder / "live.jsonl").write_text(
        '{"id": "a2", "answer": "A bridge key costs 12 pounds.", "context": ["A bridge key costs 12 pounds and is sold", "nowhere"]}\n'
        '{"id": "a3", "answer": "I can not tell."}\n'
    )
    workspace("score", "live.jsonl", "--testset", "small")
    return workspace


@pytest.mark.parametrize("name", ["small", "wide", "worded"])
def test_accounts_say_what_explain_says(ran: Program, name: str) -> None:
    opened = OpenWorkspace(ran.folder)
    run = run_named(opened.store, name)
    accounts = list(Accounts(opened.store).of(run))
    assert [account.question for account in accounts] == ["a1", "a2", "a3"]
    for account in accounts:
        whole = explain(opened.store, opened.bench, run, account.question)
        served = whole.stages["served"].items
        assert [(item.doc, item.ranges, item.tokens) for item in account.items] == [
            (item.doc, tuple(item.ranges), item.tokens) for item in served
        ]
        assert account.shown == len(whole.stages["context"].items)
        assert account.answer == whole.stages["answer"].text
        assert account.declined == whole.stages["answer"].declined
        assert [claim.text for claim in account.claims] == [each.claim for each in whole.stages["verdicts"].verdicts]
        assert account.queries == (whole.stages["queries"].texts if len(whole.stages["queries"].texts) > 1 else ())
        if name != "wide":  # where a chunk serves itself, an item covers what its chunk covers
            by_ranges = {(chunk["doc"], tuple(chunk["ranges"])): chunk["covers"] for chunk in whole.chunks.values()}
            assert [list(item.covers) for item in account.items] == [
                by_ranges[item.doc, item.ranges] for item in account.items
            ]
    assert any(max(item.covers, default=0.0) == 1.0 for account in accounts for item in account.items)
    opened.store.close()


def test_no_more_items_are_read_than_are_wanted_and_no_other_questions(ran: Program) -> None:
    opened = OpenWorkspace(ran.folder)
    run = run_named(opened.store, "small")
    every = list(Accounts(opened.store).of(run))
    first = list(Accounts(opened.store, 1).of(run, {every[1].key}))
    assert [account.question for account in first] == ["a2"]
    assert first[0].items == every[1].items[:1]
    assert first[0].shown == every[1].shown  # how many were shown is told of the whole list
    opened.store.close()


def test_an_account_of_another_system_has_its_context(ran: Program) -> None:
    opened = OpenWorkspace(ran.folder)
    found = {account.question: account for account in Accounts(opened.store).of(run_named(opened.store, "live"))}
    assert [item.doc for item in found["a2"].items] == ["bridges.txt", ""]
    assert found["a2"].items[0].covers[0] == 1.0
    assert (found["a2"].shown, found["a2"].answer) == (2, "A bridge key costs 12 pounds.")
    assert (found["a3"].declined, found["a3"].items) == (True, ())
    assert [question.id for question in questions_of(opened.store, run_named(opened.store, "live"))] == ["a2", "a3"]
    opened.store.close()


def test_results_that_are_gone_are_told(ran: Program) -> None:
    with closing(sqlite3.connect(ran.folder / ".aventrik" / "store.db")) as db, db:
        db.execute("DELETE FROM results WHERE stage = 'answer'")
    opened = OpenWorkspace(ran.folder)
    with pytest.raises(BadInput, match=r"run 1 \(small\): some of its results are gone; run it again"):
        list(Accounts(opened.store).of(run_named(opened.store, "small")))
    opened.store.close()
    assert "some of its results are gone" in ran.fails("report", "small")
