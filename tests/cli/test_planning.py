"""How many questions a test set needs; what is inferred to, as settings say; a race with a zone of indifference."""

from __future__ import annotations

import pytest

from aventrik.execution.open_workspace import OpenWorkspace

from ..conftest import Program
from .test_compare import put_run, scored


def test_without_runs_it_is_planned_by_what_is_usual_and_that_is_said(workspace: Program) -> None:
    shown = " ".join(workspace("testsets", "--plan", "0.1").stdout.split())
    assert "as is usual; run configurations to learn it for yours" in shown
    found = workspace.json("testsets", "small", "--plan", "0.1")
    assert found["runs"] == 0
    assert found["there"] == 3
    assert found["shows"] == [None, None, None]  # three questions show nothing
    assert [each["configurations"] for each in found["these"]] == [2, 8, 40]
    assert workspace.json("draft", "-n", "80", "--plan", "0.1")["there"] == 80
    assert not (workspace.folder / "testsets" / "draft.jsonl").exists()  # nothing was drafted


def test_runs_tell_how_questions_change(workspace: Program) -> None:
    opened = OpenWorkspace(workspace.folder)
    put_run(opened, "a", scored(*[1.0] * 30, *[0.0] * 10))
    put_run(opened, "b", scored(*[1.0] * 26, *[0.0] * 10, *[1.0] * 4))
    opened.store.close()
    found = workspace.json("testsets", "--plan", "0.1")
    assert found["runs"] == 2
    assert found["changes"] == {"size": 0.2, "square": 0.2}  # 8 of 40 questions flip
    few, many = (workspace.json("testsets", "--plan", size)["these"][0]["questions"] for size in ("0.2", "0.05"))
    assert many > 10 * few
    ranks = workspace.json("testsets", "--plan", "0.1", "--measure", "reciprocal-rank")
    assert ranks["measure"] == "reciprocal-rank"


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (("--plan", "0"), "lies between 0 and 1"),
        (("--plan", "1"), "lies between 0 and 1"),
        (("--plan", "0.1", "--measure", "tokens@5"), "is no share or score"),
        (("--plan", "0.1", "--measure", "hits"), "is no share or score; did you mean hit?"),
        (("small", "--plan", "0.1", "--sample", "2", "--into", "x"), "does nothing else"),
        (("--measure", "hit@5"), "--measure goes with --plan"),
        (("nowhere", "--plan", "0.1"), "nowhere"),
    ],
)
def test_what_can_not_be_planned_is_refused(workspace: Program, arguments: tuple[str, ...], told: str) -> None:
    assert told in " ".join(workspace.fails("testsets", *arguments).split())


@pytest.mark.parametrize(
    ("setting", "population"),
    [
        ('infer = "these documents"', "these documents"),
        ('infer = "documents like these"', "documents like these"),
        ('infer = "auto"', "these documents"),  # of two documents, which is a small corpus
        ('cluster = "document"', "documents like these"),  # as earlier versions called it
        ('cluster = "question"', "these documents"),
    ],
)
def test_every_comparison_says_what_is_inferred_to(workspace: Program, setting: str, population: str) -> None:
    path = workspace.folder / "aventrik.toml"
    text = path.read_text(encoding="utf-8")
    lines = [line for line in text.splitlines() if not line.startswith("infer ")]
    path.write_text("\n".join(lines).replace("[statistics]", f"[statistics]\n{setting}") + "\n", encoding="utf-8")
    workspace("run", "starter", "--testset", "small", "--until", "served")
    opened = OpenWorkspace(workspace.folder)
    opened.store.close()
    assert workspace.json("compare")["infers_to"]["population"] == population


def test_a_setting_that_nobody_knows_is_refused(workspace: Program) -> None:
    path = workspace.folder / "aventrik.toml"
    path.write_text(
        path.read_text(encoding="utf-8").replace('infer = "auto"', 'infer = "all documents"'), encoding="utf-8"
    )
    assert "infer" in workspace.fails("compare")


def test_indifference_is_of_a_race(workspace: Program) -> None:
    assert "--indifference is for --race" in workspace.fails("run", "starter", "--indifference", "0.1")
    assert "from 0 to 1, not 2" in workspace("run", "starter", "--race", "--indifference", "2", code=2).stderr
