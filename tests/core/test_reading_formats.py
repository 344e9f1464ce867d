"""Office files, records and archives."""

from __future__ import annotations

import gzip
import io
import json
import tarfile
import zipfile
from typing import Any

import docx
import pytest
from pptx import Presentation
from pptx.util import Inches

from aventrik.core.errors import Unreadable
from aventrik.core.reading import Reading, known_suffix, read, read_all, read_file
from aventrik.core.reading.figures import reading_figures
from aventrik.core.reading.records import Mapped


def saved(source: Any) -> bytes:
    buffer = io.BytesIO()
    source.save(buffer)
    return buffer.getvalue()


def word_file() -> bytes:
    source = docx.Document()
    source.core_properties.title = "Safety"
    source.core_properties.author = "The Trust"
    source.add_heading("Life jackets", 1)
    source.add_paragraph("They are worn within 2 metres of the water.")
    source.add_paragraph("Check the straps", style="List Bullet")
    source.add_paragraph("Check the light", style="List Bullet")
    table = source.add_table(rows=2, cols=2)
    for cell, text in zip(
        [c for row in table.rows for c in row.cells], ["Kind", "Weight", "Adult", "70 kg"], strict=True
    ):
        cell.text = text
    return saved(source)


def test_a_word_file_keeps_its_order_lists_and_tables() -> None:
    document = read("a.docx", word_file())
    wanted = "Life jackets\n\nThey are worn within 2 metres of the water.\n\n- Check the straps\n- Check the light\n\n"
    assert document.text == wanted + "Kind: Adult; Weight: 70 kg"
    assert (document.title, document.meta["author"]) == ("Safety", "The Trust")


def test_slides_are_pages_with_titles_points_tables_and_notes() -> None:
    source = Presentation()
    slide = source.slides.add_slide(source.slide_layouts[1])
    slide.shapes.title.text = "Winter works"
    slide.placeholders[1].text = "Two locks\nOne bridge"
    table = slide.shapes.add_table(2, 2, Inches(1), Inches(4), Inches(4), Inches(1)).table
    for n, text in enumerate(["Place", "Week", "Pellbeck", "3"]):
        table.cell(n // 2, n % 2).text = text
    slide.notes_slide.notes_text_frame.text = "Say that dates may move."
    source.slides.add_slide(source.slide_layouts[5]).shapes.title.text = "Questions"
    document = read("a.pptx", saved(source))
    assert document.text.startswith("Winter works\n\n- Two locks\n- One bridge\n\nPlace: Pellbeck; Week: 3\n\nSay that")
    pages = document.of_kind("page")
    assert document.text[pages[1].start : pages[1].end] == "Questions"


CSV = "id;title;body;area\n7;Closed;The lock at Hexley is closed for repairs until Friday evening.;Main Line\n8;Open;It is open.;Arm\n"


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_a_csv_of_texts_gives_a_document_a_row_in_any_encoding(encoding: str) -> None:
    found = read_all("n.csv", CSV.encode(encoding))
    assert [document.name for document in found] == ["n.csv#7", "n.csv#8"]
    assert found[0].text == "Closed\n\nThe lock at Hexley is closed for repairs until Friday evening."
    assert found[0].meta["area"] == "Main Line"
    assert found[0].meta["id"] == 7


def test_a_csv_of_figures_is_one_table_and_ragged_rows_are_told() -> None:
    [document] = read_all("f.csv", b"Lock,Beam\nHexley,4.3\nPellbeck,2.1,extra\nOxmere\n")
    assert document.text.split("\n")[0] == "Lock: Hexley; Beam: 4.3"
    assert document.meta["ragged_rows"] == 2
    assert "rows are longer or shorter" in reading_figures(document)["warnings"][0]


def test_rows_of_a_csv_can_be_forced_either_way() -> None:
    assert len(read_all("n.csv", CSV.encode(), Reading(mapped=Mapped(rows="table")))) == 1
    assert len(read_all("f.csv", b"Lock,Beam\nHexley,4.3\n", Reading(mapped=Mapped(rows="records")))) == 1


def test_records_without_an_id_or_with_the_same_twice_are_kept_apart() -> None:
    lines = [{"body": "First."}, {"id": "a", "body": "Second."}, {"id": "a", "body": "Third.", "tags": ["x", "y"]}]
    found = read_all("r.jsonl", "\n".join(map(json.dumps, lines)).encode())
    assert [document.name for document in found] == ["r.jsonl#record 1", "r.jsonl#a", "r.jsonl#a (2)"]
    assert found[2].meta["tags"] == ["x", "y"]


def test_a_mapping_says_which_fields_are_what() -> None:
    line = json.dumps({"ref": 3, "what": "Gate", "story": "It leaks.", "body": "not this"})
    reading = Reading(mapped=Mapped(text=("story",), title="what", id="ref"))
    [found] = read_all("r.jsonl", line.encode(), reading)
    assert (found.name, found.text, found.title) == ("r.jsonl#3", "Gate\n\nIt leaks.", "Gate")


def test_json_with_one_list_of_objects() -> None:
    found = read_all("r.json", json.dumps({"made": 1, "rows": [{"text": "A."}, {"text": "B."}]}).encode())
    assert [document.text for document in found] == ["A.", "B."]


def zipped(**files: bytes) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return buffer.getvalue()


def test_archives_give_their_files_and_refuse_paths_that_climb_out() -> None:
    data = zipped(**{"in/a.md": b"# A\n\nText.", "../evil.md": b"# E", "/abs.md": b"# E", "x.bin": b"\0", "e.md": b""})
    found = read_file("z.zip", data, Reading())
    assert [document.name for document in found.documents] == ["z.zip/in/a.md"]
    reasons = dict(found.failed)
    assert found.passed_over == 1
    assert "climbs out" in reasons["z.zip/../evil.md"]
    assert "climbs out" in reasons["z.zip//abs.md"]
    assert reasons["z.zip/e.md"] == "it is empty"


def test_tar_and_gzip_files() -> None:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w:gz") as archive:
        entry = tarfile.TarInfo("b.txt")
        entry.size = 5
        archive.addfile(entry, io.BytesIO(b"Hello"))
        link = tarfile.TarInfo("c.txt")
        link.type, link.linkname = tarfile.SYMTYPE, "/etc/passwd"
        archive.addfile(link)
    found = read_file("t.tar.gz", buffer.getvalue(), Reading())
    assert [document.text for document in found.documents] == ["Hello"]
    assert found.failed == [("t.tar.gz/c.txt", "it is a link, which is not followed")]
    found = read_file("one.txt.gz", gzip.compress(b"Packed text.", mtime=0), Reading())
    assert [document.name for document in found.documents] == ["one.txt.gz/one.txt"]


EPUB = {
    "META-INF/container.xml": b'<container><rootfiles><rootfile full-path="o/p.opf"/></rootfiles></container>',
    "o/p.opf": b"<package><metadata><title>Book</title></metadata><manifest><item id='b' href='2.xhtml'/>"
    b"<item id='a' href='1.xhtml'/></manifest><spine><itemref idref='a'/><itemref idref='b'/></spine></package>",
    "o/1.xhtml": b"<html><body><h1>One</h1><p>First.</p></body></html>",
    "o/2.xhtml": b"<html><body><p>Second.</p></body></html>",
}


def test_an_epub_is_read_in_the_order_of_its_spine() -> None:
    document = read("b.epub", zipped(**EPUB))
    assert (document.title, document.text) == ("Book", "One\n\nFirst.\n\nSecond.")


BOMB = zipped(**{"word/document.xml": b"\0" * 60_000_000})
ENTITIES = b"""<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;">
<!ENTITY f SYSTEM "file:///etc/passwd">]><container><rootfiles><rootfile full-path="&f;&b;"/></rootfiles></container>"""


def altered(data: bytes, name: str, before: bytes, after: bytes) -> bytes:
    """A zip container with something in one of its parts put otherwise."""
    with zipfile.ZipFile(io.BytesIO(data)) as source:
        parts = {each: source.read(each) for each in source.namelist()}
    assert before in parts[name]
    return zipped(**{**parts, name: parts[name].replace(before, after, 1)})


def broken_part() -> bytes:
    """An EPUB one of whose pages is damaged in its container."""
    data = bytearray(zipped(**EPUB))
    place = data.index(b"<html><body><h1>One") if b"<html><body><h1>One" in data else data.index(b"o/1.xhtml") + 12
    data[place : place + 8] = b"\xff" * 8
    return bytes(data)


@pytest.mark.parametrize(
    ("name", "data", "told"),
    [
        (
            "a.docx",
            altered(word_file(), "word/document.xml", b"<w:tcPr>", b'<w:tcPr><w:gridSpan w:val="two"/>'),
            "no sound",
        ),
        ("broken_part.epub", broken_part(), "the EPUB is broken: o/1.xhtml: it is damaged"),
        ("a.docx", b"not a zip at all", "not a zip"),
        ("a.docx", word_file()[:500], "cut short|not a zip"),
        ("a.docx", BOMB, "zip bomb"),
        ("a.docx", zipped(**{"word/x.xml": b"<x/>"}), "no sound DOCX"),
        ("a.epub", zipped(**{**EPUB, "META-INF/container.xml": ENTITIES}), "no sound EPUB|missing"),
        ("a.epub", zipped(**{"META-INF/container.xml": b"<broken"}), "no sound EPUB"),
        ("a.zip", b"PK\x03\x04 broken", "no sound zip archive"),
        ("a.tar.gz", b"\x1f\x8b broken", "no sound compressed file"),
        ("a.tar", b"no tar " * 200, "no sound tar"),
        ("a.txt.gz", gzip.compress(b"text" * 100, mtime=0)[:9], "no sound compressed file"),
        ("a.jsonl", b'{"a": "b"}\n{"a": \n', "line 2 is not valid JSON"),
        ("a.jsonl", b"[1]\n", "line 1 is not a JSON object"),
        ("a.json", b"[1, 2]", "no records"),
        ("a.csv", b"only,header\n", "no record|no text"),
        ("a.doc", b"\xd0\xcf\x11\xe0old", "old office"),
    ],
)
def test_broken_and_hostile_files_say_why(name: str, data: bytes, told: str) -> None:
    with pytest.raises(Unreadable, match=told):
        read_file(name, data, Reading())


def test_reading_figures_see_odd_characters_and_thin_pages() -> None:
    garbled = read("a.txt", ("good text " * 5 + "\ue000\ufffd(cid:7)" * 5).encode())
    report = reading_figures(garbled)
    assert report["odd"] > 0.2
    assert "odd characters" in report["warnings"][0]
    assert report["words"] == 11


@pytest.mark.parametrize(
    ("name", "taken"),
    [
        ("a.TXT.gz", True),
        ("CREDITS.gz", True),
        ("a.tar.gz", True),
        ("b.tgz", True),
        ("Font.ttf.gz", False),
        ("a.png", False),
    ],
)
def test_a_lone_gzip_file_is_taken_for_what_is_inside(name: str, taken: bool) -> None:
    assert known_suffix(name) is taken
