"""Races, budgets and plans: what is not computed, what is kept of it, and what is told before."""

from __future__ import annotations

from pathlib import Path

import pytest

from aventrik.core.errors import BadInput
from aventrik.core.testsets import Need, Question, Quoted
from aventrik.corpora.gathering import gather
from aventrik.execution.budget import Budget, BudgetSpent
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.kept.run_names import run_named, runs_named
from aventrik.pipeline.resolved import WantedModel
from aventrik.pipeline.stage import QUESTION, needed
from aventrik.results.comparing import compare
from aventrik.runs.planning import Planner
from aventrik.runs.racing import race
from aventrik.runs.running import Runner
from aventrik.workspace.configuration import Configuration
from aventrik.workspace.gathered import GatheredSource
from aventrik.workspace.settings import Model

from ..opened_world import Speaker, configured, questions_of, speaking

LOCKS = 60


@pytest.fixture
def locks(folder: Path) -> tuple[OpenWorkspace, list[Question]]:
    """60 documents, each on a lock of its own, and a question about each."""
    docs = folder.parent / "locks"
    docs.mkdir()
    questions = []
    for number in range(LOCKS):
        fact = f"Lock {number} takes boats of {100 + number} feet."
        (docs / f"lock-{number}.md").write_text(f"# Lock {number}\n\n{fact} It has two gates.\n", encoding="utf-8")
        where = Quoted(f"lock-{number}.md", -1, -1, fact)
        questions.append(
            Question(f"q{number}", f"How long may a boat be in lock {number}?", needs=(Need("", (where,)),))
        )
    opened = OpenWorkspace(folder)
    gather(opened, [GatheredSource(docs)])
    opened = OpenWorkspace(folder)
    placed, moved = opened.located(questions)
    assert not moved.lost
    return opened, placed


def racers() -> list[Configuration]:
    """One that finds everything, two that find nothing: they look where nothing is."""
    good = configured(
        {"search": {"method": "keyword"}, "embedding": {"model": "none"}, "answering": {"model": "none"}}, "good"
    )
    blind = good.with_settings({"chunking.size": 8, "chunking.overlap": 0, "search.top": 1})
    return [
        blind.model_copy(update={"name": "blind"}), good,
        blind.with_settings({"index.headings": False}).model_copy(update={"name": "blinder"}),
    ]  # fmt: skip


def test_what_is_clearly_worse_is_stopped_and_the_rest_goes_to_the_end(
    locks: tuple[OpenWorkspace, list[Question]],
) -> None:
    opened, questions = locks
    raced = race(Runner(opened), racers(), "t", questions)
    assert [each.configuration.name for each in raced.outcomes] == ["good"]
    assert sorted(each.configuration.name for each in raced.stopped) == ["blind", "blinder"]
    assert {each.after for each in raced.stopped} <= set(raced.looks[:-1])
    assert all(each.mean < each.best for each in raced.stopped)
    nodes = len(list(needed(opened.place(racers()[0]).nodes, QUESTION)))
    assert raced.saved["results"] == sum((LOCKS - each.after) * nodes for each in raced.stopped)
    assert 0 < raced.saved["share"] < 2 / 3
    runs = {run.name: run for run in opened.store.runs.all()}
    assert runs["good"].finished
    assert runs["blind"].stopped["after"] == raced.stopped[0].after
    assert len(opened.store.runs.questions(runs["blind"].id)) == raced.stopped[0].after
    chosen = runs_named(opened.store, [])
    assert [run.name for run in chosen.runs] == ["good"]
    assert {run.name for run in chosen.stopped} == {"blind", "blinder"}
    with pytest.raises(BadInput, match="is not finished"):
        compare(opened.store, opened.workspace.settings, [runs["blind"]])


def test_a_stopped_run_can_be_taken_to_its_end(locks: tuple[OpenWorkspace, list[Question]]) -> None:
    opened, questions = locks
    raced = race(Runner(opened), racers(), "t", questions)
    stopped = raced.stopped[0]
    outcome = Runner(opened).run(stopped.configuration, "t", questions)
    assert outcome.run == stopped.run
    assert outcome.computed["keyword hits"] == LOCKS - stopped.after
    assert run_named(opened.store, str(outcome.run)).stopped == {}
    again = race(Runner(opened), racers(), "t", questions)  # what stands costs nothing, and is not stopped
    assert stopped.configuration.name in {each.configuration.name for each in again.outcomes}


def test_a_race_is_the_same_whatever_order_it_is_run_in(locks: tuple[OpenWorkspace, list[Question]]) -> None:
    opened, questions = locks
    first = race(Runner(opened), racers(), "t", questions)
    second = race(Runner(opened), list(reversed(racers())), "t", questions)
    assert {(each.configuration.name, each.after) for each in first.stopped} == {
        (each.configuration.name, each.after) for each in second.stopped
    }


def test_a_race_of_few_questions_stops_nothing(opened: OpenWorkspace) -> None:
    raced = race(Runner(opened), racers(), "t", questions_of(opened))
    assert (len(raced.outcomes), raced.stopped, raced.looks) == (3, [], [3])
    assert raced.saved["results"] == 0


@pytest.mark.parametrize(
    ("measure", "told"),
    [
        ("seconds", "neither"),
        ("tokens@5", "neither"),
        ("nonsense", "no measure is named 'nonsense'"),
        ("groundednes", "did you mean groundedness?"),
        ("hit@7", "'hit@7' is not measured here; hit@1, hit@3, hit@5, hit@10 is"),
        ("hit", "'hit' is not measured here"),
        ("groundedness", "have no measure 'groundedness'"),  # no answers are made
    ],
)
def test_a_race_needs_a_score(locks: tuple[OpenWorkspace, list[Question]], measure: str, told: str) -> None:
    opened, questions = locks
    with pytest.raises(BadInput, match=told):
        race(Runner(opened), racers(), "t", questions, measure=measure)


def test_a_race_by_a_criterion_of_which_less_is_better_stops_those_with_more(
    locks: tuple[OpenWorkspace, list[Question]],
) -> None:
    opened, questions = locks
    (opened.workspace.folder / "criteria").mkdir(exist_ok=True)
    (opened.workspace.folder / "criteria" / "figured.toml").write_text(
        'about = "Is a figure given?"\nbetter = "less"\njudges = "answer"\ndeclined = true\n'
        '[[levels]]\nlevel = 0\nmeans = "no figure"\n[[levels]]\nlevel = 1\nmeans = "a figure"\npattern = \'\\d\'\n'
    )
    again = OpenWorkspace(opened.workspace.folder)
    good, blind = (
        each.with_settings({"answering.model": "offline"}).model_copy(update={"name": name})
        for each, name in zip(racers()[1::-1], ("good", "blind"))
    )
    raced = race(Runner(again), [good, blind], "t", questions, measure="figured")
    assert [each.configuration.name for each in raced.stopped] == ["good"]
    assert raced.stopped[0].mean > raced.stopped[0].best
    assert [each.configuration.name for each in raced.outcomes] == ["blind"]


def test_a_plan_counts_what_is_shared_once(folder: Path) -> None:
    speaker = Speaker()
    opened = speaking(folder, house=speaker)
    base = configured({"answering": {"model": "house"}, "chunking": {"size": 60}})
    other = base.with_settings({"search.top": 3})
    questions = questions_of(opened)
    planner = Planner(opened, questions)
    first, second = planner.plan(base), planner.plan(other)
    assert second.corpus == []
    assert 0 < second.missing < first.missing
    assert Planner(opened, questions).plan(other).missing == first.missing
    runner = Runner(opened)
    runner.run(base, "t", questions)
    third = Planner(opened, questions).plan(base.with_settings({"search.top": 4}))
    assert third.seconds > 0
    assert third.guessed == 0
    assert speaker.asked.count("answer") == 3


def test_money_and_time_that_are_spent_end_a_run_and_nothing_is_lost(folder: Path) -> None:
    opened = speaking(folder, house=Speaker())
    answering = configured({"answering": {"model": "house"}, "chunking": {"size": 60}})
    paid = {"house": Model(kind="http", address="http://127.0.0.1:9", model="m", price_in=1.0)}
    spent = [0.0]
    opened.bench.budget = Budget(0.0, None, lambda: spent[0], paid)
    with pytest.raises(BudgetSpent, match=r"of the 0\.0000 of --budget are spent"):
        Runner(opened).run(answering, "t", questions_of(opened))
    run = opened.store.runs.all()[0]
    assert not run.finished
    opened.bench.budget = Budget(1.0, None, lambda: spent[0], paid)
    outcome = Runner(opened).run(answering, "t", questions_of(opened))
    assert outcome.run == run.id
    assert "vectors" not in outcome.computed  # was made before
    opened.bench.budget = Budget(None, 1e-9)
    with pytest.raises(BudgetSpent, match="are over"):
        Runner(opened).run(answering.with_settings({"context.keep": 1}), "t", questions_of(opened))


def test_a_budget_lets_begin_what_it_can_pay_for() -> None:
    paid = {"house": Model(kind="http", address="http://127.0.0.1:9", model="m", price_out=1.0)}
    house, free = WantedModel("language", "house", ("answer",)), WantedModel("language", "offline", ("answer",))
    spent = [2.0]
    budget = Budget(1.0, None, lambda: spent[0], paid)
    budget.check([house])
    assert budget.at_once([house], 32, 0.1) == 10
    assert budget.at_once([house], 32, 0.0) == 32
    assert budget.at_once([house], 32, 5.0) == 1
    assert budget.at_once([free], 32, 5.0) == 32
    spent[0] = 3.0  # what was spent before does not count
    budget.check([free])
    with pytest.raises(BudgetSpent, match=r"1\.0000 of the 1\.0000"):
        budget.check([house])
    Budget().check([house])
