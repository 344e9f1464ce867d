"""Slides, by python-pptx: a page a slide, its title a heading, texts from top to bottom, tables, then notes."""

from __future__ import annotations

import io
from typing import Any

from ..documents import Document
from ..errors import Unreadable
from .builder import TextBuilder
from .docx import header_and_rows
from .zipped import opened


def read_pptx(name: str, data: bytes) -> Document:
    """Reads a PPTX; raises `Unreadable` for one that is no sound one."""
    opened(data, "PPTX").close()
    from pptx import Presentation

    try:
        source = Presentation(io.BytesIO(data))
        slides = list(source.slides)
    except Exception as error:  # python-pptx lets many kinds through
        raise Unreadable(f"it is no sound PPTX ({str(error)[:80]})") from None
    builder = TextBuilder()
    starts: list[int] = []
    for slide in slides:
        starts.append(builder.next_start)
        title = slide.shapes.title
        if title is not None:
            builder.heading(title.text_frame.text, 1)
        shapes = [shape for shape in _flat(slide.shapes) if title is None or shape.shape_id != title.shape_id]
        for shape in sorted(shapes, key=lambda each: (each.top or 0, each.left or 0)):
            _shape(builder, shape)
        if slide.has_notes_slide and slide.notes_slide.notes_text_frame is not None:
            for paragraph in slide.notes_slide.notes_text_frame.paragraphs:
                builder.paragraph(paragraph.text)
    properties = source.core_properties
    meta: dict[str, Any] = {"format": "pptx", "pages": len(slides)}
    if properties.author:
        meta["author"] = properties.author
    if properties.modified:
        meta["date"] = properties.modified.date().isoformat()
    return builder.finish(name, title=properties.title or "", meta=meta, pages=starts)


def _flat(shapes: Any) -> list[Any]:
    """Shapes with those of groups in their place."""
    found: list[Any] = []
    for shape in shapes:
        found.extend(_flat(shape.shapes) if shape.shape_type == 6 else [shape])
    return found


def _shape(builder: TextBuilder, shape: Any) -> None:
    if getattr(shape, "has_table", False) and shape.has_table:
        builder.table(*header_and_rows([[cell.text for cell in row.cells] for row in shape.table.rows]))
    elif shape.has_text_frame:
        paragraphs = [paragraph for paragraph in shape.text_frame.paragraphs if paragraph.text.strip()]
        if len(paragraphs) > 1:
            builder.items([(paragraph.level, paragraph.text) for paragraph in paragraphs])
        elif paragraphs:
            builder.paragraph(paragraphs[0].text)
