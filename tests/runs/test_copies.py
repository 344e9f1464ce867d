"""A fact that is found in an exact copy of its document is found, by runs of ours and by what another system brings alike."""

from __future__ import annotations

import json
import os
import unicodedata

import pytest

from ..conftest import Program, write_testset

TERMS = "Harbour terms\n\nThe overstay charge at Brindle Quay is 25 pounds a day.\n\nBoats may stay for 48 hours.\n"
QUESTION = {
    "id": "c1", "question": "What is the overstay charge at Brindle Quay?", "answer": "25 pounds a day.",
    "needs": [{"fact": "25 pounds", "spans": [{"doc": "a/terms.txt", "quote": "The overstay charge at Brindle Quay is 25 pounds a day."}]}],
}  # fmt: skip


@pytest.fixture
def copied(program: Program) -> Program:
    program("new", "w")
    program = Program(program.folder / "w")
    for name in ("a", "b"):
        path = program.folder / "docs" / name / "terms.txt"
        path.parent.mkdir(parents=True)
        path.write_text(TERMS, encoding="utf-8")
    program("gather", "docs")
    write_testset(program.folder, [QUESTION])
    for path in (program.folder / "configs").glob("*.toml"):
        path.unlink()
    (program.folder / "configs" / "plain.toml").write_text(
        'name = "plain"\n[chunking]\nsize = 300\n[search]\nmethod = "keyword"\ntop = 1\n[answering]\nmodel = "none"\n'
    )
    return program


def hit(program: Program, run: str) -> float:
    [found] = program.json("compare", run)["runs"]
    return float(found["measures"]["hit@1" if "hit@1" in found["measures"] else "hit@5"]["mean"])


def test_our_runs_and_brought_ones_count_copies_alike(copied: Program) -> None:
    copied("run", "plain")
    lists = {name: copied.folder / f"{name}.trec" for name in ("a", "b")}
    for name, path in lists.items():
        path.write_text(f"c1 Q0 {name}/terms.txt 1 1.0 live\n")
        copied("score", "--ranked", str(path), "--name", f"by {name}")
    assert [hit(copied, run) for run in ("plain", "by a", "by b")] == [1.0, 1.0, 1.0]


def test_a_text_that_differs_in_one_letter_is_no_copy(copied: Program) -> None:
    path = copied.folder / "docs" / "b" / "terms.txt"
    path.write_text(TERMS.replace("25", "35"), encoding="utf-8")
    copied("gather", "docs")
    path = copied.folder / "other.trec"
    path.write_text("c1 Q0 b/terms.txt 1 1.0 live\n")
    copied("score", "--ranked", str(path), "--name", "other")
    assert hit(copied, "other") == 0.0


def test_documents_questions_and_quotes_in_either_form_of_unicode_match(program: Program) -> None:
    program("new", "w")
    program = Program(program.folder / "w")
    whole = "Die Überliegegebühr in Köln beträgt fünfzig Euro.\n\nDie Schleuse öffnet täglich um acht Uhr.\n"
    split = unicodedata.normalize("NFD", whole)
    assert split != whole
    found = []
    for number, (text, asked) in enumerate(((whole, split), (split, whole), (whole, whole))):
        folder = program.folder / f"docs{number}"
        folder.mkdir()
        (folder / f"gebuehr{number}.txt").write_text(text, encoding="utf-8")
        quote, question = (
            asked.split("\n\n")[0],
            unicodedata.normalize("NFC" if asked is whole else "NFD", "Überliegegebühr Köln?"),
        )
        write_testset(
            program.folder,
            [
                {
                    "id": "u1",
                    "question": question,
                    "answer": "fünfzig Euro",
                    "needs": [{"fact": "", "spans": [{"doc": f"gebuehr{number}.txt", "quote": quote}]}],
                }
            ],
            f"set{number}",
        )
        program("gather", str(folder))
        program("run", "starter", "--testset", f"set{number}")
        found.append(program.json("compare", "starter")["runs"][0]["measures"]["hit@5"]["mean"])
    assert found == [1.0, 1.0, 1.0]


def test_a_file_of_equal_size_and_time_is_read_again(copied: Program) -> None:
    path = copied.folder / "docs" / "b" / "terms.txt"
    before = path.stat()
    path.write_text(TERMS.replace("25", "35"), encoding="utf-8")
    os.utime(path, ns=(before.st_atime_ns, before.st_mtime_ns))
    after = path.stat()
    assert (after.st_size, after.st_mtime_ns) == (before.st_size, before.st_mtime_ns)
    found = json.loads(copied("gather", "docs", "--json").stdout)["result"]
    assert [
        found["updated"],
        len(found["unchanged"]) if isinstance(found["unchanged"], list) else found["unchanged"],
    ] == [["b/terms.txt"], 1]
