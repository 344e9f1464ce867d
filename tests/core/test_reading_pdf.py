"""PDF reading, on pages made from known text and tables."""

from __future__ import annotations

import io
from typing import Any

import pytest
from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import getSampleStyleSheet
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from aventrik.core.documents import Document
from aventrik.core.errors import Unreadable
from aventrik.core.reading.pdf import read_pdf

STYLES = getSampleStyleSheet()
HEADER = ["Lock", "Length in metres", "Beam in metres", "Keeper"]
NAMES = "Hexley Skelder Pellbeck Oxmere Crannock Withy Farrow Basin Staithe Arkle Moss Tarrow".split()


def story_pdf(story: list[Any], **options: Any) -> bytes:
    buffer = io.BytesIO()
    SimpleDocTemplate(buffer, pagesize=A4, **options).build(story)
    return buffer.getvalue()


def grid(rows: int) -> list[list[str]]:
    return [
        [f"{NAMES[n % 12]} {n // 12 + 1}", f"{17 + n * 0.3:.1f}", f"{2 + n * 0.1:.1f}", "yes" if n % 3 else ""]
        for n in range(rows)
    ]


def cells_right(document: Document, rows: list[list[str]], header: list[str] = HEADER) -> float:
    """Share of the known cells that stand in the right row under the right header word."""
    lines = document.text.split("\n")
    right = total = 0
    for row in rows:
        line = next((each for each in lines if each.startswith(f"{header[0]}: {row[0]};")), "")
        found = dict(part.split(": ", 1) for part in line.split("; ") if ": " in part)
        for name, cell in zip(header, row, strict=True):
            total += 1
            right += found.get(name, "") == cell
    return right / total


def test_a_ruled_table_comes_out_cell_by_cell() -> None:
    rows = grid(20)
    table = Table([HEADER, *rows], style=TableStyle([("GRID", (0, 0), (-1, -1), 0.5, colors.black)]))
    document = read_pdf("a.pdf", story_pdf([Paragraph("Dimensions", STYLES["Heading1"]), table]))
    assert cells_right(document, rows) >= 0.98
    assert len(document.of_kind("table")) == 1


def test_a_ruled_table_over_several_pages_is_one_table() -> None:
    rows = grid(120)
    style = TableStyle([("GRID", (0, 0), (-1, -1), 0.5, colors.black)])
    document = read_pdf("a.pdf", story_pdf([Table([HEADER, *rows], style=style, repeatRows=1)]))
    assert len(document.of_kind("page")) > 2
    assert len(document.of_kind("table")) == 1
    assert cells_right(document, rows) >= 0.98


def test_merged_cells_stand_in_every_place_that_they_cover() -> None:
    rows = [["North", "Hexley", "21.3"], ["", "Skelder", "22.0"], ["South", "Pellbeck", "17.5"]]
    style = TableStyle([("GRID", (0, 0), (-1, -1), 0.5, colors.black), ("SPAN", (0, 1), (0, 2))])
    document = read_pdf("a.pdf", story_pdf([Table([["Area", "Lock", "Length"], *rows], style=style)]))
    assert "Area: North; Lock: Skelder; Length: 22.0" in document.text


def test_an_unruled_table_comes_out_row_by_row() -> None:
    rows = grid(18)
    document = read_pdf("a.pdf", story_pdf([Paragraph("Text before. " * 20, STYLES["Normal"]), Table([HEADER, *rows])]))
    assert cells_right(document, rows) >= 0.90


def lines_pdf(pages: list[list[tuple[float, float, str]]], size: float = 10) -> bytes:
    """Pages of (x, y from the top, text) in points."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A4)
    for page in pages:
        canvas.setFont("Helvetica", size)
        for x, y, text in page:
            canvas.drawString(x, A4[1] - y, text)
        canvas.showPage()
    canvas.save()
    return buffer.getvalue()


def test_two_columns_are_read_one_after_the_other() -> None:
    left = [f"left column line number {n} goes on" for n in range(30)]
    right = [f"right column line number {n} goes on" for n in range(30)]
    page = [(60.0, 150 + 12.0 * n, text) for n, text in enumerate(left)]
    page += [(320.0, 150 + 12.0 * n, text) for n, text in enumerate(right)]
    words = read_pdf("a.pdf", lines_pdf([[(60, 100, "A title over both columns of this page"), *page]])).text
    assert words.index("left column line number 29") < words.index("right column line number 0")
    assert words.index("A title") < words.index("left column line number 0")


def test_words_broken_at_a_lines_end_are_joined_and_lines_run_on() -> None:
    page = [(60.0, 200.0, "The volunteers of the naviga-"), (60.0, 212.0, "tion meet on Mondays.")]
    assert "The volunteers of the navigation meet on Mondays." in read_pdf("a.pdf", lines_pdf([page])).text


def test_running_heads_and_page_numbers_go_and_are_recorded_and_pages_are_right() -> None:
    pages = []
    for n in range(1, 7):
        body = [(60.0, 200 + 12.0 * k, f"Sentence {k} of page {n} is here.") for k in range(20)]
        pages.append([(60.0, 40.0, f"Tarrowby Handbook, chapter {n}"), *body, (290.0, 810.0, str(n))])
    document = read_pdf("a.pdf", lines_pdf(pages))
    assert "Handbook" not in document.text
    assert any("Handbook" in text for text in document.meta["running"])
    parts = document.of_kind("page")
    assert [part.label for part in parts] == [str(n) for n in range(1, 7)]
    for n, part in enumerate(parts, 1):
        assert document.text[part.start : part.end].strip().startswith(f"Sentence 0 of page {n}")


def test_headings_are_told_by_their_size() -> None:
    story = [
        Paragraph("Locks", STYLES["Heading1"]),
        Paragraph("Some text on locks follows here. " * 8, STYLES["Normal"]),
        Paragraph("Paddles", STYLES["Heading2"]),
        Paragraph("Some text on paddles follows here. " * 8, STYLES["Normal"]),
    ]
    document = read_pdf("a.pdf", story_pdf(story))
    headings = [(document.text[part.start : part.end], part.level) for part in document.headings]
    assert headings == [("Locks", 1), ("Paddles", 2)]


def test_both_ways_read_the_same_words() -> None:
    data = story_pdf([Paragraph("A keeper opens the gate at eight. " * 30, STYLES["Normal"]), Spacer(1, 5 * mm)])
    assert read_pdf("a.pdf", data).text.split() == read_pdf("a.pdf", data, "stream").text.split()


def picture_only() -> bytes:
    buffer = io.BytesIO()
    canvas = Canvas(buffer)
    canvas.rect(10, 10, 200, 200, fill=1)
    canvas.showPage()
    canvas.save()
    return buffer.getvalue()


def encrypted() -> bytes:
    buffer = io.BytesIO()
    canvas = Canvas(buffer, encrypt="secret")
    canvas.drawString(50, 500, "Hidden words")
    canvas.save()
    return buffer.getvalue()


@pytest.mark.parametrize("way", ["layout", "stream"])
@pytest.mark.parametrize(
    ("data", "told"),
    [
        (encrypted(), "encrypted"),
        (story_pdf([Paragraph("x", STYLES["Normal"])])[:400], "broken|no pages|no text"),
        (picture_only(), "no text|pictures"),
        (b"%PDF-1.4\nnothing", "broken|no pages"),
    ],
)
def test_a_pdf_that_can_not_be_read_says_why(data: bytes, told: str, way: str) -> None:
    with pytest.raises(Unreadable, match=told):
        read_pdf("a.pdf", data, way)
