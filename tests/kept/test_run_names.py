"""Which run a name means is decided in one place, whichever verb asks."""

from __future__ import annotations

from dataclasses import replace

import pytest

from aventrik.core.errors import BadInput
from aventrik.kept.run_names import RunFilter, meant, run_named, runs_named
from aventrik.storage.protocols import Run

from ..conftest import Program


def run(
    number: int,
    name: str = "base",
    label: str = "",
    tags: tuple[str, ...] = (),
    finished: str = "2031-05-01T10:00",
    **made,
) -> Run:
    return Run(
        number,
        name,
        "asked",
        {"format": 2, "corpus": "c", **made},
        3,
        "2031-05-01T09:00",
        finished,
        {},
        label=label,
        tags=tags,
    )


def test_a_number_comes_before_a_label_a_label_before_a_tag_and_a_tag_before_a_name() -> None:
    runs = [run(1), run(2, label="1"), run(3, name="weekly"), run(4, tags=("weekly",)), run(5, label="weekly")]
    assert [each.id for each in meant(runs, "1")] == [1]
    assert [each.id for each in meant(runs, "weekly")] == [5]
    assert [each.id for each in meant(runs[:4], "weekly")] == [4]
    assert [each.id for each in meant(runs[:3], "weekly")] == [3]
    assert meant(runs, "2031") == []


def test_of_a_name_the_latest_counts_of_a_label_or_tag_all() -> None:
    runs = [
        run(1),
        run(2),
        run(3, name="a", label="l"),
        run(4, name="b", label="l"),
        run(5, name="c", tags=("t",)),
        run(6, name="d", tags=("t",)),
    ]
    assert [each.id for each in meant(runs, "base")] == [2]
    assert [each.id for each in meant(runs, "l")] == [3, 4]
    assert [each.id for each in meant(runs, "t")] == [5, 6]


def test_a_sweep_means_the_latest_of_each_of_its_configurations() -> None:
    runs = [run(1, "wide/a"), run(2, "wide/b"), run(3, "wide/a"), run(4, "wide/c", finished="")]
    assert [each.id for each in meant(runs, "wide")] == [2, 3, 4]
    assert [each.id for each in meant(runs, "wide/*")] == [2, 3, 4]
    assert [each.id for each in meant(runs, "*/a")] == [3]


class Kept:
    """A store that has some runs."""

    def __init__(self, runs: list[Run]) -> None:
        self.runs = self
        self._runs = runs

    def all(self) -> list[Run]:
        return self._runs


def test_what_a_run_is_held_against_is_of_its_own_test_set_where_there_is_one() -> None:
    runs = [run(1), replace(run(2), testset="drafted"), replace(run(3), testset="drafted"), run(4)]
    store = Kept(runs)
    assert run_named(store, "base", beside=runs[2]).id == 2  # not 4, which is later but asked other questions
    assert run_named(store, "base", beside=runs[3]).id == 1
    assert run_named(store, "4", beside=runs[2]).id == 4  # a number is that run whatever it was asked
    assert (
        run_named(Kept(runs[2:]), "base", beside=runs[2]).id == 4
    )  # none of its own: the caller says why that won't do


def test_one_run_is_named_or_it_is_said_why_not() -> None:
    store = Kept([run(1, "wide/a"), run(2, "wide/b"), run(3, label="night"), run(4, label="night")])
    assert run_named(store, "night").id == 4
    assert run_named(store, "night", beside=store.all()[3]).id == 3
    assert run_named(store, "wide/a").id == 1
    with pytest.raises(BadInput, match=r"'wide' means 2 runs, and this takes one: name it by its number, such as 2"):
        run_named(store, "wide")
    with pytest.raises(BadInput, match=r"no run is numbered, labelled or named 'wid'; the nearest: wide"):
        run_named(store, "wid")
    with pytest.raises(BadInput, match="there is no run yet"):
        run_named(Kept([]), "night")
    found = runs_named(store, ["night", "1"])
    assert [each.id for each in found.runs] == [3, 4, 1]
    assert [each.id for each in RunFilter(label="night", last=1).of(store.all())] == [4]


def test_explain_gate_compare_and_runs_mean_the_same_run(workspace: Program) -> None:
    """A run that is labelled with another one's number took its place in some verbs."""
    workspace("run", "--testset", "small")
    text = (workspace.folder / "configs" / "starter.toml").read_text()
    (workspace.folder / "configs" / "other.toml").write_text(text.replace('"starter"', '"other"').replace("800", "700"))
    workspace("run", "other", "--testset", "small")
    workspace("runs", "2", "--label", "1")
    (workspace.folder / "gate.toml").write_text('[[limit]]\nmeasure = "hit@5"\nleast = 0.0\n')
    assert [each["run"] for each in workspace.json("runs", "1")] == [1]
    assert [each["run"] for each in workspace.json("compare", "1")["runs"]] == [1]
    assert workspace.json("explain", "1", "a1")["run"] == 1
    assert workspace.json("gate", "1")["run"] == 1
    assert workspace.json("review", "--verdicts", "1", "--agreement")["run"] == 1


def test_a_newer_run_that_did_not_come_to_an_end_is_told_beside_the_older_one_that_is_shown() -> None:
    """A configuration was edited, and its new run stopped half-way: what is shown is the run of before."""
    store = Kept([run(1), run(2, "other"), run(3, finished=""), run(4, "new", finished="")])
    found = runs_named(store, [])
    assert [each.id for each in found.runs] == [1, 2]
    assert [(newer.id, older.id) for newer, older in found.stood_in_for] == [(3, 1)]
    swept = Kept([run(1, "wide/a"), run(2, "wide/b"), run(3, "wide/a", finished="")])
    found = runs_named(swept, ["wide"])
    assert [(newer.id, older.id) for newer, older in found.stood_in_for] == [(3, 1)]
    assert runs_named(Kept([run(1, finished=""), run(2)]), []).stood_in_for == []  # finished since
