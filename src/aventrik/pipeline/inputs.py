"""What a stage is handed, and all that it can reach."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ..core.documents import Document

Progress = Callable[[str, int, int], None]


def nothing(stage: str, done: int, total: int) -> None:
    """No progress is shown."""


@dataclass(frozen=True)
class Given:
    """The inputs that a stage declares, the settings that it reads, and its models by what it calls them.

    An input of the stage's own scope is a list, an entry a document or question; one of a wider scope is the thing
    itself: a chunk table, an index. One that the configuration does not have is None. What is not declared raises
    KeyError. `key` is that of what is being made.
    """

    settings: Any
    inputs: Mapping[str, Any]
    models: Mapping[str, Any] = field(default_factory=dict)
    key: str = ""
    progress: Progress = lambda stage, done, total: None
    shard: tuple[int, int] | None = None  # its number and how many there are, where this is for one alone

    def __getitem__(self, name: str) -> Any:
        return self.inputs[name]


class Documents:
    """The documents of a corpus by name, as they were when it was taken; fetched when they are asked for. `names` are
    all there are."""

    def __init__(
        self,
        fetch: Callable[[str], Document],
        bring: Callable[[Iterable[str]], None] = lambda names: None,
        names: Sequence[str] = (),
    ) -> None:
        self.names = names
        self._fetch = fetch
        self._bring = bring

    def __getitem__(self, name: str) -> Document:
        return self._fetch(name)

    def bring(self, names: Iterable[str]) -> None:
        """Fetches those together that are about to be asked for, which is quicker than one at a time."""
        self._bring(names)


class Texts:
    """The texts that a stage makes of every document, in order, made anew each time they are gone through."""

    def __init__(self, count: int, each: Callable[[], Iterator[str]]) -> None:
        self._count = count
        self._each = each

    def __len__(self) -> int:
        return self._count

    def __iter__(self) -> Iterator[str]:
        return self._each()
