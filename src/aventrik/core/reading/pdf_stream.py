"""PDF in the order of the file's own text, by pypdf: quick, and right where the layout way is misled."""

from __future__ import annotations

import io
import logging
import re
from typing import Any

from ..documents import Document
from ..errors import Unreadable
from .builder import TextBuilder

_END = re.compile(r"[.!?:;][\"'”’)\]]*$")


def read_stream(name: str, data: bytes) -> Document:
    """Text page by page; a paragraph ends at a blank line, or at a short line that ends a sentence."""
    from pypdf import PdfReader
    from pypdf.errors import PyPdfError

    logging.getLogger("pypdf").setLevel(logging.ERROR)
    try:
        reader = PdfReader(io.BytesIO(data))
        if reader.is_encrypted and not reader.decrypt(""):
            raise Unreadable("the PDF is encrypted and wants a password")
        texts = [page.extract_text() for page in reader.pages]
    except (PyPdfError, ValueError, KeyError, TypeError, AttributeError, RecursionError):
        raise Unreadable("the PDF is broken or cut short") from None
    if not texts:
        raise Unreadable("the PDF has no pages")
    builder = TextBuilder()
    starts: list[int] = []
    for text in texts:
        starts.append(builder.next_start)
        for paragraph in _paragraphs(text):
            builder.paragraph(paragraph)
    if not any(text.strip() for text in texts):
        raise Unreadable("the PDF: its pages hold no text")
    meta: dict[str, Any] = {"format": "pdf", "pages": len(texts), "way": "stream"}
    return builder.finish(name, meta=meta, pages=starts)


def _paragraphs(text: str) -> list[str]:
    lines = text.split("\n")
    widest = max((len(line) for line in lines), default=0)
    found: list[list[str]] = [[]]
    for line in lines:
        if not line.strip():
            found.append([])
            continue
        found[-1].append(line.strip())
        if len(line) < 0.75 * widest and _END.search(line.strip()):
            found.append([])
    return [re.sub(r"(?<=[a-z])- (?=[a-z])", "", " ".join(each)) for each in found if each]
