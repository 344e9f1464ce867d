"""The store as a whole: results and their takes, transactions, calls; old stores, backups, and what a clean store keeps."""

from __future__ import annotations

import json
import math
import shutil
import sqlite3
import zlib
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from aventrik.core.documents import Document
from aventrik.core.errors import BadInput
from aventrik.models.calls import Call
from aventrik.storage import Address, open_store
from aventrik.storage.embedded import EmbeddedStore
from aventrik.storage.packing import packed, unpacked
from aventrik.storage.protocols import FileSeen, Gathering, Kept, RunQuestion, Snapshot, Store
from aventrik.storage.tables.schema import FORMAT

from ..conftest import QUESTIONS, TEXTS, Program, write_testset

DATA = Path(__file__).parent / "data"


@pytest.fixture(params=["embedded", "server"])
def store(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Store]:
    """A store of each kind: all tests of this file hold for both."""
    if request.param == "embedded":
        made = open_store(tmp_path / "s")
    else:
        made = open_store(Address(tmp_path / "s", request.getfixturevalue("database")))
    yield made
    made.close()


def kept(name: str, text: str = "x", failed: bool = False) -> Kept:
    return Kept(name, "answer", f"digest of {text}", text.encode(), failed, 0.5, (1, 20, 3, 0.25))


def test_results_are_kept_all_or_none_and_found_by_id(store: Store) -> None:
    store.results.keep([kept("a"), kept("b", "y", failed=True)])
    assert store.results.digests(["a", "b", "c"]) == {"a": ("digest of x", False), "b": ("digest of y", True)}
    assert store.results.values(["a", "c"]) == {"a": b"x"}
    assert store.results.costs(["a"]) == {"a": (0.5, 1, 20, 3, 0.25)}
    with pytest.raises(TypeError):
        store.results.keep([kept("c"), Kept("d", "answer", "d", object())])  # type: ignore[arg-type]
    assert store.results.digests(["c", "d"]) == {}


def test_a_key_made_anew_stands_beside_the_old_one_until_the_swap(store: Store) -> None:
    store.results.keep([kept("a", "old")])
    takes = store.results.next_takes(["a", "b"])
    assert takes == {"a": 1, "b": 1}
    store.results.keep([kept("a.1", "new")])
    assert store.results.ids(["a"]) == ["a"]
    store.results.swap({"a": 1})
    assert store.results.ids(["a", "b"]) == ["a.1", "b"]
    assert store.results.next_takes(["a"]) == {"a": 2}
    assert store.results.values(["a", "a.1"]) == {"a": b"old", "a.1": b"new"}  # what a run refers to is there still


def test_an_inner_transaction_is_part_of_the_outer_one(store: Store) -> None:
    def fail_after_writing() -> None:
        with store.transaction():
            store.results.keep([kept("a")])
            raise ValueError("later")

    with pytest.raises(ValueError, match="later"):
        fail_after_writing()
    assert store.results.digests(["a"]) == {}


def test_packing_is_the_same_for_equal_values_and_keeps_odd_characters() -> None:
    value = {"text": "é\udcff🙂", "n": [1, 2.5, None, True]}
    assert unpacked(packed(value)) == value
    assert packed(value) == packed(dict(value))


def test_values_of_a_store_of_format_1_and_those_that_json_does_not_know_are_read() -> None:
    value = {"text": "é\udcff", "n": [1, 2.5]}
    assert unpacked(zlib.compress(json.dumps(value).encode(), 1)) == value
    assert math.isnan(unpacked(packed([math.nan]))[0])


def test_calls_and_vectors_are_kept_and_failed_ones_forgotten_on_request(store: Store) -> None:
    calls = store.calls
    vector = np.array([1.0, 2.0], dtype=np.float32).tobytes()
    calls.keep([Call("a", "m", "answer", ["q"], "text", tokens_in=3), Call("v", "m", "vector", "t", vector)])
    calls.keep([Call("f", "m", "answer", ["q"], "half", failure="no JSON")])
    found = calls.find(["a", "v", "f", "x"])
    assert set(found) == {"a", "v", "f"}
    assert (found["a"].reply, found["a"].tokens_in, found["v"].reply) == ("text", 3, vector)
    assert (found["f"].reply, found["f"].failure) == ("half", "no JSON")
    assert calls.forget_failed() == 1
    assert set(calls.find(["a", "f"])) == {"a"}


def document(name: str, text: str) -> Gathering:
    return Gathering(name, f"key of {text}", name, "{}", len(text), packed(text), packed([]), "{}")


def filled(store: Store) -> int:
    """A run on a document that has changed since, and things that nothing refers to."""
    store.documents.keep("/a", [document("a.md", "old text")])
    store.documents.keep_file("/a", FileSeen("a.md", 1, 2, "k", "r"))
    store.documents.keep_snapshot(Snapshot("then", ("a.md",), ("key of old text",)))
    store.documents.keep("/a", [document("a.md", "between")])
    store.documents.keep("/a", [document("a.md", "new text")])
    store.results.keep([kept("used"), kept("unused")])
    store.calls.keep([Call("c", "m", "answer", ["q"], "text", money=0.5)])
    number = store.runs.begin("identity", "name", "set", {"corpus": "then", "format": 1}, 1)
    store.runs.finish(
        number, [RunQuestion("q1", "key", {"id": "q1"}, {"answer": "used"})], {"seconds": {"answer": 1.5}}
    )
    return number


def test_costs_of_a_run_add_up_and_its_first_finish_stays(store: Store) -> None:
    number = filled(store)
    [before] = store.runs.all()
    store.runs.finish(number, store.runs.questions(number), {"seconds": {"answer": 1.0}, "state": {"recall": 0.9}})
    store.runs.finish(number, store.runs.questions(number), {"state": {"recall": 0.9}})
    [after] = store.runs.all()
    assert after.costs == {"seconds": {"answer": 2.5}, "state": {"recall": 0.9}}
    assert after.finished == before.finished
    assert store.runs.questions(number) == [RunQuestion("q1", "key", {"id": "q1"}, {"answer": "used"})]


def test_a_clean_store_keeps_what_runs_and_documents_refer_to(store: Store) -> None:
    filled(store)
    store.arrays.keep("key", lambda folder: (folder / "a").write_text("x") and None)
    assert store.clean() == {"results": 1, "contents": 1, "arrays": 1}
    assert set(store.results.digests(["used", "unused"])) == {"used"}
    [then] = store.documents.contents(["a.md"], ["key of old text"])
    assert then.text == "old text"
    assert store.documents.document("a.md").text == "new text"
    store.documents._held.clear()  # type: ignore[attr-defined]
    with pytest.raises(KeyError):
        store.documents.contents(["a.md"], ["key of between"])
    with pytest.raises(KeyError):
        store.arrays.folder("key")


def test_a_backup_is_one_file_from_which_runs_and_calls_come_back(store: Store, tmp_path: Path) -> None:
    filled(store)
    assert store.back_up(tmp_path / "b.db") == {"runs": 1, "results": 1, "calls": 1}
    with pytest.raises(BadInput, match="exists already"):
        store.back_up(tmp_path / "b.db")
    other = EmbeddedStore(tmp_path / "other")
    other.runs.begin("another", "first", "set", {"corpus": ""}, 0)  # so that numbers differ
    assert other.restore(tmp_path / "b.db") == {"runs": 1, "results": 1, "calls": 1}
    assert other.restore(tmp_path / "b.db") == {"runs": 0, "results": 0, "calls": 0}
    run = other.runs.all()[1]
    assert (run.id, run.name, run.costs) == (2, "name", {"seconds": {"answer": 1.5}})
    assert other.results.values([other.runs.results(2)["q1"]["answer"]]) == {"used": b"x"}
    assert other.calls.find(["c"])["c"].money == 0.5
    [then] = other.documents.contents(["a.md"], list(other.documents.snapshot(run.corpus).contents))
    assert then.text == "old text"


@pytest.mark.parametrize("content", [b"", b"no database", None])
def test_what_is_no_backup_is_refused_and_changes_nothing(store: Store, tmp_path: Path, content: bytes | None) -> None:
    filled(store)
    path = tmp_path / "x.db"
    if content is None:
        with sqlite3.connect(path) as db:
            db.execute(f"PRAGMA user_version = {FORMAT}")
            db.execute("CREATE TABLE runs (id)")
    else:
        path.write_bytes(content)
    with pytest.raises(BadInput):
        store.restore(path)
    assert len(store.runs.all()) == 1
    with pytest.raises(BadInput, match="no such file"):
        store.restore(tmp_path / "gone.db")


def test_sizes_of_texts_tell_large_from_small(store: Store) -> None:
    documents = [Document("a", "b"), Document("b", "".join(map(chr, range(0x4E00, 0x5600))))]
    store.documents.keep_contents(documents)
    small, large, none, again = store.documents.sizes([documents[0].key, documents[1].key, "-", documents[0].key])
    assert small == again
    assert 0 < small < large
    assert none == 0


@pytest.fixture
def old(tmp_path: Path) -> Callable[[int], Program]:
    """A workspace with a store that the program of that time made: three documents, one of them left out, metadata
    beside one, two runs with a label and a note, two model calls."""

    def made(number: int) -> Program:
        program = Program(tmp_path / f"f{number}")
        program.folder.mkdir()
        program("new", ".")
        (program.folder / ".aventrik").mkdir()
        shutil.copy(DATA / f"format-{number}.db", program.folder / ".aventrik" / "store.db")
        return program

    return made


@pytest.mark.parametrize("number", [1, 2])
def test_a_real_store_of_an_earlier_format_is_migrated(old: Callable[[int], Program], number: int) -> None:
    program = old(number)
    runs = program.json("runs")
    assert [(run["name"], run["label"], run["note"]) for run in runs] == [("starter", "first", "kept"), ("two", "", "")]
    compared = program.json("compare")
    assert [run["measures"]["hit@5"]["mean"] for run in compared["runs"]] == [1.0, 1.0]
    assert compared["questions"] == 3
    assert "made by an earlier version" in program.fails("explain", "starter", "a1")
    assert program.json("vet")["left_out"] == ["locks.md"]
    assert (program.folder / "decisions.csv").read_text() == "document,left out because\nlocks.md,not now\n"
    assert (program.folder / "metadata.csv").read_text() == "document,area,pages\nmoorings.md,Moss Cut,3\n"
    store = EmbeddedStore(program.folder / ".aventrik")
    assert {name: len(store.documents.document(name).text) > 50 for name in store.documents.names()} == dict.fromkeys(
        TEXTS, True
    )
    calls = store.calls.find(["c1", "v1"])
    assert (calls["c1"].reply, calls["c1"].money, len(calls["v1"].reply)) == ('{"text": "twelve"}', 0.5, 8)
    assert len(store.documents.files()) == (3 if number == 2 else 0)  # of format 1 all files are read again
    store.close()
    rows = [{"id": "a2", "question": "What does a bridge key cost?", "answer": "12 pounds.",
             "needs": [{"fact": "12 pounds", "spans": [{"doc": "bridges.txt", "quote": "A bridge key costs 12 pounds"}]}]}]  # fmt: skip
    (program.folder / "testsets" / "small.jsonl").write_text("".join(json.dumps(row) + "\n" for row in rows))
    assert program.json("run", "starter")[0]["run"] == 3
    assert "no question in common" in program.fails("compare", "1", "3")
    assert program.json("compare", "3")["runs"][0]["measures"]["hit@5"]["mean"] == 1.0


@pytest.mark.parametrize("number", [3, 4])
def test_a_store_of_a_format_before_goes_on_and_its_backup_can_be_restored(
    old: Callable[[int], Program], store: Store, number: int
) -> None:
    program = old(number)
    assert [(run["name"], run["label"]) for run in program.json("runs")] == [("starter", "first"), ("two", "")]
    compared = program.json("compare")
    assert [run["measures"]["hit@5"]["mean"] for run in compared["runs"]] == [1.0, 1.0]
    assert "a1" in program("explain", "two", "a1").stdout
    program("runs", "two", "--tag", "later")
    assert [run["tags"] for run in program.json("runs")] == [[], ["later"]]
    with closing(sqlite3.connect(program.folder / ".aventrik" / "store.db")) as db:
        assert db.execute("PRAGMA user_version").fetchone() == (FORMAT,)
        assert db.execute("SELECT count(*) FROM sheets").fetchone() == (2,)
    assert store.restore(DATA / f"format-{number}.db")["runs"] == 2
    assert store.runs.sheets([1, 2]) == {}


def test_what_the_version_before_compared_is_compared_alike_and_its_results_stand(
    old: Callable[[int], Program],
) -> None:
    """Of this store's format, but made by the code as it was before it moved into rooms: runs "starter" and "two" on the
    questions of the small world, and what `compare --json` said of them then."""
    program = old(6)
    then = json.loads((DATA / "format-6.compare.json").read_text(encoding="utf-8"))
    now = program.json("compare")
    for run in now["runs"]:
        assert run.pop("health") == {
            "questions": 3, "unsound": 0, "failed": {}, "cut": {}, "texts": 0, "unwritten": 0, "shortened": 0,
        }  # fmt: skip
    assert of_no_doubt(now) == of_no_doubt(then)
    assert [(run["name"], run["label"], run["tags"]) for run in program.json("runs")] == [
        ("starter", "first", []), ("two", "", ["later"]),
    ]  # fmt: skip
    assert "a1" in program("explain", "two", "a1").stdout
    write_testset(program.folder, QUESTIONS)
    (program.folder / "configs" / "two.toml").write_text(
        'name = "two"\n[chunking]\nmethod = "sentence"\nsize = 120\n[search]\nmethod = "keyword"\n'
        '[[rewriting]]\nmethod = "paraphrases"\n[[reranking]]\nstep = "closeness"\n'
    )
    again = program.json("run", "starter", "two", "--testset", "small")
    # Chunks are made again, since a caption counts for their size by now, and so is what lsa learns. All comes to the same,
    # so that nothing that rests on values alone is made again: no score of a list. Answers and verdicts are: the built-in model
    # reads and judges otherwise by now, and comes to the same here.
    made = set(again[0]["computed"]) | set(again[1]["computed"])
    assert {"fitted", "keyword", "keyword hits"} <= made
    assert not made & {"candidates", "retrieval scores"}
    assert "verdicts" in made
    both = program.json("compare")
    assert [run["measures"] for run in of_no_doubt(both)["runs"]] == [
        run["measures"] for run in of_no_doubt(then)["runs"]
    ]


def of_no_doubt(compared: dict[str, Any]) -> dict[str, Any]:
    """A comparison without what was worked out by other statistics then: what was measured, lost and spent."""
    runs = []
    for run in compared["runs"]:
        row = {
            name: value
            for name, value in run.items()
            if name not in ("may_be_best", "chance_of_best", "health", "costs")
        }
        row["measures"] = {
            name: (each["mean"], each["n"]) for name, each in run["measures"].items() if name != "grounded-answers"
        }
        runs.append(row)
    gaps = [
        (each["name"], each["against"], each["difference"]["mean"], each["difference"]["n"])
        for each in compared["differences"]
    ]
    names = ("baseline", "measure", "questions", "apart", "evidence_gone", "documents", "against", "flips")
    return {
        **{name: compared[name] for name in names},
        "runs": runs,
        "differences": gaps,
        "best": compared["best"]["run"],
    }


def asked(store: Store, said: str, judged: str, take: str = "", identity: str = "identity") -> int:
    """A run of one question whose answer a model gave, and the verdict on that answer."""
    answer, verdict = f"key of the question{take}", f"key of {said}"
    store.results.keep(
        [
            Kept(answer, "answer", f"digest of {said}", said.encode()),
            Kept(verdict, "verdicts", f"of {judged}", judged.encode()),
        ]
    )
    number = store.runs.begin(identity, "name", "set", {"corpus": "then", "format": 1}, 1)
    store.runs.finish(number, [RunQuestion("q1", "key", {"id": "q1"}, {"answer": answer, "verdicts": verdict})], {})
    return number


def said_and_judged(store: Store, run: int) -> tuple[bytes, bytes]:
    [row] = store.runs.questions(run)
    values = store.results.values(list(row.results.values()))
    return values[row.results["answer"]], values[row.results["verdicts"]]


@pytest.mark.parametrize("take", ["", ".1"])
def test_a_backup_that_is_taken_in_is_never_mixed_with_what_stands_here(
    store: Store, tmp_path: Path, take: str
) -> None:
    """Two people asked the same question of a model that answered each otherwise, and each had that judged."""
    asked(store, "11", "right", take)
    store.back_up(tmp_path / "theirs.db")
    ours = open_store(Address(tmp_path / "ours"))
    asked(ours, "4", "wrong", take)
    if take:
        ours.results.swap({"key of the question": 1})
    assert ours.restore(tmp_path / "theirs.db")["runs"] == 1
    assert [said_and_judged(ours, run.id) for run in ours.runs.all()] == [(b"4", b"wrong"), (b"11", b"right")]
    assert ours.restore(tmp_path / "theirs.db")["runs"] == 0  # the same again
    ours.close()


def test_what_comes_from_elsewhere_is_not_overwritten_by_what_is_made_anew_here(store: Store, tmp_path: Path) -> None:
    asked(store, "11", "right", ".1")
    store.back_up(tmp_path / "theirs.db")
    ours = open_store(Address(tmp_path / "ours"))
    ours.restore(tmp_path / "theirs.db")
    asked(ours, "4", "wrong", ".1", "own")  # the first time that it is made anew here
    assert [said_and_judged(ours, run.id) for run in ours.runs.all()] == [(b"11", b"right"), (b"4", b"wrong")]
    ours.close()


def test_the_first_result_under_an_id_stays(store: Store) -> None:
    asked(store, "11", "right")
    store.results.keep([Kept("key of the question", "answer", "digest of 4", b"4")])
    assert store.results.values(["key of the question"]) == {"key of the question": b"11"}


def test_tags_are_kept_told_taken_away_and_go_with_their_run_and_its_backup(store: Store, tmp_path: Path) -> None:
    filled(store)
    [run] = store.runs.all()
    store.runs.tag(run.id, ["b", "a", "a"])
    store.runs.tag(run.id, ["c"], ["b", "never there"])
    assert store.runs.all()[0].tags == ("a", "c")
    store.back_up(tmp_path / "b.db")
    store.runs.remove(run.id)
    assert store.runs.all() == []
    store.restore(tmp_path / "b.db")
    assert store.runs.all()[0].tags == ("a", "c")


def test_a_run_that_goes_takes_its_sheet_along(store: Store) -> None:
    filled(store)
    [run] = store.runs.all()
    store.runs.keep_sheet(run.id, b"a sheet")
    assert store.runs.sheets([run.id, 99]) == {run.id: b"a sheet"}
    store.runs.keep(run.id, [], {"seconds": {"answer": 0.5}})
    assert store.runs.sheets([run.id]) == {}
    store.runs.keep_sheet(run.id, b"a sheet")
    store.runs.remove(run.id)
    assert store.runs.sheets([run.id]) == {}


def test_rates_are_what_results_took_on_average(store: Store) -> None:
    assert store.results.rates() == {}
    store.results.keep(
        [Kept(f"k{n}", "answer", "d", b"x", False, 1.0 + n, (1.0, 100.0, 10.0 * n, 0.5)) for n in range(3)]
    )
    found = store.results.rates()["answer"]
    assert (found.results, found.seconds, found.calls, found.tokens_out, found.money) == (3, 2.0, 1.0, 10.0, 0.5)


def test_a_migration_that_fails_leaves_the_old_store_as_it_was(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "s").mkdir()
    path = tmp_path / "s" / "store.db"
    shutil.copy(DATA / "format-2.db", path)
    from aventrik.storage.embedded import migrating

    def broken(*arguments: object) -> None:
        raise KeyboardInterrupt

    monkeypatch.setattr(migrating, "_run", broken)
    with pytest.raises(KeyboardInterrupt):
        EmbeddedStore(tmp_path / "s")
    monkeypatch.undo()
    with sqlite3.connect(path) as db:
        assert db.execute("PRAGMA user_version").fetchone() == (2,)
    assert len(EmbeddedStore(tmp_path / "s").runs.all()) == 2


def test_without_its_store_a_workspace_comes_back_but_for_runs_and_calls(workspace: Program) -> None:
    workspace("vet", "locks.md", "--leave-out", "--reason", "not now")
    (workspace.folder / "more.csv").write_text("document,area\nmoorings.md,Moss Cut\n")
    workspace("gather", "--metadata", "more.csv")
    workspace("run", "starter")
    before = workspace.json("compare")["runs"][0]["measures"]
    workspace("store", "--back-up", "all.backup")
    shutil.rmtree(workspace.folder / ".aventrik")
    workspace("gather")  # the sources are known
    assert workspace.json("vet")["left_out"] == ["locks.md"]
    [asked] = workspace.json("ask", "How long?", "--where", "area = 'Moss Cut'")
    assert asked["passed"] == 1
    assert "no runs" in workspace("runs").stdout
    workspace("store", "--restore", "all.backup")
    restored = workspace.json("compare")["runs"][0]["measures"]
    assert restored == before
    assert workspace.json("run", "starter")[0]["computed"] == {}
    assert workspace("explain", "starter", "a1").stdout
    assert workspace.json("store", "--clean")["counts"]["arrays"] == 0
