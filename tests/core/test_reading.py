"""Readers: canonical text and its parts."""

from __future__ import annotations

import pytest

from aventrik.core.documents import Document
from aventrik.core.errors import Unreadable
from aventrik.core.reading import format_of, read


def part_texts(document: Document, kind: str) -> list[str]:
    return [document.text[part.start : part.end] for part in document.of_kind(kind)]


def test_markdown_becomes_text_without_marks_and_parts_are_its_spans() -> None:
    source = b"---\ntitle: Guide\nedition: 2031\n---\n# Locks\n\nUse *both* `paddles`\nslowly.\n\n- one\n  - two\n\n```\na  b\n```\n"
    found = read("a.md", source)
    assert found.text == "Locks\n\nUse both paddles slowly.\n\n- one\n  - two\n\na  b"
    assert part_texts(found, "heading") == ["Locks"]
    assert part_texts(found, "item") == ["one", "two"]
    assert part_texts(found, "code") == ["a  b"]
    assert found.title == "Guide"
    assert found.meta["edition"] == 2031


TABLE = "Lock: Hexley; Beam: 4.3\nLock: Pellbeck; Beam: 2.1"


@pytest.mark.parametrize(
    ("name", "source"),
    [
        ("a.md", "| Lock | Beam |\n|---|---|\n| Hexley | 4.3 |\n| Pellbeck | 2.1 |\n"),
        (
            "a.html",
            "<html><body><table><tr><th>Lock<th>Beam</tr><tr><td>Hexley<td>4.3</tr><tr><td>Pellbeck<td>2.1</tr></table>",
        ),
    ],
)
def test_a_table_reads_row_by_row_with_header_words_and_each_cell_has_a_span(name: str, source: str) -> None:
    found = read(name, source.encode())
    assert found.text == TABLE
    assert part_texts(found, "cell") == ["Hexley", "4.3", "Pellbeck", "2.1"]
    assert [part.label for part in found.of_kind("cell")] == ["Lock", "Beam", "Lock", "Beam"]
    rows = [place for place, part in enumerate(found.parts) if part.kind == "row"]
    assert [part.parent for part in found.of_kind("cell")] == [rows[0], rows[0], rows[1], rows[1]]


def test_a_cell_over_two_rows_stands_in_both() -> None:
    page = "<table><tr><th>A<th>B</tr><tr><td rowspan=2>x<td>1</tr><tr><td>2</tr></table>"
    assert read("a.html", f"<html><body>{page}".encode()).text == "A: x; B: 1\nA: x; B: 2"


def test_html_keeps_the_main_content_and_drops_what_is_around_it() -> None:
    page = """<!DOCTYPE html><html lang="en"><head><title>Fees</title><style>p{}</style></head><body>
    <nav>Home</nav><h1>Fees <a class="headerlink">¶</a></h1><p>Pay <b>now</b><br>or later.</p>
    <script>x()</script><div role="navigation">Next</div><footer>Trust</footer></body></html>"""
    found = read("a.html", page.encode())
    assert found.text == "Fees\n\nPay now or later."
    assert found.title == "Fees"
    assert found.meta["language"] == "en"


def test_plain_text_joins_wrapped_lines_and_sees_underlined_headings_and_lists() -> None:
    source = b"Gear\n====\n\nThe gear was\nrenewed.\n\n* first\n  goes on\n* second\n"
    found = read("a.txt", source)
    assert found.text == "Gear\n\nThe gear was renewed.\n\n- first goes on\n- second"
    assert part_texts(found, "heading") == ["Gear"]


def test_heading_paths_and_sections_follow_the_levels() -> None:
    found = read("a.md", b"# A\n\nx\n\n## B\n\ny\n\n### C\n\nz\n\n## D\n\nw\n")
    assert found.heading_path(found.text.index("z")) == ("A", "B", "C")
    assert found.heading_path(found.text.index("w")) == ("A", "D")
    start, end = found.section(found.text.index("y"))
    assert found.text[start:end].split() == ["B", "y"]  # a section ends at the next heading of any level


@pytest.mark.parametrize(
    ("data", "wanted"),
    [
        ("Fähre".encode("utf-8-sig"), "Fähre"),
        ("Fähre".encode("utf-16"), "Fähre"),
        ("Fähre".encode("cp1252"), "Fähre"),
        (b"a\r\nb\r\n\r\nc", "a b\n\nc"),
    ],
)
def test_encodings_are_told_apart(data: bytes, wanted: str) -> None:
    assert read("a.txt", data).text == wanted


def test_a_page_may_declare_its_encoding() -> None:
    page = b'<html><head><meta charset="iso-8859-2"></head><body><p>\xb1</p></body></html>'
    assert read("a.html", page).text == "ą"


@pytest.mark.parametrize(
    ("name", "data", "reason"),
    [
        ("a.txt", b"", "empty"),
        ("a.txt", b" \n ", "white space"),
        ("a.txt", b"ab\0cd", "not text"),
        ("a.txt", bytes(range(1, 9)) * 40, "not text"),
        ("a.md", b"\x1f\x8b\x08", "gzip"),
        ("a.html", b"<html><body><script>x</script></body></html>", "no text"),
        ("a.exe", b"hello", ".exe"),
        ("a.txt", b"\xff\xfea", "breaks"),
    ],
)
def test_what_can_not_be_read_says_why(name: str, data: bytes, reason: str) -> None:
    with pytest.raises(Unreadable, match=reason):
        read(name, data)


def test_content_goes_before_suffix() -> None:
    assert format_of("page.txt", b"<!DOCTYPE html><html>") == "html"
    assert format_of("notes.txt", b"plain") == "text"
