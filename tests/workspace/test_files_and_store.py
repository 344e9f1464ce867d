"""What is on disk: the user's files, the store, and where a wrong setting stands."""

from __future__ import annotations

import json
import math
import os
import zlib
from pathlib import Path

import numpy as np
import pytest
from aventrik.storage.embedded.store import Store, packed, unpacked

from aventrik.core.errors import BadInput
from aventrik.core.testsets import Need, Question, Quoted
from aventrik.models.calls import Call
from aventrik.report.tables import harmless
from aventrik.storage.embedded.calls import KeptCalls
from aventrik.workspace.files import read_text, write_whole
from aventrik.workspace.labels import Labels
from aventrik.workspace.testsets import load_testset, located, save_testset
from aventrik.workspace.toml import line_of, nearest


def test_a_file_is_written_whole_with_its_folder_and_leaves_no_draft(tmp_path: Path) -> None:
    path = tmp_path / "a" / "b.txt"
    write_whole(path, "one")
    write_whole(path, b"two")
    assert path.read_text() == "two"
    assert os.listdir(path.parent) == ["b.txt"]


def test_a_failed_write_leaves_the_old_file_and_no_draft(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "b.txt"
    write_whole(path, "old")

    def broken(*arguments: object) -> None:
        raise KeyboardInterrupt

    monkeypatch.setattr(os, "replace", broken)
    with pytest.raises(KeyboardInterrupt):
        write_whole(path, "new")
    assert path.read_text() == "old"
    assert os.listdir(tmp_path) == ["b.txt"]


def test_what_can_not_be_read_says_why(tmp_path: Path) -> None:
    (tmp_path / "latin.txt").write_bytes("Fähre".encode("latin-1"))
    (tmp_path / "mark.txt").write_bytes("\ufefftext".encode())
    assert read_text(tmp_path / "mark.txt") == "text"
    for name, told in (("gone.txt", "no such file"), ("latin.txt", "not UTF-8 text .byte 1"), (".", "is a folder")):
        with pytest.raises(BadInput, match=told):
            read_text(tmp_path / name)


def test_results_are_kept_all_or_none_and_found_by_key(tmp_path: Path) -> None:
    store = Store(tmp_path / "s")
    store.keep([("a", "answer", {"text": "x", "failure": ""}, 0.1), ("b", "answer", {"failure": "no reply"}, 0.1)])
    assert store.known(["a", "b", "c"]) == {"a", "b"}
    assert store.result("a")["text"] == "x"
    assert store.failed() == {"b"}
    with pytest.raises(TypeError):
        store.keep([("c", "answer", {}, 0.0), ("d", "answer", object(), 0.0)])
    assert store.known(["c", "d"]) == set()
    store.forget(["a"])
    with pytest.raises(KeyError):
        store.result("a")


def test_an_inner_transaction_is_part_of_the_outer_one(tmp_path: Path) -> None:
    store = Store(tmp_path / "s")

    def fail_after_writing() -> None:
        with store.transaction():
            store.keep([("a", "answer", {}, 0.0)])
            raise ValueError("later")

    with pytest.raises(ValueError, match="later"):
        fail_after_writing()
    assert store.known(["a"]) == set()


def test_arrays_come_back_as_they_were_and_cut_short_ones_do_not(tmp_path: Path) -> None:
    store = Store(tmp_path / "s")
    arrays = {"rows": np.arange(12, dtype=np.float32).reshape(3, 4), "empty": np.zeros(0, np.int64)}
    store.keep_arrays("k", arrays)
    found = store.arrays("k")
    assert {name: array.tolist() for name, array in found.items()} == {n: a.tolist() for n, a in arrays.items()}
    assert isinstance(found["rows"], np.memmap)
    path = next((tmp_path / "s" / "arrays" / "k").glob("rows.npy"))
    path.write_bytes(path.read_bytes()[:-4])
    for key in ("k", "unknown"):
        with pytest.raises(KeyError):
            store.arrays(key)


def test_packing_is_the_same_for_equal_values_and_keeps_odd_characters() -> None:
    value = {"text": "é\udcff🙂", "n": [1, 2.5, None, True]}
    assert unpacked(packed(value)) == value
    assert packed(value) == packed(dict(value))


def test_values_of_a_store_of_format_1_and_those_that_json_does_not_know_are_read() -> None:
    value = {"text": "é\udcff", "n": [1, 2.5]}
    assert unpacked(zlib.compress(json.dumps(value).encode(), 1)) == value
    assert math.isnan(unpacked(packed([math.nan]))[0])


def test_calls_and_vectors_are_kept_and_failed_ones_forgotten_on_request(tmp_path: Path) -> None:
    calls = KeptCalls(Store(tmp_path / "s"))
    vector = np.array([1.0, 2.0], dtype=np.float32).tobytes()
    calls.keep([Call("a", "m", "answer", ["q"], "text", tokens_in=3), Call("v", "m", "vector", "t", vector)])
    calls.keep([Call("f", "m", "answer", ["q"], "half", failure="no JSON")])
    found = calls.find(["a", "v", "f", "x"])
    assert set(found) == {"a", "v", "f"}
    assert (found["a"].reply, found["a"].tokens_in, found["v"].reply) == ("text", 3, vector)
    assert (found["f"].reply, found["f"].failure) == ("half", "no JSON")
    assert calls.forget_failed() == 1
    assert set(calls.find(["a", "f"])) == {"a"}


TOML = """name = "a"

[chunking]
size = 5

[[reranking]]
step = "x"
[[reranking]]
step = "y"

[models.house]
kind = "http"
[sweep]
"chunking.size" = [1]
"""


@pytest.mark.parametrize(
    ("location", "line"),
    [
        (("name",), 1),
        (("chunking", "size"), 4),
        (("chunking", "gone"), 3),
        (("reranking", "1", "step"), 9),
        (("models", "house", "kind"), 12),
        (("sweep", "chunking.size"), 14),
        (("nowhere", "at", "all"), 0),
    ],
)
def test_the_line_of_a_setting(location: tuple[str, ...], line: int) -> None:
    assert line_of(TOML, location) == line


def test_the_nearest_name_or_the_list() -> None:
    assert nearest("sise", ["size", "unit"]) == "; did you mean size?"
    assert nearest("zzz", ["size", "unit"]) == " (known here: size, unit)"
    assert nearest("zzz", ["size"], listing=False) == ""


QUESTION = Question(
    "q1", "Wie lange?", "48 h", (Need("48 h", (Quoted("a.md", 5, 9, "text"),)),), "one-fact", "kept", tags=("x",)
)


def test_a_test_set_comes_back_as_it_was_written(tmp_path: Path) -> None:
    path = tmp_path / "t.jsonl"
    save_testset(path, [QUESTION, Question("q2", "Gibt es Kino?", kind="unanswerable")])
    assert load_testset(path)[0] == QUESTION
    assert not load_testset(path)[1].answerable
    before = path.read_bytes()
    save_testset(path, load_testset(path))
    assert path.read_bytes() == before


@pytest.mark.parametrize(
    ("text", "place", "moved", "lost"),
    [
        ("Some text here", (5, 9), [], []),
        ("A longer start, then some text here", (26, 30), ["q1"], []),
        ("Nothing of it", (-1, -1), [], ["its quote no longer stands there"]),
        (None, (5, 9), [], ["the document is not in the corpus"]),
    ],
)
def test_evidence_is_looked_up_in_the_documents_as_they_are_now(
    text: str | None, place: tuple[int, int], moved: list[str], lost: list[str]
) -> None:
    [found], told = located([QUESTION], lambda doc: text)
    quoted = found.needs[0].spans[0]
    assert (quoted.start, quoted.end) == place
    assert told.found_again == moved
    assert [reason for _, _, reason in told.lost] == lost


def test_a_question_has_the_same_key_until_what_a_run_hangs_on_changes() -> None:
    same = Question("q1", "Wie lange?", "48 h", QUESTION.needs, "one-fact", "draft", "offline", ("other",))
    assert same.key == QUESTION.key
    assert Question("q1", "Wie lang?", "48 h", QUESTION.needs).key != QUESTION.key


def test_labels_by_the_tool_do_not_teach_and_other_columns_stay(tmp_path: Path) -> None:
    path = tmp_path / "labels.csv"
    path.write_text("document,owner\nb.md,ada\n")
    labels = Labels(path)
    labels.set("topic", {"a.md": "locks"})
    labels.set("topic", {"b.md": "fees"}, by="suggested 0.93")
    again = Labels(path)
    assert again.given("topic") == {"a.md": "locks"}
    assert again.values("topic") == {"a.md": "locks", "b.md": "fees"}
    assert again.rows["b.md"]["owner"] == "ada"


@pytest.mark.parametrize("cell", ["=1+1", "+1", "-1", "@x", "\tx", "\rx"])
def test_cells_that_a_spreadsheet_would_run_get_an_apostrophe(cell: str) -> None:
    assert harmless(cell) == f"'{cell}"
    assert harmless("plain") == "plain"
    assert harmless(-1) == -1
