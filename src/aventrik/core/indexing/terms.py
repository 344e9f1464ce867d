"""How often each term occurs in each index text, document by document: what keyword indexes are put together from."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from ..text.counting import Vocabulary, count_terms
from ..text.languages import AUTO, ENGLISH, NUMBERED, language_of

Columns = dict[str, npt.NDArray]

_HEAD = 20_000  # characters of a document by which its language is told


def count(documents: Sequence[Sequence[str]], language: str = AUTO) -> list[Columns]:
    """The terms of each document's texts, stemmed in `language`: "auto" for that of each document, as far as it can be
    told, and English else; "none" for words as they stand.

    `vocabulary` (uint64, ascending): the hashes of the terms of the document; `sizes` (int32): for each text how many
    different terms it has; `terms` and `counts` (int32): for each of them, text by text, its place in the vocabulary
    and how often it occurs; `language` (int16, one): the number of the language, −1 for none.
    """
    spoken = [_language(texts) if language == AUTO else language for texts in documents]
    made: list[Columns] = [{} for _ in documents]
    for each in dict.fromkeys(spoken):
        places = [place for place, other in enumerate(spoken) if other == each]
        for place, columns in zip(places, _counted([documents[place] for place in places], each)):
            made[place] = columns
    return made


def _language(texts: Sequence[str]) -> str:
    """The language of a document by the beginnings of its texts."""
    head: list[str] = []
    size = 0
    for text in texts:
        head.append(text)
        size += len(text)
        if size >= _HEAD:
            break
    return language_of("\n".join(head)[:_HEAD]) or ENGLISH


def _counted(documents: Sequence[Sequence[str]], language: str) -> list[Columns]:
    vocabulary = Vocabulary(language=language)
    table = count_terms((text for texts in documents for text in texts), vocabulary)
    hashes = vocabulary.hashes()
    number = NUMBERED.index(language) if language in NUMBERED else -1
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
                "language": np.array([number], dtype=np.int16),
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
