"""What filters can speak of: each document's name, title, metadata and labels."""

from __future__ import annotations

from typing import Any

from ..core.searching.filters import check, parse, passes
from .corpus import Corpus


def fields_of(corpus: Corpus, left_out: bool = False) -> dict[str, dict[str, Any]]:
    """The fields of each document, by its name."""
    labels = corpus.workspace.labels.rows
    names = set(corpus.names(left_out))
    rows: dict[str, dict[str, Any]] = {}
    for name, title, meta in corpus.meta():
        if name in names:
            given = {column: value for column, value in labels.get(name, {}).items() if value}
            rows[name] = {"document": name, "title": title, **given, **meta}
    return rows


def passed(corpus: Corpus, where: str, left_out: bool = False) -> frozenset[str]:
    """Names of the documents that a condition lets pass; those that were left out only when asked for.

    Fields are `document` (its name), `title`, the labels of labels.csv, and the metadata, which wins over these.
    Raises `BadInput` for a condition that can't be understood, a field that no document has, or a value of a type that
    the field never has.
    """
    condition = parse(where)
    rows = fields_of(corpus, left_out)
    check(where, rows.values())
    return frozenset(name for name, row in rows.items() if passes(condition, row))
