"""PDF: reading order, paragraphs, headings by size, tables as rows and cells, running heads left out."""

from __future__ import annotations

import io
import re
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

from ..documents import Document
from ..errors import Unreadable
from .builder import TextBuilder
from .pdf_layout import Line, in_reading_order, rows_of, unruled_tables, words_of

_MARGIN = 0.12  # share of a page's height at its top and bottom where running heads and feet stand
_BULLET = re.compile(r"^(?:[•◦‣∙▪●–*]|\(?\d{1,3}[.)]|-)\s+(?=\S)")
_END = re.compile(r"[.!?:;][\"'”’)\]]*$")
_HYPHEN = re.compile(r"([^\W\d_]{2,})[-\u00ad\u2010]$")
_PAGE_NUMBER = re.compile(r"^(?:page\s+)?(?:\d{1,4}|[ivxlc]{1,7})(?:\s*(?:/|of)\s*\d{1,4})?$", re.IGNORECASE)


@dataclass
class Block:
    """A piece of a page. `kind` is heading, paragraph, item, code or table."""

    kind: str
    page: int
    text: str = ""
    level: int = 0
    rows: list[list[str]] = field(default_factory=list)
    size: float = 0.0
    pieces: list[tuple[int, str]] = field(default_factory=list)


def read_pdf(name: str, data: bytes, way: str = "layout") -> Document:
    """Reads a PDF. `way` is "layout" (by the place of words on the page) or "stream" (in the file's own order).

    Raises `Unreadable` for one that is encrypted, broken, has no pages, or only pictures.
    """
    if way == "stream":
        from .pdf_stream import read_stream

        return read_stream(name, data)
    pages, info = _pages(data)
    running = _running(pages)
    body = _body_size(pages)
    blocks: list[Block] = []
    for number, (rows, tables, _) in enumerate(pages):
        kept = [row for row in rows if (number, row.text) not in running]
        blocks.extend(_blocks(kept, tables, number, body))
    blocks = _mended(blocks)
    heads = sorted({text for _, text in running})
    empty = [number + 1 for number, (rows, tables, _) in enumerate(pages) if not rows and not tables]
    meta: dict[str, Any] = {"format": "pdf", "pages": len(pages), **info}
    if heads:
        meta["running"] = heads[:50]
    if empty:
        meta["pages_without_text"] = empty
    return _written(name, blocks, len(pages), body, meta)


def opened(data: bytes) -> Any:
    """The pdfplumber document; raises `Unreadable` with the reason."""
    import pdfplumber
    from pdfminer.pdfdocument import PDFPasswordIncorrect

    try:
        document = pdfplumber.open(io.BytesIO(data))
        count = len(document.pages)
    except Exception as error:  # pdfminer raises many kinds for a broken file
        cause = error.args[0] if error.args else None
        if isinstance(error, PDFPasswordIncorrect) or isinstance(cause, PDFPasswordIncorrect):
            raise Unreadable("the PDF is encrypted and wants a password") from None
        raise Unreadable("the PDF is broken or cut short") from None
    if not count:
        raise Unreadable("the PDF has no pages")
    return document


Page = tuple[list[Line], list[tuple[float, list[list[str]]]], float]  # rows in order, tables with their top, height


def _pages(data: bytes) -> tuple[list[Page], dict[str, Any]]:
    found: list[Page] = []
    pictures = 0
    with opened(data) as document:
        info = {
            key: str(document.metadata[label])
            for label, key in (("Author", "author"), ("CreationDate", "date"), ("Title", "title"))
            if isinstance(document.metadata.get(label), str) and document.metadata[label].strip()
        }
        for page in document.pages:
            try:
                tables = _ruled(page)
                rows = [
                    row
                    for stream in in_reading_order(rows_of(words_of(page, [box for box, _ in tables])))
                    for row in stream
                ]
                pictures += len(page.images)
                found.append((rows, [(box[1], cells) for box, cells in tables], float(page.height)))
            except Unreadable:
                raise
            except Exception:
                found.append(([], [], 1.0))
            page.close()
    if not any(rows or tables for rows, tables, _ in found):
        reason = "it holds only pictures (a scan without text)" if pictures else "its pages hold no text"
        raise Unreadable(f"the PDF: {reason}")
    if re.match(r"D:\d{8}", info.get("date", "")):
        info["date"] = f"{info['date'][2:6]}-{info['date'][6:8]}-{info['date'][8:10]}"
    return found, info


def _ruled(page: Any) -> list[tuple[tuple[float, float, float, float], list[list[str]]]]:
    """Tables drawn with lines: their boxes and cells; a merged cell's text stands in each place that it covers."""
    if len(page.lines) + len(page.rects) + len(page.curves) < 3:
        return []
    found = []
    for table in page.find_tables():
        rows = [[" ".join((cell or "").split()) for cell in row] for row in table.extract(x_tolerance_ratio=0.15)]
        filled = [row for row in rows if any(row)]
        wide = max((sum(map(bool, row)) for row in filled), default=0)
        if len(filled) >= 2 and wide >= 2:
            found.append((table.bbox, _merged(table, rows)))
    return found


def _merged(table: Any, rows: list[list[str]]) -> list[list[str]]:
    """Rows with the text of cells that stretch over several rows or columns repeated in each."""
    boxes = [list(row.cells) for row in table.rows]
    for r, row in enumerate(boxes):
        for c, cell in enumerate(row):
            if cell is not None or c >= len(rows[r]) or rows[r][c]:
                continue
            left = next((n for n in range(c - 1, -1, -1) if row[n] is not None), None)
            x = _column_middle(boxes, c)
            if left is not None and x is not None and row[left][2] > x:
                rows[r][c] = rows[r][left]
                continue
            above = next((n for n in range(r - 1, -1, -1) if boxes[n][c] is not None), None)
            y = next(((each[1] + each[3]) / 2 for each in row if each is not None), None)
            if above is not None and y is not None and boxes[above][c][3] > y:
                rows[r][c] = rows[above][c]
    return [row for row in rows if any(row)]


def _column_middle(boxes: Sequence[Sequence[Any]], column: int) -> float | None:
    for row in boxes:
        cell = row[column] if column < len(row) else None
        if cell is not None:
            return float(cell[0] + cell[2]) / 2
    return None


def _running(pages: Sequence[Page]) -> set[tuple[int, str]]:
    """(page, text) of rows near the top or bottom that come again on other pages, and of page numbers."""
    near: list[tuple[int, str, str]] = []
    for number, (rows, _, height) in enumerate(pages):
        for row in rows:
            middle = (row.top + row.bottom) / 2
            if middle < _MARGIN * height or middle > (1 - _MARGIN) * height:
                near.append((number, row.text, re.sub(r"\d+|\b[ivxlc]+\b", "#", row.text.lower()).strip()))
    counts = Counter(shape for _, shape in {(number, shape) for number, _, shape in near})
    often = max(3, len(pages) // 20) if len(pages) > 2 else 2
    edge = {number: _edges(rows) for number, (rows, _, _) in enumerate(pages)}
    repeated = {
        (number, text)
        for number, text, shape in near
        if (counts[shape] >= often or _PAGE_NUMBER.match(text)) and text in edge[number]
    }
    return repeated | _at_one_height(pages, top=True) | _at_one_height(pages, top=False)


def _at_one_height(pages: Sequence[Page], top: bool) -> set[tuple[int, str]]:
    """Outermost rows that stand apart from the rest at the same height on half of the pages, whatever they say."""
    found: list[tuple[int, str, int]] = []
    for number, (rows, _, height) in enumerate(pages):
        ordered = sorted(rows, key=lambda row: row.top, reverse=not top)
        if len(ordered) < 3:
            continue
        outer, inner = ordered[0], ordered[1]
        apart = inner.top - outer.bottom if top else outer.top - inner.bottom
        margin = outer.bottom < _MARGIN * height if top else outer.top > (1 - _MARGIN) * height
        if margin and apart > 0.8 * outer.size:
            found.append((number, outer.text, round(outer.top / 2)))
    heights = Counter(at for _, _, at in found)
    usual = {at for at, count in heights.items() if count >= max(3, 0.3 * len(pages))}
    return {(number, text) for number, text, at in found if at in usual}


def _edges(rows: Sequence[Line]) -> set[str]:
    """The texts of the first and last two rows of a page, by height."""
    ordered = sorted(rows, key=lambda row: row.top)
    return {row.text for row in (*ordered[:2], *ordered[-2:])}


def _body_size(pages: Sequence[Page]) -> float:
    """The font size of most letters."""
    counts: Counter[float] = Counter()
    for rows, _, _ in pages:
        for row in rows:
            counts[row.size] += len(row.text)
    return counts.most_common(1)[0][0] if counts else 10.0


def _blocks(rows: list[Line], tables: list[tuple[float, list[list[str]]]], page: int, body: float) -> Iterator[Block]:
    """The blocks of a page in reading order: unruled tables found among the rows, ruled ones put in by height."""
    waiting = sorted(tables, key=lambda pair: pair[0])
    free = {start: (end, cells) for start, end, cells in unruled_tables(rows)}
    place = 0
    current: list[Line] = []
    while place < len(rows):
        row = rows[place]
        while waiting and waiting[0][0] <= row.top:
            yield from _paragraph(current, page, body)
            current = []
            yield Block("table", page, rows=waiting.pop(0)[1])
        if place in free:
            yield from _paragraph(current, page, body)
            current = []
            yield Block("table", page, rows=free[place][1])
            place = free[place][0]
            continue
        if current and _breaks(current, row, body):
            yield from _paragraph(current, page, body)
            current = []
        current.append(row)
        place += 1
    yield from _paragraph(current, page, body)
    for _, cells in waiting:
        yield Block("table", page, rows=cells)


def _breaks(current: Sequence[Line], row: Line, body: float) -> bool:
    """Whether a row begins a new block."""
    last = current[-1]
    if row.leads or last.leads:
        return True
    if abs(row.size - last.size) > 0.06 * last.size and (row.size > 1.08 * body or last.size > 1.08 * body):
        return True
    if row.mono != last.mono or (row.bold != last.bold and (_is_heading_like(last) or _is_heading_like(row))):
        return True
    gap = row.top - last.bottom
    usual = current[1].top - current[0].bottom if len(current) > 1 else 0.35 * last.size
    if gap > max(usual + 0.35 * last.size, 0.62 * last.size) or gap < -2 * last.size:
        return True
    if _BULLET.match(row.text) and (row.x0 <= current[0].x0 + 1 or not _BULLET.match(current[0].text)):
        return not row.mono
    inset = row.x0 - last.x0 > 0.8 * row.size
    return bool(inset and _END.search(last.text) and not _BULLET.match(current[0].text) and not row.mono)


def _is_heading_like(row: Line) -> bool:
    return row.bold and len(row.text) < 100 and not row.text.endswith((".", ",", ";"))


def _paragraph(rows: Sequence[Line], page: int, body: float) -> Iterator[Block]:
    if not rows:
        return
    size = max(row.size for row in rows)
    if all(row.mono for row in rows):
        left = min(row.x0 for row in rows)
        step = 0.6 * size
        text = "\n".join(" " * round((row.x0 - left) / step) + row.text for row in rows)
        yield Block("code", page, text, size=size)
        return
    text = _unwrapped([row.text for row in rows])
    if len(text) < 200 and (size > 1.12 * body or (len(rows) <= 2 and all(_is_heading_like(row) for row in rows))):
        yield Block("heading", page, text, size=round(size, 1) + (0.05 if rows[0].bold else 0))
    elif _BULLET.match(text):
        yield Block("item", page, _BULLET.sub("", text) if text[0] in "•◦‣∙▪●–*-" else text)
    else:
        yield Block("paragraph", page, text, size=size)


def _unwrapped(lines: Sequence[str]) -> str:
    """Lines as one; a word broken by a hyphen at a line's end is made whole when a lower-case letter follows."""
    text = lines[0] if lines else ""
    for line in lines[1:]:
        broken = _HYPHEN.search(text)
        if broken and line[:1].islower():
            compound = text.endswith("-") and _is_compound(broken[1], line)
            text = text + line if compound else text[:-1] + line
        else:
            text = f"{text} {line}"
    return text


_PREFIXES = frozenset(
    "self non pre post re co sub multi inter cross well long short high low full half one two three".split()
)


def _is_compound(first: str, line: str) -> bool:
    """Whether a hyphen at a line's end is most likely the word's own: 'self-', 'non-', 'one-to-'."""
    return first.lower() in _PREFIXES or "-" in line.split(" ")[0]


def _mended(blocks: list[Block]) -> list[Block]:
    """Paragraphs and tables that go on over a page break made whole."""
    found: list[Block] = []
    for block in blocks:
        last = found[-1] if found else None
        block.pieces = [(block.page, block.text)]
        if last is not None and last.page < block.page and last.kind == block.kind:
            if block.kind == "table" and _same_table(last.rows, block.rows):
                again = block.rows[0] == last.rows[0]
                last.rows.extend(block.rows[1:] if again else block.rows)
                last.page = block.page
                continue
            goes_on = block.kind == "paragraph" and block.text[:1].islower() and not _END.search(last.text)
            if goes_on:
                last.text = _unwrapped([last.text, block.text])
                last.pieces.append((block.page, block.text))
                last.page = block.page
                continue
        found.append(block)
    return found


def _same_table(upper: list[list[str]], lower: list[list[str]]) -> bool:
    return bool(upper and lower) and len(upper[0]) == len(lower[0])


def _written(name: str, blocks: Sequence[Block], pages: int, body: float, meta: dict[str, Any]) -> Document:
    builder = TextBuilder()
    sizes = sorted({block.size for block in blocks if block.kind == "heading"}, reverse=True)
    starts: dict[int, int] = {}
    items: list[tuple[int, str]] = []

    def note(page: int, at: int) -> None:
        starts.setdefault(page, at)

    for place, block in enumerate(blocks):
        note(block.pieces[0][0], builder.next_start)
        if block.kind == "heading":
            builder.heading(block.text, 1 + min(5, sizes.index(block.size)))
        elif block.kind == "code":
            builder.code(block.text)
        elif block.kind == "table":
            header, rows = _header(block.rows)
            builder.table(header, rows)
        elif block.kind == "item":
            items.append((0, block.text))
            if place + 1 == len(blocks) or blocks[place + 1].kind != "item" or blocks[place + 1].page != block.page:
                builder.items(items)
                items = []
        else:
            begin = builder.next_start
            builder.paragraph(block.text)
            for page, text in block.pieces[1:]:
                note(page, begin + max(0, block.text.rfind(text[:40])))
    return builder.finish(name, title=str(meta.pop("title", "")), meta=meta, pages=_page_starts(starts, pages))


def _page_starts(starts: dict[int, int], pages: int) -> list[int]:
    """Where each page begins; a page without text begins where the next one does."""
    found: list[int] = []
    following = None
    for page in reversed(range(pages)):
        following = starts.get(page, following)
        found.append(-1 if following is None else following)
    return found[::-1]


def _header(rows: list[list[str]]) -> tuple[list[str], list[list[str]]]:
    """The first row as header when it has words in most places and no figure in any; else no header."""
    first = rows[0]
    words = sum(bool(cell) for cell in first)
    figures = any(re.fullmatch(r"[£$€]?\d[\d.,]*(?:\s*\w{0,3})?", cell) for cell in first)
    if len(rows) > 1 and words >= max(2, len(first) - 1) and not figures:
        return first, rows[1:]
    return [], rows
