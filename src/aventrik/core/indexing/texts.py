"""Texts that a model writes about chunks, to be matched in their place. Several may lead to one chunk."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from ..protocols import LanguageModel, Task

# what is matched for a chunk: the task that a model does for it
KINDS = {"chunk": "", "summary": "summary", "facts": "facts", "questions": "asked"}


def write(
    documents: Sequence[Sequence[tuple[str, Sequence[str]]]], kind: str, writer: LanguageModel
) -> list[dict[str, npt.NDArray]]:
    """The index texts of each document's chunks, a chunk given as (text, title and headings), as columns.

    `owner` (int32, ascending): the chunk, counted in the document, that each text leads to; `body` (UTF-8 bytes) and
    `sizes` (int64): the texts; `failed` (uint8): of each chunk, 1 where the writer gave no reply that fits. A chunk
    about which it says nothing, or fails, is matched by its own text.
    """
    tasks = [
        Task(KINDS[kind], {"title": source[0] if source else "", "headings": list(source[1:]), "passage": text})
        for chunks in documents
        for text, source in chunks
    ]
    replies = iter(writer.perform(tasks))
    return [_columns(chunks, kind, [next(replies).value for _ in chunks]) for chunks in documents]


def _columns(
    chunks: Sequence[tuple[str, Sequence[str]]], kind: str, values: Sequence[dict[str, Any] | None]
) -> dict[str, npt.NDArray]:
    owner: list[int] = []
    bodies: list[bytes] = []
    for number, ((text, _), value) in enumerate(zip(chunks, values)):
        written = _texts_of(kind, value) or [text]
        owner.extend([number] * len(written))
        bodies.extend(each.encode("utf-8", "surrogatepass") for each in written)
    return {
        "owner": np.array(owner, dtype=np.int32),
        "body": np.frombuffer(b"".join(bodies), dtype=np.uint8),
        "sizes": np.array([len(body) for body in bodies], dtype=np.int64),
        "failed": np.array([value is None for value in values], dtype=np.uint8),
    }


def texts_from(columns: dict[str, npt.NDArray]) -> list[tuple[int, str]]:
    """(chunk in the document, text) of one document's columns."""
    body = columns["body"].tobytes()
    ends = np.cumsum(columns["sizes"]).tolist()
    starts = [0, *ends[:-1]]
    return [
        (owner, body[start:end].decode("utf-8", "surrogatepass"))
        for owner, start, end in zip(columns["owner"].tolist(), starts, ends)
    ]


def owners(columns: dict[str, npt.NDArray], ends: dict[str, npt.NDArray[np.int64]]) -> npt.NDArray[np.int32]:
    """The chunk of each index text, counted over all documents, from their columns laid end to end."""
    before = np.repeat(ends["failed"][:-1], np.diff(ends["owner"]))
    return (columns["owner"] + before).astype(np.int32)


def _texts_of(kind: str, value: dict[str, Any] | None) -> list[str]:
    """The texts in a writer's record, without empty ones and repeats."""
    if value is None:
        return []
    found = {
        "summary": lambda: [value["summary"]],
        "facts": lambda: value["facts"],
        "questions": lambda: value["questions"],
    }
    return list(dict.fromkeys(text.strip() for text in found[kind]() if text.strip()))
