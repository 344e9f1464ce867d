"""`compare` on many runs: what fits a screen, what is told, what is drawn; and what can't be compared."""

from __future__ import annotations

import json
import re
import sqlite3
import struct
import xml.etree.ElementTree as ET
from collections.abc import Mapping, Sequence
from contextlib import closing
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from aventrik.core.measures import Scores
from aventrik.core.measures.loss import Losses
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.pipeline.codec import encode
from aventrik.storage.protocols import RUN_FORMAT, Kept, RunQuestion
from aventrik.workspace.configuration import Configuration

from ..conftest import Program, write_testset

SIZES, METHODS, MODELS = (200, 400, 800, 1600), ("keyword", "vector", "both"), ("lsa", "static")


def put_run(
    opened: OpenWorkspace,
    name: str,
    scores: Sequence[Mapping[str, float]],
    settings: Mapping[str, Any] | None = None,
    of: str = "",
    when: str = "",
    first: int = 0,
    tokens: float = 0.0,
    outside: bool = False,
) -> int:
    """A finished run with these scores of its questions, a document for each three; `of` names whose results it shares,
    `tokens` is what a question asked of models, `outside` says that another system gave it."""
    kept, rows = [], []
    for place, values in enumerate(scores, first):
        hit = values.get("hit@5", 0.0) >= 0.5
        records = {
            "retrieval scores": Scores(dict(values)),
            "losses": Losses(("answered" if hit else "not among the candidates",)),
        }
        results = {}
        for stage, record in records.items():
            body = encode(record)
            results[stage] = f"{stage} {of or name} {when} {place}"
            kept.append(
                Kept(
                    results[stage], stage, results[stage], body, False, 0.002 * (1 + place % 3), (0.0, tokens, 0.0, 0.0)
                )
            )
        body_ = {
            "id": f"q{place}", "question": f"What is the length of lock {place}?", "answer": "", "status": "kept", "by": "person",
            "kind": "table" if place % 3 == 0 else "one-fact", "tags": ["locks"] if place % 2 else ["lengths"], "meta": {},
            "needs": [{"fact": "", "spans": [{"doc": f"locks/{place // 3}.md", "start": 0, "end": 4, "quote": "lock"}]}],
        }  # fmt: skip
        rows.append(RunQuestion(f"q{place}", f"key{place}", body_, results))
    opened.store.results.keep(kept)
    made = {
        "format": RUN_FORMAT, "configuration": Configuration(name=name).with_settings(dict(settings or {})).model_dump(),
        "corpus": "c", "cover": 0.9, "cut_offs": [5], "judge": "offline", "models": {},
        "outside": {"kind": "file"} if outside else None,
    }  # fmt: skip
    number = opened.store.runs.begin(f"identity of {name} {when}", name, "locks", made, len(rows))
    opened.store.runs.finish(number, rows, {})
    return number


def hits(lot: np.random.Generator, good: float, hard: np.ndarray, tokens: float) -> list[dict[str, float]]:
    drawn = good - hard + 0.4 * lot.normal(size=len(hard)) > 0
    return [{"hit@5": float(hit), "ndcg@5": 0.7 * float(hit), "tokens@5": tokens} for hit in drawn]


@pytest.fixture(scope="module")
def many(tmp_path_factory: pytest.TempPathFactory) -> Program:
    """36 runs of a sweep on 90 questions, those of keyword search under two models the same."""
    program = Program(tmp_path_factory.mktemp("many"))
    program("new", "w")
    program = Program(program.folder / "w")
    opened = OpenWorkspace(program.folder)
    lot = np.random.default_rng(5)
    hard = lot.normal(size=90) + 0.3 * np.repeat(lot.normal(size=30), 3)
    for size in SIZES:
        for method in METHODS:
            for model in MODELS:
                for serve in ("chunk", "section")[: 1 if method == "keyword" else 2]:
                    good = (
                        -0.6
                        + 0.3 * SIZES.index(size)
                        + 0.5 * (method == "both")
                        - 0.3 * (model == "static") * (method == "vector")
                    )
                    settings = {
                        "chunking.size": size, "search.method": method, "embedding.model": model, "chunking.serve": serve,
                    }  # fmt: skip
                    name = "wide/" + ",".join(f"{key.rpartition('.')[2]}={value}" for key, value in settings.items())
                    shared = f"words {size}" if method == "keyword" else ""
                    seed = np.random.default_rng([9, size, METHODS.index(method), 0 if shared else MODELS.index(model)])
                    put_run(opened, name, hits(seed, good, hard, 0.9 * size), settings, shared)
    opened.store.close()
    return program


def lines_of(shown: str) -> list[str]:
    return shown.splitlines()


@pytest.mark.parametrize("width", [60, 80, 100, 140])
def test_a_sweep_fits_a_screen_of_any_width(many: Program, width: int) -> None:
    shown = lines_of(many("compare", "wide", COLUMNS=str(width)).stdout)
    assert max(map(len, shown)) <= width
    assert len(shown) <= (60 if width >= 100 else 90)
    rows = [line for line in shown if re.match(r"\s*[*≈ ]\d+ .*●", line)]
    assert len(rows) == 16
    assert width < 80 or sum("baseline" in line for line in rows) == 1


def test_the_first_screen_says_what_is_decided(many: Program) -> None:
    shown = " ".join(many("compare", "wide").stdout.split())
    found = many.json("compare", "wide")
    best = next(run for run in found["runs"] if run["run"] == found["best"]["run"])
    assert best["settings"]["chunking.size"] == 1600
    assert best["settings"]["search.method"] == "both"
    assert f"best run {best['run']} (" in shown
    assert f"chosen from {sum(run['same_as'] is None for run in found['runs'])}" in shown
    assert "real? not alone" in shown
    assert "the cheapest of the group is run" in shown
    assert "chunking.size 1600 200" in shown
    assert "more came to the same by the same results" in shown
    assert "front, tokens to read: run" in shown


def test_runs_with_the_same_results_are_one_line(many: Program) -> None:
    found = many.json("compare", "wide")
    words = [run for run in found["runs"] if run["settings"]["search.method"] == "keyword"]
    assert len(words) == 8
    assert sum(run["same_as"] is not None for run in words) == 4
    assert all(run["settings"]["embedding.model"] is None for run in words)
    assert len(found["differences"]) == 36 + 4 - 4 - 1 - (36 + 4 - len(found["runs"]))


def test_the_best_the_group_and_the_prices_agree(many: Program) -> None:
    found = many.json("compare", "wide")
    runs = {run["run"]: run for run in found["runs"]}
    means = {number: run["measures"]["hit@5"]["mean"] for number, run in runs.items()}
    best = found["best"]
    assert means[best["run"]] == max(means.values())
    assert best["run"] in best["group"]
    assert all(runs[n]["may_be_best"] >= 0.05 or n == best["run"] for n in best["group"])
    told = {each["run"]: each for each in found["differences"]}
    base = found["baseline"]
    if base == best["run"]:  # what is not told apart from the best one is in its group
        assert {n for n, each in told.items() if not each["real"]} <= set(best["group"])
    assert not any(each["real"] and each["difference"]["mean"] < 0 for n, each in told.items() if n in best["group"])
    assert best["cheapest"] in best["group"]
    assert sum(run["chance_of_best"] for run in runs.values() if run["same_as"] is None) == pytest.approx(1.0)
    assert best["winner"]["expected"] <= best["winner"]["mean"]
    assert best["loss"] >= 0
    front = [means[number] for number in best["fronts"]["tokens@5"]]
    assert front == sorted(front)
    assert front[-1] == max(means.values())


def test_runs_are_named_by_sweep_pattern_label_or_number(many: Program) -> None:
    assert len(many.json("compare", "wide/*method=both*")["runs"]) == 16
    assert len(many.json("compare", "1", "wide/size=400*", "2")["runs"]) == 2 + 10
    told = many.fails("compare", "wid")
    assert "nearest: wide" in told or "wide" in told.split("nearest:")[1]
    assert told.count(", wide/") <= 5
    assert "no run is numbered, labelled or named 'zzz'" in many.fails("compare", "zzz")


def test_all_runs_are_shown_when_that_is_asked_for(many: Program) -> None:
    shown = lines_of(many("compare", "wide", "--all").stdout)
    assert sum("%" in line for line in shown if re.match(r"\s*[*≈ ]\d+ .*●", line)) == 36 + 4 - 4
    assert any("the other measures, with 95 % intervals" in line for line in shown)
    assert any("hit@5 against the baseline" in line for line in shown)


def test_two_settings_are_crossed(many: Program) -> None:
    shown = many("compare", "wide", "--by", "size,search.method").stdout
    rows = [line.split() for line in lines_of(shown) if line.split()[:1] and line.split()[0] in map(str, SIZES)]
    assert [row[0] for row in rows] == ["200", "400", "800", "1600"]
    assert "*" in rows[-1][1]  # both, of the largest
    cells = many.json("compare", "wide", "--by", "size,search.method")["cells"]
    assert len(cells) == 12
    assert sum(cell["best"] for cell in cells) == 1
    found = many.json("compare", "wide", "--by", "search.method,kind")
    assert {cell["column"] for cell in found["cells"]} == {"table", "one-fact"}


def test_groups_and_flips_are_of_the_best_and_the_baseline(many: Program) -> None:
    groups = many("compare", "wide", "--groups").stdout
    assert all(name in groups for name in ("kind", "tag", "table", "lengths", "groups together"))
    flips = many("compare", "wide", "--flips").stdout
    found = many.json("compare", "wide")
    better = sum(each["better"] for each in found["flips"])
    assert f"{better} better, {len(found['flips']) - better} worse" in " ".join(flips.split())
    assert flips.count("▲ better") == better
    assert "kind" in many("compare", "wide", "--by", "kind").stdout


@pytest.mark.parametrize(
    ("names", "told"),
    [
        ("nothing", "do not differ in a setting 'nothing'"),
        ("chunking.size", "chunking.size alone is in the table of contributions"),
        ("kind,tag", "at least one must be a setting"),
        ("kind,kind", "give one or two names"),
        ("a,b,c", "give one or two names"),
        ("search.metod,kind", "did you mean search.method?"),
    ],
)
def test_what_can_not_be_crossed_is_told(many: Program, names: str, told: str) -> None:
    assert told in many.fails("compare", "wide", "--by", names)


@pytest.mark.parametrize("panel", ["overview", "intervals", "cost", "settings", "lost", "spread"])
def test_a_comparison_is_drawn(many: Program, panel: str) -> None:
    path = many.folder / f"{panel}.png"
    assert many.json("compare", "wide", "--picture", str(path), "--draw", panel)["draw"] == panel
    body = path.read_bytes()
    assert struct.unpack(">II", body[16:24]) == (1280, 800)
    again = many.folder / "again.png"
    many("compare", "wide", "--picture", str(again), "--draw", panel)
    assert again.read_bytes() == body


def test_a_picture_may_be_drawn_with_lines(many: Program) -> None:
    path = many.folder / "wide.svg"
    many("compare", "wide", "--picture", str(path), "--by", "chunking.size,search.method")
    root = ET.fromstring(path.read_bytes())
    words = " ".join("".join(each.itertext()) for each in root.iter() if each.tag.endswith("text"))
    assert "hit@5: chunking.size (rows) by search.method (columns)" in words


@pytest.mark.parametrize(
    ("given", "told"),
    [
        (("--picture", "x.gif"), "a picture's name ends in .png or .svg"),
        (("--picture", "x"), "a picture's name ends in .png or .svg"),
        (("--picture", "no/where/x.png"), "no such folder"),
        (("--draw", "cost"), "name a file, --picture FILE"),
        (("--measure", "hit@7"), "no run has a measure 'hit@7'; did you mean hit@5?"),
        (("--baseline", "nobody"), "no run is numbered, labelled or named 'nobody'"),
    ],
)
def test_what_can_not_be_compared_or_drawn_is_told(many: Program, given: tuple[str, ...], told: str) -> None:
    assert told in many.fails("compare", "wide", *given)
    assert not list(many.folder.glob("x.*"))


@pytest.fixture
def empty(tmp_path: Path) -> Program:
    """A workspace without runs."""
    Program(tmp_path)("new", "w")
    return Program(tmp_path / "w")


def scored(*values: float) -> list[dict[str, float]]:
    return [{"hit@5": value} for value in values]


def test_one_run_alone_is_shown(empty: Program) -> None:
    put_run(OpenWorkspace(empty.folder), "alone", scored(1, 0, 1, 1))
    shown = empty("compare").stdout
    assert "1 configuration on 4 questions" in shown
    assert "real?" not in shown
    assert empty.json("compare")["best"]["group"] == [1]
    empty("compare", "--picture", str(empty.folder / "one.png"))
    for panel, told in (
        ("time", "fewer than two of these runs were finished"),
        ("settings", "fewer than two settings vary"),
    ):
        assert told in empty.fails("compare", "--picture", "x.png", "--draw", panel)
        assert not (empty.folder / "x.png").exists()


def test_constant_scores_and_equal_runs_prove_nothing(empty: Program) -> None:
    opened = OpenWorkspace(empty.folder)
    for name in ("a", "b", "c"):
        put_run(opened, name, scored(*[1.0] * 12))
    shown = empty("compare", "a", "b", "c").stdout
    assert "not shown: each of the 3 may be the best" in " ".join(shown.split())
    found = empty.json("compare")
    assert [run["may_be_best"] for run in found["runs"]] == pytest.approx([1.0, 1.0, 1.0], abs=1e-3)
    assert found["best"]["winner"]["taken"] < 0.01
    assert all(each["difference"]["same"] for each in found["differences"])
    for panel in ("overview", "intervals", "spread", "lost"):
        empty("compare", "--picture", str(empty.folder / f"{panel}.png"), "--draw", panel)


def test_of_two_runs_the_test_of_their_difference_decides(empty: Program) -> None:
    opened = OpenWorkspace(empty.folder)
    put_run(opened, "good", scored(*[1.0] * 18, *[0.0] * 6))
    put_run(opened, "bad", scored(*[0.0] * 17, *[1.0] * 1, *[0.0] * 6))
    found = empty.json("compare", "bad", "good")
    assert found["best"]["group"] == [1]
    worse = next(run for run in found["runs"] if run["name"] == "bad")
    assert worse["may_be_best"] < 0.05
    assert found["differences"][0]["real"]
    assert "yes: it is better than the other one, and not by chance" in " ".join(
        empty("compare", "bad", "good").stdout.split()
    )


def test_runs_of_other_questions_have_nothing_in_common(empty: Program) -> None:
    opened = OpenWorkspace(empty.folder)
    put_run(opened, "early", scored(1, 0))
    put_run(opened, "late", scored(1, 0), first=50)
    assert "no question in common" in empty.fails("compare", "early", "late")


def test_a_measure_that_one_run_lacks_is_absent_there(empty: Program) -> None:
    opened = OpenWorkspace(empty.folder)
    put_run(opened, "whole", [{"hit@5": 1.0, "ndcg@5": 0.5}] * 6)
    put_run(opened, "half", scored(*[1.0] * 6))
    found = empty.json("compare", "whole", "half", "--measure", "ndcg@5")
    assert [sorted(run["measures"]) for run in found["runs"]] == [["hit@5", "ndcg@5"], ["hit@5"]]
    assert found["differences"] == []
    told = empty("compare", "whole", "half", "--measure", "ndcg@5").stdout
    assert "only run 1 (whole) has ndcg@5" in told


def test_names_of_two_hundred_letters_are_cut(empty: Program) -> None:
    opened = OpenWorkspace(empty.folder)
    long = ["x" * 199 + end for end in "ab"]
    for name in long:
        put_run(opened, name, scored(1, 0, 1, float(name.endswith("a"))))
    for width in (60, 100):
        assert max(map(len, lines_of(empty("compare", *long, COLUMNS=str(width)).stdout))) <= width
    assert len(empty.fails("compare", "y" * 200)) < 300
    empty("compare", *long, "--picture", str(empty.folder / "long.png"))


def test_a_label_names_all_runs_that_have_it_and_is_drawn_over_time(empty: Program) -> None:
    opened = OpenWorkspace(empty.folder)
    for number in range(3):
        one = put_run(opened, "nightly", scored(*[1.0] * (4 + number), *[0.0] * (4 - number)), when=str(number))
        with closing(sqlite3.connect(empty.folder / ".aventrik" / "store.db")) as db, db:
            db.execute("UPDATE runs SET finished = ? WHERE id = ?", (f"2031-04-0{number + 1} 02:00:00", one))
    empty("runs", "1", "2", "3", "--label", "night")
    assert [run["run"] for run in empty.json("compare", "night")["runs"]] == [1, 2, 3]
    assert [run["run"] for run in empty.json("compare", "nightly")["runs"]] == [3]  # by its name the latest
    path = empty.folder / "time.svg"
    empty("compare", "night", "--picture", str(path), "--draw", "time")
    assert "hit@5 over time, label night" in path.read_text(encoding="utf-8")
    assert "--note needs exactly one run" in empty.fails("runs", "1", "2", "--note", "x")
    assert "--label needs the runs to label" in empty.fails("runs", "--label", "x")


def test_too_many_pairs_are_refused(empty: Program) -> None:
    opened = OpenWorkspace(empty.folder)
    for number in range(42):
        put_run(opened, f"r{number}", scored(*[float(number % 5 > place) for place in range(5)]))
    assert "42 runs make 861 pairs" in empty.fails("compare", "--pairs")


def test_what_a_run_came_to_is_kept_and_made_again_when_it_changes(empty: Program) -> None:
    opened = OpenWorkspace(empty.folder)
    one = put_run(opened, "a", scored(1, 0))
    assert opened.store.runs.sheets([one]) == {}
    before = empty.json("compare")["runs"][0]["measures"]["hit@5"]["mean"]
    assert before == 0.5
    body = opened.store.runs.sheets([one])[one]
    assert json.loads(body.split(b"\n")[0])["ids"] == ["q0", "q1"]
    opened.store.runs.keep_sheet(one, b"not a sheet")
    assert empty.json("compare")["runs"][0]["measures"]["hit@5"]["mean"] == before
    put_run(opened, "a", scored(1, 1), of="a made anew")
    assert opened.store.runs.sheets([one]) == {}
    assert empty.json("compare")["runs"][0]["measures"]["hit@5"]["mean"] == 1.0


def test_what_another_system_spent_is_not_known(empty: Program) -> None:
    opened = OpenWorkspace(empty.folder)
    put_run(opened, "dear", scored(*[1.0] * 6, *[0.0] * 6), tokens=500.0)
    put_run(opened, "cheap", scored(*[1.0] * 5, *[0.0] * 7), tokens=90.0)
    live = put_run(opened, "live", scored(*[1.0] * 8, *[0.0] * 4), tokens=3.0, outside=True)
    found = empty.json("compare", "dear", "cheap", "live")
    assert found["best"]["run"] == live
    assert found["best"]["price"] == "model-tokens"
    assert live not in found["best"]["fronts"]["model-tokens"]
    shown = " ".join(empty("compare", "dear", "cheap", "live").stdout.split())
    assert found["best"]["group"] == [live, 1, 2]
    assert "cost not known; the cheapest of the group is run 2 (cheap): 0.42 for 180 tokens" in shown
    empty("compare", "dear", "cheap", "live", "--picture", str(empty.folder / "cost.png"), "--draw", "cost")


def test_a_best_mean_on_fewer_questions_is_told_as_such(empty: Program) -> None:
    """Groundedness and the like are of the answers that there are: two runs are held against each other on what both have."""
    opened = OpenWorkspace(empty.folder)
    put_run(opened, "a", [{"hit@5": 1.0, "groundedness": float(n < 6)} for n in range(12)])
    put_run(opened, "b", [{"hit@5": 1.0, "groundedness": float(n < 5)} if n < 6 else {"hit@5": 1.0} for n in range(12)])
    put_run(opened, "c", [{"hit@5": 1.0, "groundedness": float(n > 1)} for n in range(12)])
    found = empty.json("compare", "--measure", "groundedness")
    assert (found["best"]["run"], found["best"]["questions"], found["best"]["adjusted"]) == (3, 12, True)
    assert found["best"]["winner"]["mean"] == pytest.approx(10 / 12, abs=0.05)
    shown = " ".join(empty("compare", "--measure", "groundedness").stdout.split())
    assert "groundedness 0.83" in shown
    assert "not all runs have groundedness for the same questions" in shown
    assert "is of the 12 questions that both answered" not in shown  # both have all of them


def test_a_number_is_that_run_whatever_labels_say(empty: Program) -> None:
    opened = OpenWorkspace(empty.folder)
    for name in ("a", "b", "c"):
        put_run(opened, name, scored(1, 0))
    empty("runs", "2", "3", "--label", "1")
    assert [run["run"] for run in empty.json("compare", "1")["runs"]] == [1]


def test_a_test_set_that_was_corrected_after_the_runs_is_told(workspace: Program) -> None:
    workspace("run", "starter", "--testset", "small")
    assert "were corrected since" not in workspace("compare").stderr
    rows = [json.loads(line) for line in (workspace.folder / "testsets" / "small.jsonl").read_text().splitlines()]
    rows[0]["needs"][0]["spans"][0]["quote"] = "A boat may stay at a visitor mooring"
    rows[1]["answer"] = "13 pounds."
    write_testset(workspace.folder, rows)
    told = " ".join(workspace("compare").stderr.split())
    assert (
        "small: 2 questions were corrected since run 1 (a1, a2): the scores are of these questions as they were" in told
    )
    rows[0]["needs"][0]["spans"][0]["quote"] = "A boat may  stay at a visitor mooring for 48 hours."  # a blank more
    rows[1]["answer"] = "12 pounds."
    write_testset(workspace.folder, rows)
    assert "were corrected since" not in workspace("compare").stderr


def test_retrieval_is_compared_though_reference_answers_were_changed(workspace: Program) -> None:
    workspace("run", "starter", "--testset", "small")
    rows = [json.loads(line) for line in (workspace.folder / "testsets" / "small.jsonl").read_text().splitlines()]
    rows[1]["answer"] = "Twelve pounds."
    write_testset(workspace.folder, rows)
    text = (workspace.folder / "configs" / "starter.toml").read_text()
    (workspace.folder / "configs" / "other.toml").write_text(
        text.replace('"starter"', '"other"') + '\n[[reranking]]\nstep = "closeness"\n'
    )
    workspace("run", "other", "--testset", "small")
    found = workspace.json("compare", "starter", "other")
    assert found["questions"] == 3
    assert [run["left_out"] for run in found["runs"]] == [0, 0]
    for run in found["runs"]:
        assert run["measures"]["hit@5"]["n"] == 2  # the third has no answer
        assert run["measures"]["correctness"]["n"] == 1  # the one whose reference answer is the same
    assert "measures of answers are of the other" in " ".join(workspace("compare", "starter", "other").stderr.split())
    rows[1]["needs"][0]["spans"][0]["quote"] = "A bridge key"  # evidence too: that is another question
    write_testset(workspace.folder, rows)
    workspace("run", "other", "--testset", "small")
    changed = workspace.json("compare", "starter", "other")
    assert changed["questions"] == 2
    assert {run["measures"]["correctness"]["n"] for run in changed["runs"]} == {1}
