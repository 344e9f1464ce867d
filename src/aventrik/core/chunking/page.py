"""Chunks that are pages; one too long is cut between paragraphs."""

from __future__ import annotations

import itertools

from .paragraph import packed
from .table import Chunk
from .units import CutSource


def cut(source: CutSource) -> list[Chunk]:
    """The pages of the document; a document without pages is one. No chunk reaches over the end of a page."""
    starts = sorted({page.start for page in source.document.of_kind("page")} - {0})
    edges = [0, *starts, len(source.text)]
    return [(found,) for a, b in itertools.pairwise(edges) for found in packed(source, a, b)]
