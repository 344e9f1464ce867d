"""The reading report of a document: how much came out of it, and signs that it came out badly."""

from __future__ import annotations

import re
from typing import Any

from ..documents import Document

_ODD = re.compile(r"\(cid:\d+\)|[\ufffd\ue000-\uf8ff\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f]")
_THIN_PAGE = 40  # characters below which a page holds hardly any text


def reading_figures(document: Document) -> dict[str, Any]:
    """Pages, characters, words, tables, headings; `odd`: share of characters that look like a wrong decoding
    (0 to 1); `thin_pages`: numbers of pages with fewer than 40 characters; and warnings in plain words."""
    pages = document.of_kind("page")
    thin = [int(page.label) for page in pages if len(document.text[page.start : page.end].strip()) < _THIN_PAGE]
    odd = sum(len(found[0]) for found in _ODD.finditer(document.text)) / max(1, len(document.text))
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
        "tables": len(document.of_kind("table")),
        "headings": len(document.headings),
        "odd": round(odd, 4),
        "thin_pages": thin,
        "warnings": warnings,
    }
