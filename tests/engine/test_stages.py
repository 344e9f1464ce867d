"""Content keys and the runner: what is shared, what is made anew, and what follows from it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import pytest
from aventrik.engine.resources import Resources
from aventrik.engine.runner import Runner

from aventrik.core.offline import OfflineModel
from aventrik.core.protocols import LanguageModel, Reply, Task
from aventrik.core.testsets import Need, Question, Quoted
from aventrik.engine.cutting import figures
from aventrik.engine.stages import QUESTION_STAGES, CorpusKeys, Identities, Judging, question_keys
from aventrik.workspace.configuration import Configuration
from aventrik.workspace.workspace import Workspace, create

from ..conftest import TEXTS

QUESTION = Question(
    "a1",
    "How long may a boat stay at a visitor mooring?",
    "48 hours.",
    (Need("48 hours", (Quoted("moorings.md", 11, 61, "A boat may stay at a visitor mooring for 48 hours."),)),),
)
JUDGING = Judging((1, 5), 0.9, "judge")


def keys(changes: dict[str, Any] | None = None, documents: str = "docs", judging: Judging = JUDGING) -> dict[str, str]:
    configuration = Configuration.model_validate({"name": "x", **(changes or {})})
    corpus = CorpusKeys.of(configuration, documents, configuration.embedding.model)
    return question_keys(configuration, corpus, QUESTION, judging, Identities("r", "a", ("",)))


def changed(changes: dict[str, Any], base: dict[str, Any] | None = None) -> str:
    """The first stage whose key a setting changes; 'none' when it changes nothing."""
    before, after = keys(base), keys({**(base or {}), **changes})
    return next((stage for stage in QUESTION_STAGES if before[stage] != after[stage]), "none")


@pytest.mark.parametrize(
    ("changes", "stage"),
    [
        ({"name": "y", "note": "other"}, "none"),
        ({"chunking": {"size": 300}}, "candidates"),
        ({"index": {"k1": 2.0}}, "candidates"),
        ({"embedding": {"model": "static"}}, "candidates"),
        ({"rewriting": {"method": "paraphrases"}}, "queries"),
        ({"rewriting": {"count": 7}}, "none"),
        ({"search": {"top": 20}}, "candidates"),
        ({"reranking": [{"step": "closeness"}]}, "refined"),
        ({"context": {"keep": 2}}, "context"),
        ({"answering": {"style": "short"}}, "answer"),
    ],
)
def test_a_setting_changes_the_keys_from_its_own_stage_on(changes: dict[str, Any], stage: str) -> None:
    assert changed(changes) == stage


def test_what_a_search_does_not_use_does_not_count() -> None:
    by_word: dict[str, Any] = {"search": {"method": "keyword"}}
    by_vector: dict[str, Any] = {"search": {"method": "vector"}}
    assert changed({"embedding": {"model": "static"}}, by_word) == "none"
    assert changed({"index": {"k1": 2.0}}, by_vector) == "none"
    assert changed({"search": {"method": "keyword", "blend": "scores"}}, by_word) == "none"


def test_a_default_that_is_written_out_is_the_same_configuration() -> None:
    step = [{"step": "closeness"}]
    assert changed({"reranking": [{"step": "closeness", "weight": 0.5}]}, {"reranking": step}) == "none"


def test_documents_change_candidates_and_judges_change_verdicts() -> None:
    before = keys()
    assert keys(documents="other")["queries"] == before["queries"]
    assert keys(documents="other")["candidates"] != before["candidates"]
    other = keys(judging=Judging((1, 5), 0.9, "other judge"))
    assert other["answer"] == before["answer"]
    assert other["verdicts"] != before["verdicts"]
    assert keys(judging=Judging((1,), 0.9, "judge"))["scores"] != before["scores"]


@pytest.fixture
def opened(tmp_path: Path) -> Workspace:
    """A workspace with three documents, used in this process."""
    create(tmp_path / "w")
    docs = tmp_path / "docs"
    docs.mkdir()
    for name, text in TEXTS.items():
        (docs / name).write_text(text, encoding="utf-8")
    found = Workspace(tmp_path / "w")
    found.corpus.gather([docs])
    return found


class Moody:
    """A rewriter that fails until it is well, then gives a rewrite that finds something else."""

    name = "moody"

    def __init__(self) -> None:
        self.well = False
        self.calls = 0

    def identity(self, task: str) -> str:
        return "moody 1"

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        self.calls += len(tasks)
        reply = Reply({"paraphrases": ["bridge key price"]}) if self.well else Reply(None, "no reply")
        return [reply for _ in tasks]


def runner_with(workspace: Workspace, model: LanguageModel, monkeypatch: pytest.MonkeyPatch, **how: bool) -> Runner:
    runner = Runner(workspace, **how)
    offline = OfflineModel()
    monkeypatch.setattr(runner.models, "role", lambda role, override="": model if role == "rewriter" else offline)
    return runner


REWRITING = Configuration.model_validate(
    {"name": "r", "rewriting": {"method": "paraphrases", "count": 1}, "search": {"method": "keyword", "top": 2},
     "chunking": {"size": 90, "overlap": 0}, "embedding": {"model": "none"}}
)  # fmt: skip


def candidates(workspace: Workspace, runner: Runner) -> list[int]:
    key = runner.stage_keys(REWRITING, [QUESTION])["a1"]["candidates"]
    return [row[0] for row in workspace.store.result(key)["list"]]


def test_a_failed_rewriting_is_remembered_and_a_retry_takes_all_that_hangs_on_it_along(
    opened: Workspace, monkeypatch: pytest.MonkeyPatch
) -> None:
    model = Moody()
    runner = runner_with(opened, model, monkeypatch)
    runner.run(REWRITING, "t", [QUESTION])
    alone = candidates(opened, runner)
    model.well = True
    assert runner_with(opened, model, monkeypatch).run(REWRITING, "t", [QUESTION]).computed == {}
    assert model.calls == 1
    again = runner_with(opened, model, monkeypatch, retry_failed=True).run(REWRITING, "t", [QUESTION])
    assert set(again.computed) == set(QUESTION_STAGES)
    assert candidates(opened, runner) != alone
    done = runner_with(opened, model, monkeypatch, retry_failed=True).run(REWRITING, "t", [QUESTION])
    assert done.computed == {}


def test_fresh_makes_every_stage_of_the_questions_anew(opened: Workspace, monkeypatch: pytest.MonkeyPatch) -> None:
    model = Moody()
    model.well = True
    runner_with(opened, model, monkeypatch).run(REWRITING, "t", [QUESTION])
    fresh = runner_with(opened, model, monkeypatch, fresh=True).run(REWRITING, "t", [QUESTION])
    assert set(fresh.computed) == set(QUESTION_STAGES)
    assert model.calls == 2


def test_scores_by_hand_on_the_small_world(opened: Workspace) -> None:
    configuration = Configuration.model_validate(
        {"name": "k", "search": {"method": "keyword"}, "chunking": {"size": 60}}
    )
    runner = Runner(opened)
    runner.run(configuration, "t", [QUESTION])
    found = opened.store.result(runner.stage_keys(configuration, [QUESTION])["a1"]["scores"])
    assert found["scores"]["hit@1"] == 1.0
    assert found["scores"]["reciprocal-rank"] == 1.0
    assert found["scores"]["groundedness"] == 1.0
    assert found["lost"] == ["answered"]


def test_cutting_figures_by_hand(opened: Workspace) -> None:
    configuration = Configuration.model_validate(
        {"name": "c", "chunking": {"method": "fixed", "size": 40, "overlap": 0}}
    )
    resources = Resources(opened)
    row = figures(resources, configuration, [QUESTION])
    table = resources.chunks(configuration)
    lengths = [end - start for n in range(len(table)) for start, end in table.ranges(n)]
    assert (row["chunks"], row["shortest"], row["longest"]) == (len(lengths), min(lengths), max(lengths))
    assert row["longest"] <= 40
    assert row["repeated"] == 0.0
    assert (row["needs"], row["needs_cut_apart"]) == (1, 1)  # the sentence has 50 characters
    assert 0 < row["mid_sentence"] < 1
    wide = figures(resources, Configuration.model_validate({"name": "d"}), [QUESTION])
    assert (wide["needs_cut_apart"], wide["mid_sentence"]) == (0, 0.0)


def test_indexes_are_made_once_and_shared(opened: Workspace) -> None:
    first = Resources(opened)
    configuration = Configuration.model_validate({"name": "v"})
    vectors = first.vectors(configuration)
    assert first.made == {"chunks": 1, "fitted": 1, "vectors": 1}
    second = Resources(opened)
    assert second.vectors(configuration).tolist() == vectors.tolist()
    assert second.made == {}
    assert len(vectors) == len(second.chunks(configuration))


def test_headings_stand_in_front_of_what_is_matched_but_not_twice(opened: Workspace) -> None:
    configuration = Configuration.model_validate({"name": "h", "chunking": {"size": 60, "overlap": 0}})
    resources = Resources(opened)
    texts = list(resources.index_texts(configuration, "test"))
    table = resources.chunks(configuration)
    plain = [resources.text(table, n) for n in range(len(table))]
    rows = [n for n, text in enumerate(plain) if text.startswith("Lock: Pellbeck")]
    assert texts[rows[0]].split("\n")[:2] == ["Locks", "Sizes"]
    assert all(text.count("Moorings\n") <= 1 for text in texts)
