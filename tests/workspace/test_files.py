"""The user's files on disk, and where a wrong setting stands."""

from __future__ import annotations

import os
from dataclasses import replace
from pathlib import Path

import pytest

from aventrik.core.documents import Document, Part
from aventrik.core.documents.relocating import Near
from aventrik.core.errors import BadInput
from aventrik.core.testsets import Need, Question, Quoted
from aventrik.workspace.decisions import Decisions
from aventrik.workspace.files import harmless, read_text, write_whole
from aventrik.workspace.gathered import GatheredSource, GatheredSources
from aventrik.workspace.labels import Labels
from aventrik.workspace.metadata import Metadata
from aventrik.workspace.testsets import load_testset, located, question_from, question_row, save_testset, with_near
from aventrik.workspace.toml import line_of, nearest

from ..conftest import QUESTIONS, Program, write_testset


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
    [found], told = located([QUESTION], lambda doc: None if text is None else Document(doc, text))
    quoted = found.needs[0].spans[0]
    assert (quoted.start, quoted.end) == place
    assert told.found_again == moved
    assert [reason for _, _, reason in told.lost] == lost


TERMS = "Visitors\n\nThe fee is 5 pounds.\n\nResidents\n\nThe fee is 5 pounds."  # the same words under two headings
HEADINGS = (Part("heading", 0, 8, -1, 1), Part("heading", 32, 41, -1, 1))


def fee(near: Near | None, start: int = -1) -> Question:
    quoted = Quoted("fees.md", start, start + 20 if start >= 0 else -1, "The fee is 5 pounds.", near=near)
    return Question("q1", "What do residents pay?", "5 pounds.", (Need("", (quoted,)),))


def test_of_equal_words_those_under_their_own_heading_are_meant() -> None:
    document = Document("fees.md", TERMS, HEADINGS)
    [kept] = with_near([fee(None, 43)], lambda name: document)
    near = kept.needs[0].spans[0].near
    assert near == Near("Residents", "Visitors The fee is 5 pounds. Residents"[-48:], "")
    longer = "Harbour rules\n\nWho stays pays.\n\n"  # so much was put before that the other place is the nearer one
    moved = Document(
        "fees.md",
        longer + TERMS,
        tuple(part._replace(start=part.start + len(longer), end=part.end + len(longer)) for part in HEADINGS),
    )
    [found], told = located([kept], lambda name: moved)
    assert found.needs[0].spans[0].start == len(longer) + 43
    assert told.doubtful == []
    assert told.found_again == ["q1"]
    [without], told = located([fee(None, 43)], lambda name: moved)
    assert without.needs[0].spans[0].start == len(longer) + 10  # the nearest
    assert [(question, doc) for question, doc, _ in told.doubtful] == [("q1", "fees.md")]


def test_the_same_question_under_two_ids_counts_once_and_that_is_told(workspace: Program) -> None:
    rows = [*QUESTIONS, {**QUESTIONS[0], "id": "again"}, {**QUESTIONS[0], "id": "other", "answer": "Two days."}]
    write_testset(workspace.folder, rows)
    shown = workspace("run", "starter", "--testset", "small")
    assert "small.jsonl: 1 question asks the very same as another, and counts once: again as a1" in " ".join(
        shown.stderr.split()
    )
    assert workspace.json("runs")[0]["questions"] == 4


def test_equal_words_between_equal_neighbours_are_doubtful() -> None:
    text = "Open.\n\nThe fee is 5 pounds.\n\nOpen.\n\nThe fee is 5 pounds.\n\nOpen."
    document = Document("fees.md", text)
    _, told = located([fee(Near("", "Open.", "Open."))], lambda name: document)
    assert len(told.doubtful) == 1
    assert "occur several times there" in told.doubtful[0][2]
    once, told = located([fee(None)], lambda name: Document("fees.md", "The fee is 5 pounds."))
    assert told.doubtful == []
    assert once[0].needs[0].spans[0].start == 0


def test_what_stands_around_a_place_is_kept_in_the_file_and_copies_are_not(tmp_path: Path) -> None:
    document = Document("fees.md", TERMS, HEADINGS)
    path = tmp_path / "t.jsonl"
    [found], _ = located([fee(None, 43)], lambda name: document, lambda name: ("copy.md",))
    assert found.needs[0].spans[0].copies == ("copy.md",)
    [alone], _ = located([fee(None, 43)], lambda name: document)
    assert found.key == alone.key  # what is asked is the same, however many copies there are
    save_testset(path, [found], lambda name: document)
    [back] = load_testset(path)
    assert back.needs[0].spans[0].near == Near("Residents", "Visitors The fee is 5 pounds. Residents"[-48:], "")
    assert back.needs[0].spans[0].copies == ()
    assert question_from(question_row(found)) == replace(
        found, needs=(replace(found.needs[0], spans=(replace(found.needs[0].spans[0], occurrence=0),)),)
    )


def test_a_question_has_the_same_key_until_what_a_run_hangs_on_changes() -> None:
    same = Question("q1", "Wie lange?", "48 h", QUESTION.needs, "one-fact", "draft", "offline", ("other",))
    assert same.key == QUESTION.key
    assert replace(same, id="another name").key == QUESTION.key
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


def test_what_was_left_out_stands_in_a_file_and_comes_back_from_it(tmp_path: Path) -> None:
    path = tmp_path / "decisions.csv"
    decisions = Decisions(path)
    assert decisions.leave_out({"b.md": "garbled", "a.md": "a copy, of b"}) == 2
    assert decisions.leave_out({"b.md": "again"}) == 0
    assert path.read_text() == 'document,left out because\na.md,"a copy, of b"\nb.md,garbled\n'
    assert Decisions(path).reasons == {"a.md": "a copy, of b", "b.md": "garbled"}
    assert decisions.take_back(["b.md", "c.md"]) == 1
    assert list(Decisions(path).reasons) == ["a.md"]


def test_metadata_beside_documents_is_text_in_a_file_and_typed_when_it_is_read(tmp_path: Path) -> None:
    metadata = Metadata(tmp_path / "metadata.csv")
    metadata.add({"a.md": {"area": "Moss Cut", "pages": "12"}})
    metadata.add({"a.md": {"area": "Main Line"}, "b.md": {"issued": "2031-04-01"}})
    again = Metadata(tmp_path / "metadata.csv")
    assert again.of("a.md") == {"area": "Main Line", "pages": 12}
    assert again.of("b.md") == {"issued": "2031-04-01"}
    assert again.of("c.md") == {}


@pytest.mark.parametrize("text", ["name\nx\n", "", "document\na\na\n"])
def test_a_wrong_table_names_its_line(tmp_path: Path, text: str) -> None:
    (tmp_path / "decisions.csv").write_text(text)
    with pytest.raises(BadInput, match=r"decisions.csv, line \d"):
        Decisions(tmp_path / "decisions.csv")


def test_sources_are_noted_as_they_were_gathered_last(tmp_path: Path) -> None:
    sources = GatheredSources(tmp_path)
    sources.add([GatheredSource(tmp_path / "docs", "x", ("*.md", "*.txt")), GatheredSource(Path("/elsewhere"))])
    sources.add([GatheredSource(tmp_path / "docs", "y")])
    assert list(GatheredSources(tmp_path)) == [
        GatheredSource(Path("/elsewhere")),
        GatheredSource(tmp_path / "docs", "y"),
    ]
    assert "docs,y,," in (tmp_path / "gathered.csv").read_text()
