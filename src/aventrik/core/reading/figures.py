"""The reading report of a document: how much came out of it, and signs that it came out badly."""

from __future__ import annotations

import re
from collections import Counter
from operator import itemgetter
from typing import Any

import numpy as np

from ..documents import Document

_CID = re.compile(r"\(cid:\d+\)")  # what a PDF reader writes for a glyph without a character
_CONTROL = bytes([*range(9), 11, 12, *range(14, 32), 127])
_THIN_PAGE = 40  # characters below which a page holds hardly any text


def _odd(text: str) -> int:
    """How many characters look like a wrong decoding: control and private ones, replacements, and (cid:N)."""
    glyphs = sum(len(found) for found in _CID.findall(text)) if "(cid:" in text else 0
    if text.isascii():
        body = text.encode("ascii")
        return glyphs + len(body) - len(body.translate(None, _CONTROL))
    codes = np.frombuffer(text.encode("utf-32-le", "surrogatepass"), dtype="<u4")
    wrong = (codes < 32) & (codes != 9) & (codes != 10) & (codes != 13)
    wrong |= (codes >= 0x7F) & (codes <= 0x9F)
    wrong |= (codes >= 0xE000) & (codes <= 0xF8FF)
    return glyphs + int(np.count_nonzero(wrong)) + text.count("\ufffd")


def reading_figures(document: Document) -> dict[str, Any]:
    """Pages, characters, words, tables, headings; `odd`: share of characters that look like a wrong decoding
    (0 to 1); `thin_pages`: numbers of pages with fewer than 40 characters; and warnings in plain words."""
    kinds = Counter(map(itemgetter(0), document.parts))
    pages = document.of_kind("page") if kinds["page"] else []
    thin = [int(page.label) for page in pages if len(document.text[page.start : page.end].strip()) < _THIN_PAGE]
    odd = _odd(document.text) / max(1, len(document.text))
    warnings = []
    if odd > 0.01:
        warnings.append(f"{odd:.0%} odd characters")
    if pages and len(thin) > max(1, len(pages) // 5):
        warnings.append(f"{len(thin)} of {len(pages)} pages hold hardly any text (scans?)")
    if document.meta.get("ragged_rows"):
        warnings.append(f"{document.meta['ragged_rows']} rows are longer or shorter than the header")
    return {
        "pages": len(pages),
        "chars": len(document.text),
        "words": len(document.text.split()),
        "tables": kinds["table"],
        "headings": kinds["heading"],
        "odd": round(odd, 4),
        "thin_pages": thin,
        "warnings": warnings,
    }
