"""`run` within limits: what it may cost is asked before, a budget ends it cleanly, a race stops what is clearly worse."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

import pytest

from tests.conftest import Program, Terminal, chat_server, name_house, write_testset

ANSWERING = 'name = "paid"\n[answering]\nmodel = "house"\n[search]\nmethod = "keyword"\nstop_words = "keep"\n[embedding]\nmodel = "none"\n'


@pytest.fixture
def paid(workspace: Program) -> Iterator[tuple[Program, list[Any]]]:
    """The workspace with a model that costs money for answers, and what it was asked."""
    asked: list[Any] = []

    def answer(body: dict[str, Any]) -> dict[str, Any]:
        asked.append(body)
        reply = json.dumps({"declined": False, "statements": [{"text": "48 hours.", "cites": [1]}]})
        return {
            "choices": [{"message": {"content": reply}}],
            "usage": {"prompt_tokens": 1000, "completion_tokens": 100},
        }

    (workspace.folder / "configs" / "starter.toml").unlink()
    (workspace.folder / "configs" / "paid.toml").write_text(ANSWERING)
    with chat_server(answer) as address:
        name_house(workspace, address, more="price_in = 10.0\nprice_out = 30.0\nconcurrency = 1\n")
        yield workspace, asked


def limit(program: Program, money: float) -> None:
    settings = program.folder / "aventrik.toml"
    settings.write_text(settings.read_text().replace("[limits]\n", f"[limits]\nmoney = {money}\n"))


def test_what_may_cost_more_than_the_limit_needs_a_word(paid: tuple[Program, list[Any]]) -> None:
    program, asked = paid
    limit(program, 0.01)
    told = program.fails("run")
    assert "more than limits.money (0.01); --plan says what for, --budget 0.0" in told
    assert asked == []
    shown = program("run", "--plan")
    assert "the run will ask, or takes --budget MONEY" in shown.stderr
    done = program.json("run", "--budget", "5")
    assert done[0]["models"]["calls"] == len(asked) == 3
    assert done[0]["models"]["money"] == pytest.approx(3 * (1000 * 10 + 100 * 30) / 1e6)
    assert "nothing to compute" in program("run").stdout  # and nothing to ask about


def test_in_a_terminal_a_person_is_asked(paid: tuple[Program, list[Any]]) -> None:
    program, asked = paid
    limit(program, 0.01)
    for key, told in (("n\r", "nothing was run"), ("y\r", "next: aventrik compare")):
        terminal = Terminal(program, "run")
        terminal.shows("go on? [y/N]")
        assert asked == []
        terminal.keys(key)
        terminal.shows(told)
        terminal.close()
    assert len(asked) == 3


def test_a_budget_ends_the_run_cleanly_and_the_same_command_goes_on(paid: tuple[Program, list[Any]]) -> None:
    program, asked = paid
    stopped = program("run", "--budget", "0", code=1)
    assert "0 of 1 runs are finished, all that was computed is kept" in stopped.stderr
    assert asked == []
    (program.folder / "configs" / "second.toml").write_text(
        ANSWERING.replace('"paid"', '"short"') + "[context]\nkeep = 1\n"
    )
    stopped = program("run", "--budget", "0.001", code=1)
    assert 0 < len(asked) <= 3  # what is under way is finished
    assert "of the 0.0010 of --budget are spent" in stopped.stderr
    assert "1 of 2 runs are finished" in stopped.stderr
    program("run", "--budget", "1")
    assert [bool(run["finished"]) for run in program.json("runs")] == [True, True]


@pytest.mark.parametrize(
    ("given", "told"),
    [
        (("--budget", "-1"), "must be an amount of money, 0 or more, not '-1'"),
        (("--budget", "much"), "must be an amount of money"),
        (("--budget", "nan"), "must be an amount of money"),
        (("--budget-time", "0"), "must be a time greater than 0"),
        (("--budget-time", "5 days"), "must be a time greater than 0 such as 90, 10m or 2h, not '5 days'"),
        (("--race",), "--race needs at least two configurations"),
        (("--measure", "hit@1"), "--measure is for --race"),
    ],
)
def test_budgets_and_races_that_mean_nothing_are_refused(workspace: Program, given: tuple[str, ...], told: str) -> None:
    assert told in " ".join(workspace("run", *given, code=2).stderr.split())


def test_a_time_that_is_over_ends_the_run(workspace: Program) -> None:
    assert "s of --budget-time are over" in workspace("run", "--budget-time", "0.001s", code=1).stderr
    assert workspace.json("run", "--budget-time", "2h")[0]["name"] == "starter"


def test_a_race_says_who_was_stopped_and_what_was_saved(workspace: Program) -> None:
    docs = workspace.folder / "locks"
    docs.mkdir()
    rows = []
    for number in range(45):
        fact = f"Lock {number} takes boats of {100 + number} feet."
        (docs / f"lock-{number}.md").write_text(f"# Lock {number}\n\n{fact} It has two gates.\n")
        span = {"doc": f"lock-{number}.md", "quote": fact}
        rows.append(
            {
                "id": f"q{number}",
                "question": f"How long may a boat be in lock {number}?",
                "needs": [{"fact": "", "spans": [span]}],
            }
        )
    write_testset(workspace.folder, rows, "locks")
    workspace("gather", "locks")
    (workspace.folder / "configs" / "starter.toml").write_text(
        'name = "size"\n[search]\nmethod = "keyword"\nstop_words = "keep"\n[embedding]\nmodel = "none"\n[answering]\nmodel = "none"\n'
        '[sweep]\n"chunking.size" = [8, 12, 400]\n"chunking.overlap" = [0]\n'
    )
    plan = workspace.json("run", "--plan", "--testset", "locks")
    assert [each["missing"] for each in plan] == [45 * 9, 45 * 8, 45 * 8]  # the questions themselves are shared
    found = workspace.json("run", "--race", "--testset", "locks", "--label", "race")
    assert [each["name"] for each in found["runs"]] == ["size/size=400"]
    assert {each["name"] for each in found["race"]["stopped"]} == {"size/size=8", "size/size=12"}
    assert found["race"]["looks"] == [20, 30, 45]
    shown = workspace("compare", "size").stdout
    assert "2 runs were stopped early by a race" in shown
    listed = workspace("runs").stdout
    assert listed.count("stopped after 20") == 2
    assert "race" in listed
    again = workspace("run", "--race", "--testset", "locks").stdout
    assert "the race: 2 of 3 configurations stopped early, by hit@5" in again
    assert "saved: up to" in again
    assert "named 'nothing'" in workspace.fails("run", "--race", "--testset", "locks", "--measure", "nothing")
