"""What is matched for chunks: their own text, or texts that a model writes about them. Several may lead to one chunk."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from ..tasks import LanguageModel, Task

_AT_ONCE = 64


@dataclass(frozen=True)
class IndexTexts:
    """`count` texts; `owner[i]` (int32, ascending) is the chunk of text i, None when that is chunk i.

    `failed` counts the chunks for which the writer gave nothing, and which are matched by their own text.
    """

    count: int
    text: Callable[[int], str]
    owner: npt.NDArray[np.int32] | None = None
    failed: int = 0

    def __len__(self) -> int:
        return self.count

    def chunk(self, number: int) -> int:
        """The chunk that a text leads to."""
        return number if self.owner is None else int(self.owner[number])

    @classmethod
    def from_arrays(cls, arrays: dict[str, npt.NDArray]) -> IndexTexts:
        """From the columns that `written_texts` gives: `owner`, `body` (UTF-8 bytes), `ends` and `failed`."""
        ends, body = arrays["ends"], arrays["body"]

        def text(number: int) -> str:
            start = int(ends[number - 1]) if number else 0
            return body[start : int(ends[number])].tobytes().decode("utf-8", "surrogatepass")

        return cls(len(ends), text, arrays["owner"], int(arrays["failed"][0]))


def written_texts(
    chunks: Iterable[tuple[str, Sequence[str]]],
    count: int,
    kind: str,
    writer: LanguageModel,
    progress: Callable[[str, int, int], None],
) -> dict[str, npt.NDArray]:
    """The index texts of `count` chunks, each given as (text, title and headings), as columns for storage.

    A chunk about which the writer says nothing, or fails, is matched by its own text.
    """
    owner: list[int] = []
    bodies: list[bytes] = []
    failed = 0
    waiting = iter(enumerate(chunks))
    while batch := list(itertools.islice(waiting, _AT_ONCE)):
        progress("texts", batch[0][0], count)
        tasks = [
            Task(kind, {"title": source[0] if source else "", "headings": list(source[1:]), "passage": text})
            for _, (text, source) in batch
        ]
        for (number, (text, _)), reply in zip(batch, writer.perform(tasks)):
            failed += reply.value is None
            written = _texts_of(kind, reply.value) or [text]
            owner.extend([number] * len(written))
            bodies.extend(each.encode("utf-8", "surrogatepass") for each in written)
    return {
        "owner": np.array(owner, dtype=np.int32),
        "body": np.frombuffer(b"".join(bodies), dtype=np.uint8),
        "ends": np.cumsum([len(body) for body in bodies], dtype=np.int64),
        "failed": np.array([failed], dtype=np.int64),
    }


def _texts_of(kind: str, value: dict[str, Any] | None) -> list[str]:
    """The texts in a writer's record, without empty ones and repeats."""
    if value is None:
        return []
    found = {
        "summary": lambda: [value["summary"]],
        "facts": lambda: value["facts"],
        "questions": lambda: [row["question"] for row in value["questions"]],
    }[kind]()
    return list(dict.fromkeys(text.strip() for text in found if text.strip()))
