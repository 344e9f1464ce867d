"""Word documents, by python-docx: headings, paragraphs, lists and tables in the order of the page."""

from __future__ import annotations

import io
import re
from typing import Any

from ..documents import Document
from ..errors import Unreadable
from .builder import TextBuilder
from .zipped import opened

_HEADING = re.compile(r"^(?:heading|title|überschrift)\s*(\d)?", re.IGNORECASE)


def read_docx(name: str, data: bytes) -> Document:
    """Reads a DOCX; raises `Unreadable` for one that is no sound one."""
    opened(data, "DOCX").close()
    import docx
    from docx.table import Table
    from docx.text.paragraph import Paragraph

    try:
        source = docx.Document(io.BytesIO(data))
        content = list(source.iter_inner_content())
    except Exception as error:  # python-docx lets many kinds through
        raise Unreadable(f"it is no sound DOCX ({str(error)[:80]})") from None
    builder = TextBuilder()
    items: list[tuple[int, str]] = []
    for block in content:
        if isinstance(block, Paragraph) and _depth(block) is not None:
            items.append((_depth(block) or 0, block.text))
            continue
        builder.items(items)
        items = []
        if isinstance(block, Table):
            rows = [[cell.text for cell in row.cells] for row in block.rows]
            builder.table(*header_and_rows(rows))
        else:
            _paragraph(builder, block)
    builder.items(items)
    properties = source.core_properties
    meta: dict[str, Any] = {"format": "docx"}
    if properties.author:
        meta["author"] = properties.author
    if properties.modified:
        meta["date"] = properties.modified.date().isoformat()
    if properties.language:
        meta["language"] = properties.language
    return builder.finish(name, title=properties.title or "", meta=meta)


def _paragraph(builder: TextBuilder, paragraph: Any) -> None:
    found = _HEADING.match(_style(paragraph))
    if found:
        builder.heading(paragraph.text, int(found[1] or 1))
    else:
        builder.paragraph(paragraph.text)


def _style(paragraph: Any) -> str:
    return str(getattr(paragraph.style, "name", "") or "")


def _depth(paragraph: Any) -> int | None:
    """The depth of a list item, None for a paragraph that is none."""
    properties = paragraph._p.pPr
    numbered = properties is not None and properties.numPr is not None
    style = _style(paragraph).lower()
    if not numbered and not style.startswith("list"):
        return None
    if numbered and properties.numPr.ilvl is not None:
        return int(properties.numPr.ilvl.val)
    last = style.split()[-1]
    return int(last) - 1 if last.isdigit() else 0


def header_and_rows(rows: list[list[str]]) -> tuple[list[str], list[list[str]]]:
    """The first row as header, unless it is the only one or holds a cell that is a bare figure."""
    first = [" ".join(cell.split()) for cell in rows[0]] if rows else []
    if len(rows) < 2 or any(re.fullmatch(r"[£$€]?\d[\d.,]*", cell) for cell in first):
        return [], rows
    return first, rows[1:]
