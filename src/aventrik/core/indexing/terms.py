"""How often each term occurs in each index text, document by document: what keyword indexes are put together from."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from ..text.counting import Vocabulary, count_terms

Columns = dict[str, npt.NDArray]


def count(documents: Sequence[Sequence[str]]) -> list[Columns]:
    """The terms of each document's texts.

    `vocabulary` (uint64, ascending): the hashes of the terms of the document; `sizes` (int32): for each text how many
    different terms it has; `terms` and `counts` (int32): for each of them, text by text, its place in the vocabulary
    and how often it occurs.
    """
    vocabulary = Vocabulary()
    table = count_terms((text for texts in documents for text in texts), vocabulary)
    hashes = vocabulary.hashes()
    made: list[Columns] = []
    row = 0
    for texts in documents:
        left, right = int(table.indptr[row]), int(table.indptr[row + len(texts)])
        marks = hashes[table.indices[left:right]] if right > left else np.zeros(0, np.uint64)
        own, places = np.unique(marks, return_inverse=True)
        made.append(
            {
                "vocabulary": own.astype(np.uint64, copy=False),
                "sizes": np.diff(table.indptr[row : row + len(texts) + 1]).astype(np.int32),
                "terms": places.astype(np.int32),
                "counts": table.data[left:right].astype(np.int32),
            }
        )
        row += len(texts)
    return made


def table_of(columns: Columns, ends: dict[str, npt.NDArray[np.int64]], hashes: npt.NDArray[np.uint64]) -> Any:
    """A SciPy CSR table (texts, terms) of int32 counts, from the columns of all documents; `hashes` (ascending) are the
    terms of the columns of the table, and hold all of the vocabularies'."""
    from scipy.sparse import csr_matrix

    number = np.searchsorted(hashes, columns["vocabulary"])
    first = np.repeat(ends["vocabulary"][:-1], np.diff(ends["terms"]))
    indices = number[first + columns["terms"]].astype(np.int32)
    texts = np.concatenate(([0], np.cumsum(columns["sizes"], dtype=np.int64)))
    shape = (len(texts) - 1, max(1, len(hashes)))
    return csr_matrix((np.asarray(columns["counts"]), indices, texts), shape=shape)
