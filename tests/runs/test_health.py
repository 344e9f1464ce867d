"""A run says what it rests on: calls that failed and texts that were cut, whoever made them first, and no gate passes by it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from aventrik.core.errors import BadInput
from aventrik.core.protocols import Reply, Task
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.execution.performing import _cut
from aventrik.kept.health import RunHealth, health_of
from aventrik.kept.run_names import run_named
from aventrik.kept.sides import side_of
from aventrik.pipeline.sources import Wording
from aventrik.report.notes import notes_of
from aventrik.results.comparing import compare
from aventrik.results.gated import Gated
from aventrik.results.gating import gated
from aventrik.runs.running import Runner
from aventrik.workspace.configuration import Configuration
from aventrik.workspace.gates import load_gate

from ..conftest import Program
from ..opened_world import Speaker, configured, questions_of, speaking

PLAIN = {
    "search": {"method": "keyword", "top": 2},
    "embedding": {"model": "none"},
    "chunking": {"size": 90, "overlap": 0},
}
ANSWERED = configured(PLAIN | {"answering": {"model": "house"}}, "answered")
REWRITTEN = configured(PLAIN | {"rewriting": {"method": "paraphrases", "count": 1, "model": "house"}}, "rewritten")
RERANKED = configured(PLAIN | {"reranking": [{"step": "relevance", "model": "house"}]}, "reranked")
FACTS = configured(PLAIN | {"index": {"text": "facts", "model": "house"}}, "facts")


def failing(name: str, when: str = "") -> Speaker:
    """The built-in model, but for one task, which fails where a text occurs in what it is asked."""
    from aventrik.english import OfflineModel

    def say(task: Task) -> Reply:
        if task.name == name and when in str(task.fields):
            return Reply(None, "no reply")
        return OfflineModel().perform([task])[0]

    return Speaker(say)


def run(opened: OpenWorkspace, configuration: Configuration, **how: Any) -> int:
    return Runner(opened, **how).run(configuration, "t", questions_of(opened)).run


def health(opened: OpenWorkspace, number: int) -> RunHealth:
    found = run_named(opened.store, str(number))
    return health_of(found, side_of(opened.store, found))


@pytest.mark.parametrize(
    ("configuration", "task", "stage"),
    [(ANSWERED, "answer", "answer"), (REWRITTEN, "paraphrases", "rewrite"), (RERANKED, "relevance", "step")],
)
def test_a_failed_call_is_told_by_its_stage_and_a_retry_mends_it(
    folder: Path, configuration: Configuration, task: str, stage: str
) -> None:
    opened = speaking(folder, house=failing(task))
    found = health(opened, number := run(opened, configuration))
    assert found.failed[stage] == found.unsound >= 2  # one question finds nothing that a model could look at
    well = speaking(folder, house=Speaker())
    assert run(well, configuration, retry_failed=True) == number
    assert health(well, number).well


def test_another_configuration_that_takes_over_a_failed_result_says_so_too(folder: Path) -> None:
    opened = speaking(folder, house=failing("paraphrases", "bridge"))
    first = run(opened, REWRITTEN)
    assert 0 < health(opened, first).unsound < 3
    other = REWRITTEN.model_copy(update={"name": "other"}).with_settings({"context.keep": 1})
    heir = speaking(folder, house=Speaker())  # well by now, and not asked again
    second = run(heir, other)
    assert heir.models._made["house"].asked == []
    assert health(heir, second).failed == health(heir, first).failed
    found = compare(heir.store, heir.workspace.settings, heir.store.runs.all())
    assert found.failures == [health(heir, first).unsound] * 2
    [told] = [note.text for note in notes_of(found) if "not all went well" in note.text]
    assert f"run {second}: {health(heir, second).unsound} of 3 questions: rewriting failed" in told


def test_index_texts_that_no_model_wrote_are_told(folder: Path) -> None:
    opened = speaking(folder, house=failing("facts", "bridge"))
    found = health(opened, run(opened, FACTS))
    assert (found.unwritten, found.unsound) == (2, 0)
    assert found.texts > 2
    assert f"2 of {found.texts} index texts were not written" in found.in_words


def held(opened: OpenWorkspace, number: int, text: str) -> Gated:
    path = opened.workspace.folder / "gate.toml"
    path.write_text(text + '\n[[limit]]\nmeasure = "hit@5"\nleast = 0.0\n', encoding="utf-8")
    found = run_named(opened.store, str(number))
    return gated(opened.store, opened.workspace.settings, load_gate(path), found, opened.workspace.folder)


def test_a_gate_stops_a_run_that_rests_on_failures_unless_it_is_told_how_many_will_do(folder: Path) -> None:
    opened = speaking(folder, house=failing("answer", "bridge"))
    number = run(opened, ANSWERED)
    share = health(opened, number).unsound / 3
    assert 0 < share < 1
    stopped = held(opened, number, "")
    assert stopped.failed
    assert [(check.measure, check.state) for check in stopped.checks] == [("hit@5", "passed"), ("failures", "failed")]
    assert not held(opened, number, f"failures = {share + 0.01:.2f}").failed
    written = speaking(folder, house=failing("facts", "bridge"))
    assert [check.measure for check in held(written, run(written, FACTS), "").checks] == ["hit@5", "index-failures"]


def test_a_gate_refuses_what_no_setting_explains_unless_it_is_allowed_by_its_kind(folder: Path) -> None:
    opened = speaking(folder, house=Speaker(mark="1"))
    before = run(opened, ANSWERED)
    changed = speaking(folder, house=Speaker(mark="2"))  # another model behind the same name
    after = run(changed, ANSWERED)
    assert after != before
    limit = f'baseline = "{before}"\n%s\n[[limit]]\nmeasure = "groundedness"\ndrop = 1.0\n'
    with pytest.raises(
        BadInput, match=r"the model 'house' \(answer\); what changed may be that.*allow = \[\"models\"\]"
    ):
        held(changed, after, limit % "")
    notes = held(changed, after, limit % 'allow = ["models"]').notes
    assert notes[:1] == ["not the same as in the baseline, which gate.toml allows: the model 'house' (answer)"]
    listed = limit.replace("groundedness", "hit@5")
    assert held(changed, after, listed % "").notes == []  # whoever answers, the list is the same


def test_settings_get_no_credit_for_a_model_that_changed_behind_its_name(folder: Path) -> None:
    opened = speaking(folder, house=Speaker(mark="1"))
    run(opened, ANSWERED)
    changed = speaking(folder, house=Speaker(mark="2"))
    run(changed, ANSWERED.model_copy(update={"name": "smaller"}).with_settings({"chunking.size": 60}))
    runs = changed.store.runs.all()
    answers = compare(changed.store, changed.workspace.settings, runs, measure="groundedness")
    assert answers.apart == ["the model 'house' (answer)"]
    assert answers.alike == [0]
    assert answers.contributions == []
    lists = compare(changed.store, changed.workspace.settings, runs, measure="hit@5")
    assert lists.alike == [0, 1]
    assert [each.setting for each in lists.contributions] == ["chunking.size"]


def test_what_was_cut_is_told_of_the_questions_that_it_was_cut_for(folder: Path) -> None:
    class Short(Speaker):
        """Cuts what it is given for one question."""

        def __init__(self) -> None:
            super().__init__()
            self.cuts: set[str] = set()

        def perform(self, tasks: Any) -> list[Reply]:
            self.cuts |= {task.fields["question"] for task in tasks if "bridge" in task.fields.get("question", "")}
            return super().perform(tasks)

    opened = speaking(folder, house=Short())
    asked = [question.question for question in questions_of(opened)]
    found = health(opened, run(opened, ANSWERED))
    assert found.cut == {"answer": sum("bridge" in each for each in asked)}
    assert 0 < found.cut["answer"] < 3
    assert (found.failed, found.unsound, found.well) == ({}, 0, False)


def test_a_cut_that_is_nobodys_counts_for_all_that_were_asked_together() -> None:
    inputs = {"wording": [Wording("one?"), Wording("two?")]}
    assert _cut(set(), inputs, [None, None]) == [False, False]
    assert _cut({"two?"}, inputs, [None, None]) == [False, True]
    assert _cut({"a claim that stands nowhere"}, inputs, [None, None]) == [True, True]


def test_two_runs_that_are_explained_side_by_side_say_what_no_setting_explains(workspace: Program) -> None:
    path = workspace.folder / "criteria" / "figures.toml"
    text = (
        'about = "Does it give a figure?"\njudges = "answer"\nbetter = "more"\n'
        '[[levels]]\nlevel = 0\nmeans = "no"\npattern = "^[^0-9]*$"\n[[levels]]\nlevel = 1\nmeans = "yes"\npattern = "[0-9]"\n'
    )
    path.write_text(text)
    workspace("run", "starter", "--testset", "small")
    assert "no setting explains" not in workspace("explain", "1", "1", "a1").stderr
    path.write_text(text.replace("a figure", "a figure and its unit"))
    workspace("run", "starter", "--testset", "small")
    told = " ".join(workspace("explain", "1", "2", "a1").stderr.split())
    assert "these runs differ in what no setting explains: the criterion 'figures'" in told
