"""Who does the work: an executor maps a stage over keys. `local` is the only one for now.

Work is picklable. It names the stage, the configuration, the corpus and the inputs by their keys, and the store's
address: whoever can read the store can do it, here or elsewhere.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from ..resolved import Resolved


@dataclass(frozen=True)
class Work:
    """A stage over some keys: `documents` are places in the corpus; `questions` name, for each question, the result
    that holds each input of its scope. `fresh` models ask anew whatever the call store has."""

    workspace: Path
    corpus: str
    resolved: Resolved
    node: str
    documents: tuple[int, ...] = ()
    questions: tuple[tuple[tuple[str, str], ...], ...] = ()
    condition: frozenset[str] | None = None
    fresh: bool = False


class Executor(Protocol):
    """Maps work over whatever does it."""

    def map(self, work: Iterable[Work]) -> Iterator[list[Any]]:
        """The results of each piece of work, in order: an entry a document or question."""
        ...
