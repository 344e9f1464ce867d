"""The examples in the docstrings of the face are run, and every function of it has one or tells why it needs none."""

from __future__ import annotations

import doctest
import inspect
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

import aventrik
from aventrik import api
from aventrik.api.records import Need, Question, Quoted

from ..conftest import QUESTIONS, TEXTS, Program, write_testset

# What asks a server, draws, needs two runs or a file of a kind that the small world lacks: tested elsewhere.
WITHOUT = {
    "back_up", "restore", "clean_store", "move_store", "leave_out", "take_back", "given_labels", "suggest_labels", "next_to_label",
    "try_readers", "compare_embeddings", "configuration_of", "gaps_of", "saved_questions", "testset_file", "only_testset",
    "decided_testset", "form_of", "remove_testsets", "check_testsets", "export_testset", "most_alike", "asked", "check_run",
    "check_baseline_file", "money_limit", "latest_run", "meant_runs", "remove_runs", "spread", "cross", "doubts", "explain_two",
    "draw_survey", "broken_decisions", "broken_changes", "teach_judge", "teach_filter", "judge_agreement", "play_system",
    "check_documents", "open",
}  # fmt: skip


@pytest.fixture(scope="module")
def names(tmp_path_factory: pytest.TempPathFactory) -> Iterator[dict[str, Any]]:
    """What the examples speak of: a workspace that is open, with one run; its documents; a folder for other things."""
    folder = tmp_path_factory.mktemp("face") / "w"
    aventrik.new(folder)
    (folder / "docs").mkdir()
    for name, text in TEXTS.items():
        (folder / "docs" / name).write_text(text, encoding="utf-8")
    write_testset(folder, QUESTIONS)
    with aventrik.open(folder) as opened:
        aventrik.gather(opened, [folder / "docs"])
        aventrik.run(opened, ["starter"], "small")
        yield {
            "aventrik": aventrik, "opened": opened, "folder": folder, "documents": folder / "docs",
            "elsewhere": tmp_path_factory.mktemp("elsewhere"),
        }  # fmt: skip


def functions() -> list[tuple[str, Any]]:
    """The functions of the face, in order of name."""
    return [(name, each) for name in sorted(api.__all__) if inspect.isfunction(each := getattr(api, name))]


def test_the_examples_of_the_face_hold(names: dict[str, Any]) -> None:
    runner = doctest.DocTestRunner(optionflags=doctest.NORMALIZE_WHITESPACE)
    finder = doctest.DocTestFinder(recurse=False)
    # In the order of the work: what one example makes, a later one may use.
    modules = list(api._WHERE)

    def line(pair: tuple[str, Any]) -> tuple[int, int]:
        return modules.index(api._NAMES[pair[0]]), pair[1].__code__.co_firstlineno

    failed = []
    for name, each in sorted(functions(), key=line):
        told: list[str] = []
        for test in finder.find(each, name, globs=dict(names)):
            if runner.run(test, out=told.append).failed:
                failed.append("".join(told))
    assert not failed, "\n".join(failed)


def test_every_function_has_an_example_or_is_excused() -> None:
    bare = {name for name, each in functions() if ">>>" not in (inspect.getdoc(each) or "")}
    assert bare <= WITHOUT
    assert {name for name, each in functions() if not inspect.getdoc(each)} == set()


def test_no_function_of_the_face_is_called_like_a_package() -> None:
    """Once the package is imported, its name would hide the function."""
    packages = {path.name for path in Path(aventrik.__file__).parent.iterdir() if path.is_dir()}
    assert not packages & set(api.__all__)


def test_all_names_of_the_face_are_there_and_the_records_too() -> None:
    from aventrik.api import records

    for name in api.__all__:
        assert getattr(aventrik, name) is getattr(api, name)
    for name in records.__all__:
        assert getattr(records, name) is not None
    with pytest.raises(AttributeError):
        _ = aventrik.nothing_of_that_name
    with pytest.raises(AttributeError):
        _ = records.nothing_of_that_name


def test_importing_the_face_imports_nothing_heavy() -> None:
    code = "import sys, aventrik; aventrik.open; print(*sys.modules)"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    loaded = set(done.stdout.split())
    assert not loaded & {"numpy", "scipy", "pandas", "sklearn", "pydantic", "rich", "httpx", "sqlite3", "faiss"}


def test_results_become_frames(names: dict[str, Any]) -> None:
    opened = names["opened"]
    comparison = aventrik.compare(opened, ["starter"])
    assert comparison.to_pandas().loc[0, "hit@5"] == 1.0
    assert aventrik.explain(opened, "starter", "a1").to_pandas().loc[0, "document"] == "moorings.md"
    assert len(aventrik.list_testsets(opened).to_pandas()) >= 1
    assert aventrik.vet(opened).to_pandas().empty
    gated = aventrik.gate(opened, "starter", limits=_limits(names["elsewhere"]))
    assert list(gated.to_pandas()["state"]) == ["passed"]
    survey = aventrik.survey(opened, topics=2)
    assert list(survey.to_pandas()["number"]) == [1, 2]


def _limits(folder: Path) -> Path:
    path = folder / "limits.toml"
    path.write_text('[[limit]]\nmeasure = "hit@5"\nleast = 0.05\n')
    return path


def test_errors_say_what_is_wrong_and_what_to_do(names: dict[str, Any], tmp_path: Path) -> None:
    with pytest.raises(aventrik.BadInput, match=r"not a workspace .*'aventrik new DIR' starts one"):
        aventrik.open(tmp_path)
    with pytest.raises(
        aventrik.BadInput, match=r"no run is numbered, labelled or named 'startr'; the nearest: starter"
    ):
        aventrik.compare(names["opened"], ["startr"])
    with pytest.raises(aventrik.BadInput, match="the question is empty"):
        aventrik.ask(names["opened"], "  ")
    with pytest.raises(aventrik.BadInput, match="give the name an ending that is read"):
        aventrik.gather(names["opened"], texts={"a.bin": "No ending."})


def test_a_workspace_of_a_moment_does_the_whole_job_and_is_gone(tmp_path: Path) -> None:
    told: list[str] = []
    with aventrik.temporary(progress=lambda stage, done, total: told.append(stage)) as opened:
        folder = opened.folder
        made = aventrik.gather(
            opened,
            texts={"a.md": "# Keys\n\nA bridge key costs 12 pounds.", "b.md": "# Stays\n\nA boat may stay 48 hours."},
        )
        assert made.added == ["a.md", "b.md"]
        need = Need("12 pounds", (Quoted("a.md", -1, -1, "A bridge key costs 12 pounds."),))
        question = Question("k", "What does a key cost?", "12 pounds.", (need,))
        aventrik.save_questions(opened, "asked", [question])
        found = aventrik.compare(opened, [str(aventrik.run(opened).outcomes[0].run)])
        assert found.means[0]["hit@5"].mean == 1.0
        again = aventrik.gather(opened, texts={"a.md": "# Keys\n\nA bridge key costs 15 pounds."})
        assert again.updated == ["a.md"]
    assert told
    assert not folder.exists()


def test_progress_is_told_only_while_it_is_asked_for(names: dict[str, Any]) -> None:
    told: list[str] = []
    aventrik.chunk(names["opened"], progress=lambda stage, done, total: told.append(stage))
    before = len(told)
    assert before
    aventrik.chunk(names["opened"])
    assert len(told) == before


def test_the_command_line_and_the_library_say_the_same(names: dict[str, Any]) -> None:
    program = Program(names["folder"])
    shown = program.json("compare", "starter")
    found = aventrik.compare(names["opened"], ["starter"])
    assert shown["runs"][0]["measures"]["hit@5"]["low"] == found.means[0]["hit@5"].low
    assert shown["questions"] == found.shared
