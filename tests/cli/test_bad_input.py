"""What users get wrong, and what goes wrong under them: one or two plain lines, the right exit code, nothing lost."""

from __future__ import annotations

import json
import os
import resource
import shutil
import sqlite3
import subprocess
import sys
from pathlib import Path

import pytest

from ..conftest import QUESTIONS, Program, write_testset


def test_help_is_plain_and_imports_nothing_heavy(program: Program) -> None:
    shown = program("--help").stdout
    assert "compare" in shown
    done = subprocess.run(
        [sys.executable, "-X", "importtime", "-m", "aventrik", "--help"], capture_output=True, text=True, check=True
    )
    heavy = ("numpy", "scipy", "sklearn", "pydantic", "rich", "sqlite3", "lxml")
    assert not [name for name in heavy if f" {name}\n" in done.stderr]


@pytest.mark.parametrize(
    ("arguments", "told"),
    [(["gathr"], "did you mean 'gather'"), (["xyz"], "--help"), (["run", "--nonsense"], "nonsense")],
)
def test_a_wrong_verb_or_option_is_told(program: Program, arguments: list[str], told: str) -> None:
    assert told in program(*arguments, code=2).stderr


def test_a_folder_that_is_no_workspace(program: Program) -> None:
    assert "not a workspace" in program.fails("run")
    assert "no such file or folder" in (program("new", "w"), program.fails("gather", "-w", "w", "gone"))[1]


def test_a_workspace_is_not_started_twice_nor_over_a_file(program: Program) -> None:
    program("new", "w")
    assert "is a workspace already" in program.fails("new", "w")
    (program.folder / "file").write_text("x")
    assert "is a file" in program.fails("new", "file")
    assert "not empty" in program.fails("demo", ".")


def test_bad_files_among_good_ones_are_listed_and_the_good_ones_kept(program: Program) -> None:
    program("new", ".")
    folder = program.folder / "in"
    folder.mkdir()
    (folder / "good.md").write_text("# Good\n\nA good document.")
    (folder / "empty.txt").write_bytes(b"")
    (folder / "noise.txt").write_bytes(bytes(range(256)) * 50)
    (folder / "cut.txt").write_bytes("Überlänge ".encode("utf-16")[:-1])
    (folder / "deep.html").write_text("<html><body>" + "<div>" * 5000 + "x" + "</div>" * 5000)
    (folder / "odd\udcff.txt").write_text("A file whose name is not UTF-8.")
    found = program.json("gather", "in")
    assert "good.md" in found["added"]
    assert "odd\\xff.txt" in found["added"]
    reasons = {Path(row["file"]).name: row["reason"] for row in found["failed"]}
    assert reasons["empty.txt"] == "it is empty"
    assert "not text" in reasons["noise.txt"]
    assert "breaks at byte" in reasons["cut.txt"]
    program("gather", "in", "--strict", code=2)


def test_nothing_readable_at_all(program: Program) -> None:
    program("new", ".")
    (program.folder / "in").mkdir()
    assert "nothing to read" in program.fails("gather", "in")
    (program.folder / "in" / "a.txt").write_bytes(b"")
    told = program("gather", "in", code=2)
    assert "no file could be read" in told.stderr
    assert "it is empty" in told.stdout


def test_a_15_megabyte_text_is_read_and_a_limit_is_told(program: Program) -> None:
    program("new", ".")
    line = "The keeper of lock number seven notes the level of the water every morning at eight. "
    (program.folder / "big.txt").write_text((line * 10 + "\n\n") * (15_000_000 // (len(line) * 10)))
    assert "over the limit of 10 MB" in program("gather", "big.txt", "--largest", "10", code=2).stdout
    assert program.json("gather", "big.txt")["chars"] > 14_900_000
    assert program.json("cut", "starter")[0]["chunks"] > 15_000


def test_two_documents_of_one_name_are_not_mixed_up(program: Program) -> None:
    program("new", ".")
    for folder in ("one", "two"):
        (program.folder / folder).mkdir()
        (program.folder / folder / "a.md").write_text(f"# {folder}\n\nText of {folder}.")
    program("gather", "one")
    assert "--as PREFIX" in program("gather", "two", code=2).stdout
    assert program.json("gather", "two", "--as", "second")["added"] == ["second/a.md"]


@pytest.mark.parametrize(
    ("line", "told"),
    [
        ('{"id": "x", "question": ', "line 2: not valid JSON"),
        ("[1]", "line 2: must be a JSON object"),
        ('{"id": "x"}', "line 2: question"),
        ('{"id": "x", "question": "Why?", "nedes": []}', "did you mean needs?"),
        ('{"id": "a1", "question": "Why?", "kind": "unanswerable"}', "stands on line 1 too"),
        ('{"id": "x", "question": "Why?"}', "must be of kind unanswerable"),
        ('{"id": "x", "question": "Why?", "needs": [{"spans": []}]}', "line 2: needs.0.spans"),
        ('{"id": "x", "question": "Why?", "kind": "hard"}', "line 2: kind"),
    ],
)
def test_a_broken_line_of_a_test_set_is_named(workspace: Program, line: str, told: str) -> None:
    path = write_testset(workspace.folder, QUESTIONS[:1])
    path.write_text(path.read_text() + line + "\n")
    assert told in workspace.fails("run")


def test_evidence_outside_its_document_or_gone_is_reported_and_the_run_goes_on(workspace: Program) -> None:
    rows = [
        {"id": "s1", "question": "How long?", "needs": [{"spans": [{"doc": "moorings.md", "start": 5, "end": 99999}]}]},
        {"id": "s2", "question": "What?", "needs": [{"spans": [{"doc": "moorings.md", "quote": "not there"}]}]},
        {"id": "s3", "question": "Where?", "needs": [{"spans": [{"doc": "nowhere.md", "quote": "x"}]}]},
    ]
    write_testset(workspace.folder, rows)
    told = workspace("run", "starter").stderr
    assert "s1" in told
    assert "outside the document" in told
    assert "its quote no longer stands there" in told
    assert "the document is not in the corpus" in told
    lost = workspace.json("compare")["runs"][0]["lost"]
    assert lost["answered"] == lost["ignored by the answer"] == 0


def test_empty_and_missing_test_sets(workspace: Program) -> None:
    (workspace.folder / "testsets" / "small.jsonl").write_text("\n")
    assert "holds no question" in workspace.fails("run")
    (workspace.folder / "testsets" / "small.jsonl").unlink()
    assert "holds no test set" in workspace.fails("run")
    assert "no such file" in workspace.fails("run", "--testset", "other")


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("name = \n", "line 1: not valid TOML"),
        ("note = 'x'\n", "name: is missing"),
        ("name = 'a'\n[chunking]\nsise = 5\n", "line 3, [chunking] sise: unknown setting; did you mean size?"),
        ("name = 'a'\n[chunkin]\nsize = 5\n", "line 2, chunkin: unknown setting; did you mean chunking?"),
        ("name = 'a'\n[chunking]\nsize = '800'\n", "line 3, [chunking] size: must be a whole number, not '800'"),
        ("name = 'a'\n[chunking]\nsize = 0\n", "line 3, [chunking] size: must be at least 1, not 0"),
        ("name = 'a'\n[chunking]\nsize = 50\noverlap = 50\n", "overlap (50) must be smaller than size (50)"),
        ("name = 'a'\n[chunking]\nmethod = 'paragraf'\n", "did you mean paragraph?"),
        ("name = 'a'\n[search]\ntop = true\n", "line 3, [search] top"),
        ("name = 'a'\n[[reranking]]\nstep = 'closenes'\n", "did you mean closeness?"),
        ("name = 'a'\n[[reranking]]\nstep = 'closeness'\nweigt = 1\n", "did you mean weight?"),
        ("name = 'a'\n[embedding]\nmodel = 'none'\n", "needs an embedding model"),
        (
            "name = 'a'\n[sweep]\n'chunking.sice' = [1]\n",
            "line 3, [sweep] chunking.sice: unknown setting; did you mean",
        ),
        ("name = 'a'\n[sweep]\n'chunking.size' = 5\n", "must be a list"),
        ("name = 'a'\n[sweep]\n'chunking.size' = [300, 0]\n", "line 3, [sweep] chunking.size: 0"),
        ("name = 'a'\n[sweep]\nmode = 'all'\n", "one-at-a-time"),
    ],
)
def test_a_wrong_configuration_is_refused_with_line_key_and_nearest_name(
    workspace: Program, text: str, told: str
) -> None:
    (workspace.folder / "configs" / "bad.toml").write_text(text)
    error = workspace.fails("run", "bad")
    assert "bad.toml" in error
    assert told in error
    assert "no run" in workspace.fails("explain", "bad")


def test_two_configurations_of_one_name_are_refused(workspace: Program) -> None:
    for name in ("x", "y"):
        (workspace.folder / "configs" / f"{name}.toml").write_text("name = 'same'\n")
    assert "two configurations are named 'same'" in workspace.fails("run", "x", "y")


def test_wrong_settings_of_the_workspace(workspace: Program) -> None:
    (workspace.folder / "aventrik.toml").write_text("seeed = 3\n")
    assert "line 1, seeed: unknown setting; did you mean seed?" in workspace.fails("runs")


def test_unknown_runs_questions_and_measures_offer_the_nearest(workspace: Program) -> None:
    assert "no run yet" in workspace.fails("explain", "starter")
    workspace("run", "starter")
    assert "the nearest: starter" in workspace.fails("explain", "startr")
    assert "has no question 'zz'" in workspace.fails("explain", "starter", "zz")
    assert "did you mean groundedness?" in workspace.fails("compare", "--measure", "groundednes")


def test_a_store_of_a_newer_version_is_left_alone(workspace: Program) -> None:
    path = workspace.folder / ".aventrik" / "store.db"
    with sqlite3.connect(path) as db:
        db.execute("PRAGMA user_version = 99")
    assert "made by a newer Aventrik" in workspace.fails("runs")
    with sqlite3.connect(path) as db:
        assert db.execute("SELECT count(*) FROM documents").fetchone() == (3,)


def test_a_store_that_is_no_database(workspace: Program) -> None:
    for path in (workspace.folder / ".aventrik").glob("store.db*"):
        path.unlink()
    (workspace.folder / ".aventrik" / "store.db").write_text("not a database at all " * 100)
    assert "not a sound store" in workspace.fails("runs")


def test_a_damaged_index_is_made_again(workspace: Program) -> None:
    workspace("run", "starter")
    before = workspace.json("compare")["runs"][0]["measures"]
    for path in (workspace.folder / ".aventrik" / "arrays").rglob("*.npy"):
        path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    with sqlite3.connect(workspace.folder / ".aventrik" / "store.db") as db:
        db.execute("DELETE FROM results")
    workspace("run", "starter")
    assert workspace.json("compare")["runs"][0]["measures"] == before


def test_no_write_permission(workspace: Program) -> None:
    arguments = [sys.executable, "-m", "aventrik", "new", "inner"]
    if os.getuid() == 0:  # root may write anywhere: take that power away
        setpriv = shutil.which("setpriv")
        if setpriv is None:
            pytest.skip("setpriv is not here")
        arguments = [setpriv, "--bounding-set=-dac_override,-dac_read_search,-fowner", *arguments]
    workspace.folder.chmod(0o555)
    try:
        done = subprocess.run(arguments, cwd=workspace.folder, capture_output=True, text=True)
    finally:
        workspace.folder.chmod(0o755)
    assert done.returncode == 2, done.stderr
    assert "no permission to write" in done.stderr
    assert len(done.stderr.strip().splitlines()) <= 2


def test_a_full_disk_loses_nothing_that_was_there(workspace: Program) -> None:
    """A limit on the size of files stands in for a disk that is full."""
    (workspace.folder / "more").mkdir()
    for n in range(40):
        text = f"# Notice {n}\n\n" + os.urandom(30_000).hex()
        (workspace.folder / "more" / f"n{n}.md").write_text(text)

    def limit() -> None:
        resource.setrlimit(resource.RLIMIT_FSIZE, (400_000, 400_000))

    done = subprocess.run(
        [sys.executable, "-m", "aventrik", "gather", "more"],
        cwd=workspace.folder,
        capture_output=True,
        text=True,
        preexec_fn=limit,
    )
    assert done.returncode == 3, done.stderr
    assert "can't be written" in done.stderr
    assert "Traceback" not in done.stderr
    found = workspace.json("gather", "more")
    assert found["documents"] == 43
    assert found["unchanged"] + len(found["added"]) == 40


def test_output_to_a_closed_pipe_ends_quietly(workspace: Program) -> None:
    workspace("run", "starter")
    done = subprocess.run(
        f"{sys.executable} -m aventrik compare | head -n 1",
        shell=True,
        cwd=workspace.folder,
        capture_output=True,
        text=True,
    )
    assert done.stderr == ""


def test_colour_only_where_it_is_wanted(workspace: Program) -> None:
    assert "\x1b[" not in workspace("run", "starter").stdout
    assert "\x1b[" not in workspace("compare", NO_COLOR="1", TERM="xterm-256color").stdout


def test_options_that_hold_everywhere_may_stand_before_the_verb(workspace: Program) -> None:
    folder = workspace.folder
    workspace.folder = folder.parent
    found = json.loads(workspace("-w", "w", "--json", "--quiet", "runs").stdout)
    assert (found["verb"], found["result"]) == ("runs", [])
    assert json.loads(workspace("--workspace=w", "runs", "--json").stdout)["result"] == []
    assert "is not a verb" in workspace("--json", "rnus", code=2).stderr


@pytest.mark.parametrize(
    ("arguments", "code"),
    [
        (("explain", "gone", "--json"), 2),
        (("compare", "--measure", "x", "--json"), 2),
        (("--json", "run", "gone"), 2),
        (("run", "--until", "gone", "--json"), 2),
        (("rnu", "--json"), 2),
    ],
)
def test_an_error_is_json_too_when_that_is_asked_for(workspace: Program, arguments: tuple[str, ...], code: int) -> None:
    done = workspace(*arguments, code=code)
    found = json.loads(done.stdout)
    assert found["error"]["code"] == code
    assert found["error"]["message"]
    assert "result" not in found
    assert done.stderr.strip()


def test_json_never_holds_what_is_no_number(capsys: pytest.CaptureFixture[str]) -> None:
    from aventrik.cli.screen import Screen

    Screen("x", as_json=True).result({"a": float("nan"), "b": [float("inf"), 1.5], "c": (2,)})
    assert json.loads(capsys.readouterr().out)["result"] == {"a": None, "b": [None, 1.5], "c": [2]}


def test_a_prompt_that_is_no_tasks_is_an_error(workspace: Program) -> None:
    (workspace.folder / "prompts" / "verdicts.txt").write_text("$claim $context")
    told = workspace.fails("run", "starter")
    assert "no task is named 'verdicts'" in told
    assert "did you mean verdict?" in told


def test_runs_of_different_test_sets_have_nothing_in_common(workspace: Program) -> None:
    write_testset(workspace.folder, [{"id": "b1", "question": "Is there a lift?", "kind": "unanswerable"}], "other")
    workspace("run", "starter", "--testset", "small")
    workspace("run", "starter", "--testset", "other")
    assert "different test sets (other, small)" in workspace.fails("compare", "1", "2")


def test_compare_tells_costs_all_pairs_and_what_was_declined(workspace: Program) -> None:
    (workspace.folder / "configs" / "two.toml").write_text(
        'name = "two"\n[search]\nmethod = "keyword"\nstop_words = "keep"\n[sweep]\n"context.keep" = [1, 2, 3]\n'
    )
    workspace("run", "two", "--testset", "small")
    found = workspace.json("compare", "--pairs")
    assert len(found["pairs"]) == 3
    assert all(run["costs"]["seconds_95"] >= run["costs"]["seconds_median"] >= 0 for run in found["runs"])
    assert [run["declined"] for run in found["runs"]] == [1, 1, 1]  # the unanswerable one
    shown = workspace("compare", "--pairs").stdout
    for piece in ("of all pairs of runs", "declined to answer: run 1: 1 of 3", "the same", "from base"):
        assert piece in shown, piece
    assert all(each["difference"]["same"] for each in found["differences"])
