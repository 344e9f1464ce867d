"""Runs over time: which are meant, how they are marked, and runs of different documents set against each other."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from aventrik.corpora.changes import changes
from aventrik.execution.open_workspace import OpenWorkspace

from ..conftest import TEXTS, Program
from .test_compare import hits, put_run


@pytest.fixture(scope="module")
def months(tmp_path_factory: pytest.TempPathFactory) -> Program:
    """Six runs of three configurations."""
    program = Program(tmp_path_factory.mktemp("months"))
    program("new", "w")
    program = Program(program.folder / "w")
    opened = OpenWorkspace(program.folder)
    hard = np.random.default_rng(2).normal(size=30)
    for number, name in enumerate(("plain", "wide/a", "wide/b") * 2):
        put_run(opened, name, hits(np.random.default_rng(number), 0.4, hard, 500.0), when=str(number))
    opened.store.runs.begin("half", "plain", "other", {"format": 1}, 3)
    opened.store.close()
    return program


def numbers(program: Program, *options: str) -> list[int]:
    return [run["run"] for run in program.json("runs", *options)]


def test_runs_are_listed_by_what_is_asked_for(months: Program) -> None:
    assert numbers(months) == [1, 2, 3, 4, 5, 6, 7]
    assert numbers(months, "--last", "2") == [6, 7]
    assert numbers(months, "--configuration", "wide/*", "--last", "3") == [3, 5, 6]
    assert numbers(months, "--testset", "oth*") == [7]
    assert numbers(months, "--state", "unfinished") == [7]
    assert numbers(months, "--state", "finished", "--last", "1") == [6]
    assert numbers(months, "--since", "2000-01-01") == [1, 2, 3, 4, 5, 6, 7]
    assert numbers(months, "--since", "2999-01-01") == []
    assert "no run is meant by that" in months("runs", "--since", "2999-01-01").stdout
    assert numbers(months, "wide") == [5, 6]  # the latest of each name
    assert numbers(months, "1", "2", "3", "--last", "2") == [2, 3]
    assert numbers(months, "1", "5", "--configuration", "wide/*") == [5]


def test_what_is_removed_is_told(tmp_path: Path) -> None:
    Program(tmp_path)("new", "w")
    program = Program(tmp_path / "w")
    opened = OpenWorkspace(program.folder)
    for name in ("a", "b", "c"):
        put_run(opened, name, [{"hit@5": 1.0}] * 3)
    opened.store.close()
    program("runs", "1", "3", "--label", "old")
    shown = program("runs", "old", "--remove").stdout
    assert "removed: run 1 (a), run 3 (c)" in shown
    assert numbers(program) == [2]


def test_tags_mark_several_runs_and_mean_them_all_elsewhere(months: Program) -> None:
    months("runs", "1", "4", "--tag", "spring, live")
    months("runs", "2", "--tag", "spring")
    assert numbers(months, "--tagged", "spring") == [1, 2, 4]
    assert numbers(months, "--tagged", "spring,live") == [1, 4]
    assert [run["tags"] for run in months.json("runs", "1", "2")] == [["live", "spring"], ["spring"]]
    assert "#live" in months("runs", "1").stdout
    assert [run["run"] for run in months.json("compare", "spring")["runs"]] == [1, 2, 4]
    assert months.json("runs", "live", "--label", "kept")[0]["label"] == "kept"
    assert numbers(months, "--labelled", "kept") == [1, 4]
    months("runs", "1", "--untag", "live,never")
    assert numbers(months, "--tagged", "live") == [4]


def test_a_mean_is_listed_of_each_run(months: Program) -> None:
    compared = {run["run"]: run for run in months.json("compare", "1", "2", "3")["runs"]}
    for run in months.json("runs", "1", "2", "3"):
        assert run["mean"] == {"measure": "hit@5", "value": compared[run["run"]]["measures"]["hit@5"]["mean"]}
    assert months.json("runs", "--measure", "seconds")[0]["mean"]["value"] > 0
    assert months.json("runs")[6]["mean"]["value"] is None
    assert "less is better: tokens@5" in months("runs", "--measure", "tokens@5").stdout
    assert "did you mean hit@5?" in months.fails("runs", "--measure", "hits@5")


@pytest.mark.parametrize(
    ("options", "told"),
    [
        (["--tag", "x"], "--tag needs the runs to tag"),
        (["--untag", "x"], "--untag needs the runs to untag"),
        (["--remove"], "--remove needs the runs to remove"),
        (["--note", "x", "1", "2"], "--note needs exactly one run"),
        (["nowhere"], "no run is numbered, labelled or named 'nowhere'"),
    ],
)
def test_what_can_not_be_is_refused(months: Program, options: list[str], told: str) -> None:
    assert told in months.fails("runs", *options)


@pytest.mark.parametrize(
    "options", [["--tag", " , "], ["--tag", "x" * 61], ["--since", "May"], ["--since", "2031-02-30"], ["--last", "0"]]
)
def test_arguments_that_say_nothing_are_refused(months: Program, options: list[str]) -> None:
    assert "usage: aventrik runs" in months("runs", "1", *options, code=2).stderr


def test_what_changed_between_two_corpora() -> None:
    found = changes({"a": "1", "b": "2", "c": "3"}, {"b": "2", "c": "4", "d": "5", "e": "6"})
    assert (found.before, found.now) == (3, 4)
    assert (found.added, found.removed, found.changed) == (("d", "e"), ("a",), ("c",))
    assert found.in_words() == "2 added (d, e), 1 removed (a), 1 changed (c)"
    assert found.in_words(1) == "2 added (d, …), 1 removed (a), 1 changed (c)"
    assert not changes({"a": "1"}, {"a": "1"})


def test_runs_of_different_documents_are_compared_where_the_evidence_still_stands(workspace: Program) -> None:
    configuration = workspace.folder / "configs" / "starter.toml"
    assert configuration.is_file()
    workspace("run", "starter", "--testset", "small")
    path = workspace.folder / "docs" / "moorings.md"
    Path(path).write_text(TEXTS["moorings.md"].replace("for 48 hours", "for 72 hours"))
    (workspace.folder / "docs" / "weirs.md").write_text("# Weirs\n\nA weir keeps the level of a reach.\n")
    workspace("gather", "docs")
    workspace("run", "starter", "--testset", "small")
    found = workspace.json("compare", "1", "2")
    assert found["questions"] == 2
    assert found["evidence_gone"] == ["a1"]
    assert found["documents"]["added"] == ["weirs.md"]
    assert found["documents"]["changed"] == ["moorings.md"]
    assert [run["left_out"] for run in found["runs"]] == [0, 0]
    assert found["differences"][0]["difference"]["n"] == 1  # the one that has evidence in both
    said = " ".join(workspace("compare", "1", "2").stderr.split())
    assert "documents, from run 1 to run 2: 1 added (weirs.md), 1 changed (moorings.md)" in said
    assert (
        "1 questions are left out, because their evidence stands in the documents of some of these runs alone: a1"
        in said
    )
    assert [run["documents"]["version"] for run in workspace.json("runs")] == [1, 2]
    assert "4 v2" in workspace("runs").stdout
    assert workspace.json("compare", "1")["documents"] is None
