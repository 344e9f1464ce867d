"""A comparison in words: the decision, what is to be known with it, and the tables of the page."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from aventrik.core.comparing.gates import LimitHeld
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.report.decision import decision
from aventrik.report.figures import cost_told, number, seconds
from aventrik.report.junit import found_told, limit_told
from aventrik.report.notes import doubts_about, notes_of, warnings_of
from aventrik.report.page_tables import called, losses_table, option_of, runs_table, settings_table
from aventrik.results.comparing import compare
from aventrik.results.comparison import Comparison
from aventrik.results.gated import Check

from ..cli.test_compare import hits, put_run
from ..conftest import Program

HARD = np.random.default_rng(4).normal(size=90)
Comparing = Callable[..., Comparison]


@pytest.fixture
def opened(tmp_path: Path) -> Iterator[OpenWorkspace]:
    Program(tmp_path)("new", "w")
    found = OpenWorkspace(tmp_path / "w")
    yield found
    found.store.close()


@pytest.fixture
def comparing(opened: OpenWorkspace) -> Comparing:
    """Compares all runs of the store."""

    def made(**how: Any) -> Comparison:
        return compare(opened.store, opened.workspace.settings, opened.store.runs.all(), **how)

    return made


def put(
    opened: OpenWorkspace, name: str, good: float, settings: dict[str, Any] | None = None, seed: int = 0, **how: Any
) -> int:
    return put_run(opened, name, hits(np.random.default_rng(seed), good, HARD, 500.0), settings, **how)


def test_one_run_decides_nothing(opened: OpenWorkspace, comparing: Comparing) -> None:
    put(opened, "alone", 0.5)
    assert decision(comparing()) == []


def test_runs_of_the_same_results_are_said_to_be_the_same(opened: OpenWorkspace, comparing: Comparing) -> None:
    for name in ("one", "two"):
        put(opened, name, 0.5, of="both")
    assert decision(comparing()) == [("", "all of these runs came to the same, by the same results")]


def test_of_two_the_better_one_is_named_with_its_difference(opened: OpenWorkspace, comparing: Comparing) -> None:
    put(opened, "low", -0.8)
    put(opened, "high", 1.2, seed=1)
    told = dict(decision(comparing()))
    assert told["best"].startswith("run 2 (high): hit@5 0.")
    assert "it was chosen from" not in told["best"]
    assert told["real?"] == "yes: it is better than the other one, and not by chance"
    assert "from the baseline run 1 (low): better, real, p <0.001" in told["base"]


def test_of_several_the_luck_of_being_chosen_is_taken_off(opened: OpenWorkspace, comparing: Comparing) -> None:
    for seed in range(4):
        put(opened, f"run {seed}", 0.4, seed=seed)
    told = dict(decision(comparing()))
    assert "it was chosen from 4" in told["best"]
    assert told["real?"].startswith("not shown: each of the 4 may be the best")


def test_a_measure_that_one_run_alone_has_decides_nothing(opened: OpenWorkspace, comparing: Comparing) -> None:
    put(opened, "lists", 0.4)
    put_run(opened, "answers", [{"hit@5": 1.0, "groundedness": 0.5}] * 90)
    assert decision(comparing(measure="groundedness")) == [("", "only run 2 (answers) has groundedness")]


def test_what_else_runs_differ_in_is_told(opened: OpenWorkspace, comparing: Comparing) -> None:
    put(opened, "one", 0.4)
    put_run(opened, "half", hits(np.random.default_rng(3), 0.4, HARD, 500.0)[:60])
    made = opened.store.runs.all()[0].made | {"judge": "house", "outside": None}
    number_ = opened.store.runs.begin("other", "other", "locks", made, 90)
    rows = opened.store.runs.questions(1)
    opened.store.runs.finish(number_, rows, {})
    said = list(warnings_of(comparing()))
    assert (
        "differ in what no setting explains: the judge (runs 1, 2: offline; run 3: house). None of that can change hit@5"
        in said[0]
    )
    put_run(opened, "answers", [{"hit@5": 1.0, "groundedness": 0.5}] * 90)
    graded = list(warnings_of(comparing(measure="groundedness")))
    assert "is not one of settings alone" in graded[0]
    assert said[1] == "questions that not all of these runs have, or have otherwise, are left out: run 1: 30, run 3: 30"


def test_too_few_questions_to_show_anything_are_told(opened: OpenWorkspace, comparing: Comparing) -> None:
    for seed in range(3):
        put_run(opened, f"run {seed}", [{"hit@5": float(n == seed)} for n in range(4)])
    heeded = [note.text for note in notes_of(comparing()) if note.heed]
    assert len(heeded) == 1
    assert heeded[0].startswith(
        "2 questions that do not lean on each other can show nothing among"
    )  # two rest on each place


def test_a_test_set_that_is_gone_raises_no_doubt(opened: OpenWorkspace, comparing: Comparing) -> None:
    put(opened, "one", 0.4)
    assert list(doubts_about(opened, comparing())) == []


def test_runs_of_a_sweep_with_long_names_are_called_by_what_sets_them_apart(
    opened: OpenWorkspace, comparing: Comparing
) -> None:
    for size in (200, 800):
        put(opened, f"wide/size={size},method=keyword,serve=chunk", 0.4, {"chunking.size": size}, seed=size)
    put(opened, "plain", 0.4, seed=5)
    found = comparing()
    assert [called(found, place) for place in range(3)] == ["size 200", "size 800", "plain"]
    assert option_of(found, 1) == "2: size 800"
    table = runs_table(found)
    assert table["columns"][:4] == ["run", "configuration", "hit@5", "95 % interval"]
    assert "size" in table["columns"]
    order = [row["cells"][0].value for row in table["rows"]]
    means = [row["cells"][2].value for row in table["rows"]]
    assert means == sorted(means, reverse=True)
    assert order == [found.runs[place].id for place in found.order]
    assert [row["base"] for row in table["rows"]].count(True) == 1
    settings = settings_table(found)
    assert settings["columns"] == ["run", "chunking.size"]
    assert [row[1].value for row in settings["rows"]] == [200.0, 800.0, 800.0]  # 800 is the default
    assert ("search.top", "40") in settings["common"]


def test_needs_are_counted_where_they_were_lost(opened: OpenWorkspace, comparing: Comparing) -> None:
    put(opened, "one", 0.4)
    table = losses_table(comparing())
    assert table["columns"] == ["run", "configuration", "not among the candidates", "answered"]
    [row] = table["rows"]
    assert sum(cell.value for cell in row[2:]) == 90
    assert dict(table["told"])["answered"] == "found, shown and stated in the answer"


@pytest.mark.parametrize(
    ("check", "limit", "found"),
    [
        (Check("hit@5", "drop", 0.05, 0.0, "tag a", "undecided", LimitHeld("undecided", -0.02, -0.1, 0.06, 90, 30, 400), 0.7),
         "hit@5, tag a: worse by at most 0.05",
         "-0.02 [-0.1 +0.06] on 90 questions about 30 documents, baseline 0.7; about 310 questions more would decide"),
        (Check("tokens@5", "drop", 169.2, 0.0, "", "passed", LimitHeld("passed", -538.0, -585.0, -486.0, 56), 846.0, "", 0.2),
         "tokens@5: worse by at most 20%", "-538 [-585 -486] on 56 questions, baseline 846"),
        (Check("groundedness", "least", 0.9, 0.05, "", "failed", LimitHeld("failed", 0.5, 0.4, 0.6, 40)),
         "groundedness: at least 0.9, within 0.05", "0.5 [0.4 0.6] on 40 questions"),
        (Check("questions", "gone", 0.2, 0.0, "", "failed", LimitHeld("failed", 0.5, 0.5, 0.5, 8), None, "4 of the baseline's 8"),
         "questions: at most 20% gone", "4 of the baseline's 8"),
        (Check("hit@5", "most", 0.9, 0.0, "kind x", "undecided", None, None, "no question with kind x has hit@5"),
         "hit@5, kind x: at most 0.9", "no question with kind x has hit@5"),
    ],
)  # fmt: skip
def test_a_check_is_told_in_words(check: Check, limit: str, found: str) -> None:
    assert limit_told(check) == limit
    assert found_told(check) == found


def test_figures_have_as_many_decimals_as_they_need() -> None:
    assert [number(value) for value in (0.123, 12.345, 1234.5)] == ["0.12", "12.35", "1,234"]
    assert [seconds(value) for value in (None, 0.0123, 1.234)] == ["–", "0.012", "1.23"]
    assert [cost_told(name, 0.5) for name in ("money", "model-tokens", "seconds")] == ["0.50000", "0", "0.50 s"]
