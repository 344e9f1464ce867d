"""Runs: what they record, what goes on after a failure, what is made anew, and what documents that change do to them."""

from __future__ import annotations

import shutil
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from aventrik.core.errors import BadInput
from aventrik.core.protocols import Reply, Task
from aventrik.core.testsets import Question
from aventrik.corpora.cutting import figures
from aventrik.corpora.gathering import gather
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.kept.run_names import run_named
from aventrik.kept.sides import side_of
from aventrik.pipeline import registry as graph
from aventrik.pipeline.registry import GRAPH, STAGES
from aventrik.pipeline.stage import QUESTION, needed
from aventrik.results.comparing import compare
from aventrik.results.explaining import explain
from aventrik.runs.planning import Planner
from aventrik.runs.running import Runner, RunOutcome
from aventrik.workspace.configuration import Configuration
from aventrik.workspace.gathered import GatheredSource

from ..opened_world import Speaker, configured, questions_of, speaking

REWRITING = configured(
    {
        "rewriting": {"method": "paraphrases", "count": 1, "model": "house"},
        "search": {"method": "keyword", "top": 2},
        "chunking": {"size": 90, "overlap": 0},
        "embedding": {"model": "none"},
    },
    "r",
)


def run(opened: OpenWorkspace, configuration: Configuration, retry_failed: bool = False, **how: Any) -> RunOutcome:
    return Runner(opened, retry_failed).run(configuration, "t", questions_of(opened), **how)


def records(opened: OpenWorkspace, number: int, stage: str) -> list[Any]:
    """What a stage of a run came to, a question each."""
    kept = opened.store.runs.questions(number)
    return opened.bench.values(stage, [each.results[stage] for each in kept], opened.place(REWRITING).nodes)


def moody(well: bool) -> Speaker:
    """A rewriter that fails until it is well, then gives a rewrite that finds something else."""
    good = Reply({"paraphrases": ["bridge key price"]})
    return Speaker(lambda task: good if well else Reply(None, "no reply"))


def test_a_failed_rewriting_is_remembered_and_a_retry_takes_what_depends_on_it_along(folder: Path) -> None:
    first = speaking(folder, house=moody(False))
    number = run(first, REWRITING).run
    alone = records(first, number, "candidates")
    again = moody(True)
    assert run(speaking(folder, house=again), REWRITING).computed == {}
    assert again.asked == []
    opened = speaking(folder, house=moody(True))
    retried = run(opened, REWRITING, retry_failed=True)
    assert retried.run == number
    assert retried.computed["queries"] == 3
    assert records(opened, number, "candidates") != alone
    done = speaking(folder, house=moody(True))
    assert run(done, REWRITING, retry_failed=True).computed == {}


def test_fresh_asks_the_model_anew_and_what_comes_out_the_same_is_not_made_again(folder: Path) -> None:
    run(speaking(folder, house=moody(True)), REWRITING)
    speaker = moody(True)
    fresh = run(speaking(folder, fresh=True, house=speaker), REWRITING)
    assert speaker.asked == ["paraphrases"] * 3
    assert fresh.computed == {"rewrite 1": 3}


def test_interrupted_while_it_is_made_anew_the_old_run_still_stands(folder: Path) -> None:
    first = speaking(folder, house=moody(True))
    number = run(first, REWRITING).run
    before = [records(first, number, stage) for stage in ("queries", "candidates", "answer")]

    class Stop(Exception):
        pass

    def stop(task: Task) -> Reply:
        raise Stop

    with pytest.raises(Stop):
        run(speaking(folder, fresh=True, house=Speaker(stop)), REWRITING)
    after = speaking(folder, house=moody(True))
    assert [records(after, number, stage) for stage in ("queries", "candidates", "answer")] == before
    other = Speaker(lambda task: Reply({"paraphrases": ["overstay charge"]}))
    beside = run(speaking(folder, fresh=True, house=other), REWRITING).run
    assert beside != number
    assert [records(after, number, stage) for stage in ("queries", "candidates", "answer")] == before  # as it was
    assert records(after, beside, "queries") != before[0]
    again = run(speaking(folder, house=moody(True)), REWRITING)
    assert (again.run, again.computed) == (beside, {})  # from now on the latest is what stands
    third = run(speaking(folder, fresh=True, house=moody(True)), REWRITING).run
    assert third not in (number, beside)


FACTS = configured({"index": {"text": "facts", "model": "house"}, "chunking": {"size": 90, "overlap": 0}}, "facts")


def test_fresh_and_retries_reach_the_texts_of_the_index(folder: Path) -> None:
    def half(task: Task) -> Reply:
        if "bridge" in str(task.fields["passage"]):
            return Reply(None, "no reply")
        return Reply({"facts": [str(task.fields["passage"]) + " indeed"]})

    first = speaking(folder, house=Speaker(half))
    number = run(first, FACTS).run
    written = first.place(FACTS).open("written")
    assert written.failed == 2  # the chunks of one document
    whole = Speaker(lambda task: Reply({"facts": [str(task.fields["passage"]) + " surely"]}))
    retried = run(speaking(folder, house=whole), FACTS, retry_failed=True)
    assert retried.computed["written"] == 1  # the one document of which nothing came
    assert len(whole.asked) == 2
    assert "keyword hits" in retried.computed  # what was matched has changed
    assert retried.run != number  # and with it what the run is made of
    again = Speaker(whole.say)
    fresh = run(speaking(folder, fresh=True, house=again), FACTS)
    assert fresh.computed["written"] == 3
    opened = speaking(folder, house=whole)
    assert opened.place(FACTS).open("written").failed == 0


def test_a_run_records_all_that_made_it(folder: Path) -> None:
    opened = speaking(folder, house=Speaker(mark="7"))
    number = run(opened, replace_where(REWRITING)).run
    made = run_named(opened.store, str(number)).made
    assert made["configuration"]["rewriting"][0]["model"] == "house"
    assert made["configuration"]["answering"]["model"] == "offline"  # the role, filled in
    assert (made["judge"], made["cover"], made["cut_offs"]) == ("offline", 0.9, [1, 3, 5, 10])
    assert made["corpus"] == opened.snapshot.key
    assert (made["documents"], made["passed"], made["seed"]) == (3, 2, 0)
    assert made["models"]["rewrite 1: rewriter"] == {
        "name": "house", "kind": "language", "identity": "speaker 7", "address": "http://127.0.0.1:9", "model": "m",
    }  # fmt: skip
    assert made["stages"]["chunks"] == STAGES["chunks"].version
    assert made["program"]
    kept = opened.store.runs.questions(1)
    assert [question.key for question in kept] == [question.key for question in questions_of(opened)]
    assert kept[0].body["needs"][0]["spans"][0]["quote"]


def replace_where(configuration: Configuration) -> Configuration:
    return configuration.with_settings({"search.where": "document != 'locks.md'"})


def test_another_judge_is_another_run_and_their_difference_is_no_contribution(folder: Path) -> None:
    plain = configured({"search": {"method": "keyword"}}, "k")
    first = run(OpenWorkspace(folder), plain).run
    text = (folder / "aventrik.toml").read_text().replace('judge    = "offline"', 'judge    = "house"')
    (folder / "aventrik.toml").write_text(text)
    opened = speaking(folder, house=Speaker(mark="judge"))
    second = run(opened, plain)
    assert second.run != first
    assert set(second.computed) == {"verdicts"}  # it says the same, so nothing after it is made again
    third = run(opened, plain.with_settings({"context.keep": 1}).model_copy(update={"name": "k1"}))
    runs = [run_named(opened.store, str(number)) for number in (first, second.run, third.run)]
    found = compare(opened.store, opened.workspace.settings, runs, baseline=str(second.run))
    assert found.apart == ["the judge"]
    assert {each.setting for each in found.contributions} == {"context.keep"}


def test_runs_are_paired_by_what_is_asked_and_not_by_id(opened: OpenWorkspace) -> None:
    """A question that was edited, or moved to another id, is told apart from, or found again as, what it was."""
    plain = configured({"search": {"method": "keyword"}}, "k")
    one, two, three = questions_of(opened)
    edited = replace(two, question="What is the price of a bridge key?")
    moved = replace(one, id="z9")
    runner = Runner(opened)
    first = runner.run(plain, "t", [one, two, three]).run
    second = runner.run(plain, "t", [moved, edited, three]).run
    runs = [run_named(opened.store, str(number)) for number in (first, second)]
    found = compare(opened.store, opened.workspace.settings, runs)
    assert found.shared == 2  # the moved one and the unanswerable one
    assert found.left_out == [1, 1]
    assert found.twins == [0, 0]  # by the same results
    assert found.means[0]["hit@5"].n == 1  # the unanswerable one has no retrieval score
    other = runner.run(plain, "t", [edited]).run
    only = runner.run(plain, "t", [two]).run
    with pytest.raises(BadInput, match=r"no question in common: the questions of 't' were changed"):
        compare(
            opened.store,
            opened.workspace.settings,
            [run_named(opened.store, str(other)), run_named(opened.store, str(only))],
        )


def test_a_key_of_a_question_follows_its_quote_and_not_its_place_or_name() -> None:
    from aventrik.core.testsets import Need, Quoted

    def question(name: str, start: int, quote: str, occurrence: int = 0) -> str:
        places = (Quoted("a", start, start + len(quote), quote, occurrence),)
        return Question(name, "?", "x", (Need("f", places),)).key

    assert question("q1", 5, "words") == question("q2", 50, "words")
    assert question("q1", 5, "words") != question("q1", 5, "other")
    assert question("q1", 5, "words", 0) != question("q1", 5, "words", 1)  # the same words, elsewhere in the document


def test_explain_and_compare_work_from_what_is_kept(folder: Path, tmp_path: Path) -> None:
    """With the model gone from the settings, the test set edited, and the document changed."""
    first = speaking(folder, house=moody(True))
    number = run(first, REWRITING).run
    before = explain(first.store, first.bench, run_named(first.store, str(number)), "a2")
    text = (folder / "aventrik.toml").read_text()
    (folder / "aventrik.toml").write_text(text[: text.index("[models.house]")])
    (tmp_path / "docs" / "bridges.txt").write_text("Something else altogether now.\n")
    (tmp_path / "docs" / "moorings.md").unlink()
    gather(OpenWorkspace(folder), [GatheredSource(tmp_path / "docs")], prune=True)
    opened = OpenWorkspace(folder)
    after = explain(opened.store, opened.bench, run_named(opened.store, str(number)), "a2")
    assert after.stages == before.stages
    assert after.chunks == before.chunks
    assert after.needs == before.needs
    found = compare(opened.store, opened.workspace.settings, [run_named(opened.store, str(number))])
    assert found.means[0]["hit@5"].mean == 1.0


def test_a_run_of_an_earlier_version_is_explained_by_its_own_chunks_and_never_by_others(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened = OpenWorkspace(folder)
    number = run(opened, configured()).run
    before = explain(opened.store, opened.bench, run_named(opened.store, str(number)), "a1")
    chunks = STAGES["chunks"]

    def otherwise(given: Any) -> list[dict[str, np.ndarray]]:
        """The first five characters of each chunk."""
        return [
            {**columns, "ends": np.minimum(columns["ends"], columns["starts"] + 5)}
            for columns in chunks.function(given)
        ]

    newer = replace(chunks, version=99, function=otherwise)
    monkeypatch.setitem(STAGES, "chunks", newer)
    monkeypatch.setattr(graph, "GRAPH", (newer, *(stage for stage in GRAPH if stage.name != "chunks")))
    again = OpenWorkspace(folder)
    after = explain(again.store, again.bench, run_named(again.store, str(number)), "a1")
    assert after.chunks == before.chunks
    shutil.rmtree(folder / ".aventrik" / "arrays")
    bare = OpenWorkspace(folder)
    with pytest.raises(BadInput, match="this version cuts documents otherwise"):
        explain(bare.store, bare.bench, run_named(bare.store, str(number)), "a1")
    same = replace(chunks, version=100)
    monkeypatch.setitem(STAGES, "chunks", same)
    monkeypatch.setattr(graph, "GRAPH", (same, *(stage for stage in GRAPH if stage.name != "chunks")))
    fresh = OpenWorkspace(folder)  # this version cuts them alike after all
    assert explain(fresh.store, fresh.bench, run_named(fresh.store, str(number)), "a1").chunks == before.chunks


def test_a_document_that_changes_while_a_run_goes_on_makes_no_mixture(folder: Path, tmp_path: Path) -> None:
    """A run is of the documents as they were when it began, all of them, and is recorded so."""
    opened = OpenWorkspace(folder)
    questions = questions_of(opened)
    key = opened.snapshot.key  # taken
    (tmp_path / "docs" / "bridges.txt").write_text("A bridge key costs 99 pounds.\n")
    gather(OpenWorkspace(folder), [GatheredSource(tmp_path / "docs")])
    outcome = Runner(opened).run(configured(), "t", questions)
    assert run_named(opened.store, str(outcome.run)).corpus == key
    side = side_of(opened.store, run_named(opened.store, str(outcome.run)))
    assert all(scores.get("hit@5", 1.0) == 1.0 for scores in side.side.scores.values())
    assert OpenWorkspace(folder).snapshot.key != key


def test_one_changed_document_makes_one_documents_chunks_again(folder: Path, tmp_path: Path) -> None:
    static = configured({"embedding": {"model": "static"}, "context": {"keep": 1}})
    pytest.importorskip("wordllama")
    assert run(OpenWorkspace(folder), static).computed["vectors"] == 3
    (tmp_path / "docs" / "locks.md").write_text("# Locks\n\nLocks are shut on Mondays.\n")
    gather(OpenWorkspace(folder), [GatheredSource(tmp_path / "docs")])
    outcome = run(OpenWorkspace(folder), static)
    assert {name: outcome.computed[name] for name in ("chunks", "terms", "vectors")} == dict.fromkeys(
        ("chunks", "terms", "vectors"), 1
    )
    assert "query vectors" not in outcome.computed  # of questions and a model alone
    # What was shown to the answering model came from the other documents for some question: it is not asked again.
    assert outcome.computed.get("answer", 0) < 3


def test_blend_weight_and_top_search_nothing_again(opened: OpenWorkspace) -> None:
    base = configured({"chunking": {"size": 60}})
    run(opened, base)
    for change in ({"search.blend": "scores"}, {"search.weight": 0.9}, {"search.top": 2}, {"context.keep": 1}):
        outcome = run(opened, base.with_settings(change))
        assert {"queries", "query vectors", "keyword hits", "vector hits"}.isdisjoint(outcome.computed), change


def test_retrieval_alone_asks_no_model(folder: Path) -> None:
    speaker = Speaker()
    opened = speaking(folder, house=speaker)
    answering = configured({"answering": {"model": "house"}})
    outcome = run(opened, answering, until="served")
    assert speaker.asked == []
    assert "context" not in outcome.computed
    side = side_of(opened.store, run_named(opened.store, str(outcome.run))).side
    assert all("groundedness" not in scores for scores in side.scores.values())
    silent = run(opened, configured({"answering": {"model": "none"}}, "silent"))
    assert speaker.asked == []
    lost = side_of(opened.store, run_named(opened.store, str(silent.run))).side.lost
    assert {stage for stages in lost.values() for stage in stages} == {"in the context"}


def test_the_time_of_a_stage_is_counted_once(opened: OpenWorkspace) -> None:

    outcome = run(opened, configured({"chunking": {"size": 60}}))

    assert set(outcome.seconds) == set(outcome.computed)
    kept = run_named(opened.store, str(outcome.run)).costs
    assert kept["seconds"] == pytest.approx(outcome.seconds)
    hits = opened.store.results.costs(
        [each.results["vector hits"] for each in opened.store.runs.questions(outcome.run)]
    )
    assert sum(cost[0] for cost in hits.values()) == pytest.approx(outcome.seconds["vector hits"])


def test_a_recall_is_no_sum(opened: OpenWorkspace) -> None:
    graph = configured({"search": {"method": "vector", "nearest": "graph"}})
    for _ in range(3):
        outcome = run(opened, graph)
    assert outcome.recall == 1.0
    runner = Runner(opened)
    runner.run(graph, "u", questions_of(opened))
    assert {found.costs["state"]["recall"] for found in opened.store.runs.all()} == {1.0}


def test_a_plan_says_what_a_run_would_do_and_does_nothing(folder: Path) -> None:
    speaker = Speaker()
    opened = speaking(folder, house=speaker)
    answering = configured({"answering": {"model": "house"}, "chunking": {"size": 60}})
    nodes = list(needed(opened.place(answering).nodes, QUESTION))
    found = Planner(opened, questions_of(opened)).plan(answering)
    assert found.corpus == ["chunks", "terms", "keyword", "fitted", "vectors"]
    assert (found.known, found.missing, found.open) == (0, 3 * len(nodes), True)
    assert found.calls == 3
    assert speaker.asked == []
    assert opened.store.runs.all() == []
    run(opened, answering)
    found = Planner(speaking(folder, house=speaker), questions_of(opened)).plan(answering)
    assert (found.corpus, found.missing, found.open, found.calls) == ([], 0, False, 0)


def test_a_need_whose_judgement_failed_is_not_judged(folder: Path) -> None:
    (folder / "aventrik.toml").write_text(
        (folder / "aventrik.toml").read_text().replace('judge    = "offline"', 'judge    = "house"')
    )
    opened = speaking(folder, house=Speaker(lambda task: Reply(None, "no reply")))
    outcome = run(opened, configured())
    found = compare(opened.store, opened.workspace.settings, [run_named(opened.store, str(outcome.run))])
    assert found.failures == [2]  # the third question is declined: there is nothing to judge
    lost = found.sides[0].lost
    assert {stage for stages in lost.values() for stage in stages} == {"not judged"}


def test_scores_by_hand_on_the_small_world(opened: OpenWorkspace) -> None:
    outcome = run(opened, configured({"search": {"method": "keyword"}, "chunking": {"size": 60}}))
    side = side_of(opened.store, run_named(opened.store, str(outcome.run)))
    [key] = [key for key, name in side.ids.items() if name == "a1"]
    scores = side.side.scores[key]
    assert (scores["hit@1"], scores["reciprocal-rank"], scores["groundedness"]) == (1.0, 1.0, 1.0)
    assert side.side.lost[key] == ("answered",)
    assert side.side.asked[key].document == "moorings.md"


def test_cutting_figures_by_hand(opened: OpenWorkspace) -> None:
    [question] = [each for each in questions_of(opened) if each.id == "a1"]
    place = opened.place(configured({"chunking": {"method": "fixed", "size": 40, "overlap": 0}}))
    row = figures(place, [question])
    table = place.open("chunks")
    lengths = [end - start for n in range(len(table)) for start, end in table.ranges(n)]
    assert (row.chunks, row.shortest, row.longest) == (len(lengths), min(lengths), max(lengths))
    assert row.longest <= 40
    assert row.repeated == 0.0
    assert (row.needs, row.needs_cut_apart) == (1, 1)  # the sentence has 50 characters
    assert 0 < row.mid_sentence < 1
    wide = figures(opened.place(configured()), [question])
    assert (wide.needs_cut_apart, wide.mid_sentence) == (0, 0.0)


def test_headings_stand_in_front_of_what_is_matched_but_not_twice(opened: OpenWorkspace) -> None:
    place = opened.place(configured({"chunking": {"size": 60, "overlap": 0}}))
    texts = list(place.open("matched"))
    assert len(texts) == len(place.open("matched")) == len(place.open("chunks"))
    rows = [text for text in texts if "Lock: Pellbeck" in text]
    assert rows[0].split("\n")[:2] == ["Locks", "Sizes"]
    assert all(text.count("Moorings\n") <= 1 for text in texts)


def test_questions_of_the_model_that_wrote_the_index_are_counted(opened: OpenWorkspace) -> None:
    """A question that the writer of the index drafted is told of before a ranking by it is believed."""
    from aventrik.runs.running import own_questions

    facts = configured({"index": {"text": "questions", "model": "house"}})
    own = replace(questions_of(opened)[0], by="house")
    assert own_questions(opened.resolve(facts), [own, *questions_of(opened)[1:]]) == 1
    assert own_questions(opened.resolve(configured()), [own]) == 0
