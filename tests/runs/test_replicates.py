"""A model that answers otherwise each time is asked several times: scores are means, and how far they are apart is told."""

from __future__ import annotations

import statistics
from pathlib import Path
from typing import Any

import httpx
import pytest

from aventrik.core.protocols import Reply, Task
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.kept.chains import broken_chains
from aventrik.kept.run_names import run_named
from aventrik.kept.run_records import records_of
from aventrik.kept.sides import side_of
from aventrik.models.calls import Memory
from aventrik.models.connection import Connection
from aventrik.models.language import HttpLanguageModel
from aventrik.pipeline.judges import judge_of, replicate_name, replicate_of, stage_name
from aventrik.pipeline.replicates import times_of
from aventrik.report.notes import notes_of
from aventrik.results.comparing import compare
from aventrik.runs.running import Runner
from aventrik.workspace.configuration import Configuration

from ..opened_world import Speaker, configured, questions_of, speaking

ANSWERED = configured(
    {
        "search": {"method": "keyword", "top": 2}, "embedding": {"model": "none"}, "chunking": {"size": 90, "overlap": 0},
        "answering": {"model": "house"},
    },
    "answered",
)  # fmt: skip


def moody() -> Speaker:
    """Answers from the passages the first time, and out of the blue from then on."""
    from aventrik.english import OfflineModel

    def say(task: Task) -> Reply:
        if task.name == "answer" and task.time > 1:
            text = f"The moon is {task.time} pounds of cheese."
            return Reply({"declined": False, "statements": [{"text": text, "cites": [1], "quotes": []}]})
        return OfflineModel().perform([task])[0]

    return Speaker(say)


@pytest.fixture
def thrice(folder: Path) -> Path:
    path = folder / "aventrik.toml"
    path.write_text(path.read_text().replace('model = "m"\n', 'model = "m"\nreplicates = 3\n'))
    return folder


def run(opened: OpenWorkspace, configuration: Configuration = ANSWERED) -> Any:
    return Runner(opened).run(configuration, "t", questions_of(opened))


def test_a_score_is_the_mean_over_all_times_and_their_spread_is_told(thrice: Path) -> None:
    opened = speaking(thrice, house=moody())
    made = run(opened)
    found = run_named(opened.store, str(made.run))
    assert found.made["times"] == 3
    sheet = side_of(opened.store, found).side.sheet
    names = ["answer scores", "answer scores, time 2", "answer scores, time 3"]
    rows = records_of(opened.store, made.run, names)
    for key, row in zip(sheet.keys_in_order, rows, strict=True):
        values = [row[name].values["groundedness"] for name in names if "groundedness" in row[name].values]
        if len(values) > 1:
            assert sheet[key]["groundedness"] == pytest.approx(statistics.mean(values))
            assert sheet[key]["groundedness-spread"] == pytest.approx(statistics.stdev(values))
    assert 0 < (sheet.mean("groundedness") or 0) < 1
    assert (sheet.mean("groundedness-spread") or 0) > 0.3
    compared = compare(opened.store, opened.workspace.settings, [found])
    [told] = [note.text for note in notes_of(compared) if "times a question" in note.text]
    assert f"run {made.run} was answered 3 times a question" in told
    assert list(broken_chains(opened.store)) == []


def test_what_is_asked_once_is_what_it_was_and_more_times_are_made_beside(thrice: Path) -> None:
    once = speaking(thrice, house=moody())
    once.workspace.settings.models["house"].__dict__["replicates"] = 1
    first = run(once)
    more = run(speaking(thrice, house=moody()))
    assert more.run != first.run
    assert set(more.computed) == {
        f"{name}, time {time}" for name in ("answer", "verdicts", "answer scores") for time in (2, 3)
    }  # the first time stands already
    assert run(speaking(thrice, house=moody())).computed == {}


def test_what_a_question_costs_is_what_it_costs_once(thrice: Path) -> None:
    opened = speaking(thrice, house=moody())
    found = side_of(opened.store, run_named(opened.store, str(run(opened).run)))
    once = speaking(thrice, house=moody())
    once.workspace.settings.models["house"].__dict__["replicates"] = 1
    alone = side_of(once.store, run_named(once.store, str(run(once).run)))
    assert found.side.sheet.mean("seconds") == pytest.approx(alone.side.sheet.mean("seconds"))


def test_names_of_nodes_tell_their_stage_judge_and_time() -> None:
    for node, stage, judge in (("answer", "answer", ""), ("verdicts of house", "verdicts", "house")):
        again = replicate_name(node, 2)
        assert (stage_name(again), judge_of(again), replicate_of(again)) == (stage, judge, 2)
        assert (stage_name(node), judge_of(node), replicate_of(node)) == (stage, judge, 1)
    results = {
        "answer scores": "a",
        "answer scores, time 2": "b",
        "answer scores of house": "c",
        "answer scores of house, time 2": "d",
    }
    assert times_of(results, "answer scores") == ["a", "b"]
    assert times_of(results, "answer scores of house") == ["c", "d"]


def test_a_server_is_asked_anew_for_each_time_and_each_reply_is_kept() -> None:
    asked: list[int] = []

    def handle(request: httpx.Request) -> httpx.Response:
        asked.append(1)
        return httpx.Response(200, json={"choices": [{"message": {"content": '{"stated": [true]}'}}]})

    model = HttpLanguageModel(
        Connection("m", "http://h.test", "m"), calls=Memory(), transport=httpx.MockTransport(handle)
    )
    fields = {"question": "", "facts": ["x"], "answer": "y"}
    tasks = [Task("stated", fields), Task("stated", fields, time=2), Task("stated", fields)]
    model.perform(tasks)
    model.perform(tasks)
    assert len(asked) == 2
