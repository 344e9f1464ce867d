"""What a store must do, part by part. All reads take many keys at once; nothing here knows SQL."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Protocol

import numpy as np
import numpy.typing as npt

from ..core.documents import Document
from ..models.calls import CallStore

Progress = Callable[[str, int, int], None]  # what is done, how much of it, of how much


def nothing(what: str, done: int, total: int) -> None:
    """A `Progress` that nobody looks at."""


Columns = dict[str, npt.NDArray]  # what a stage returns for one document: arrays, whose first axis has any length


@dataclass(frozen=True)
class Snapshot:
    """The documents that took part at one time: names in order, and the content key of each."""

    key: str
    names: tuple[str, ...]
    contents: tuple[str, ...]

    def __len__(self) -> int:
        return len(self.names)


FAILED, CUT = 1, 2  # flaws of a result, as bits: a model call failed on the way; a text was cut to fit a model


@dataclass(frozen=True)
class Kept:
    """A stage's result as it is kept: `value` is its record in the codec's form, `digest` names that value; `flaws` is what
    it rests on (see `FAILED`); `cost` is model calls, tokens in, tokens out and money."""

    id: str
    stage: str
    digest: str
    value: bytes
    flaws: int = 0
    seconds: float = 0.0
    cost: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Rate:
    """What a result of a stage took on average: over how many, seconds, model calls, tokens in, tokens out, money."""

    results: int
    seconds: float
    calls: float
    tokens_in: float
    tokens_out: float
    money: float


@dataclass(frozen=True)
class Collection:
    """What a stage made of every document, in the order of the corpus, memory-mapped.

    Document d has rows `ends[name][d]:ends[name][d + 1]` of each column; `members[d]` is its key.
    """

    members: npt.NDArray[np.bytes_]
    columns: Columns
    ends: dict[str, npt.NDArray[np.int64]]

    @property
    def documents(self) -> int:
        """How many documents it is of."""
        return len(next(iter(self.ends.values()))) - 1 if self.ends else 0

    def of(self, place: int) -> Columns:
        """The columns of one document."""
        return {
            name: column[self.ends[name][place] : self.ends[name][place + 1]] for name, column in self.columns.items()
        }


Made = list[Columns] | Collection  # what was made of the next documents: the columns of each, or a part of a collection


@dataclass(frozen=True)
class Gathering:
    """A document on its way into the store: its content, and what is known beside it; without text and parts where these
    are kept already."""

    name: str
    key: str
    title: str
    meta: str
    chars: int
    text: bytes | None
    parts: bytes | None
    report: str


@dataclass(frozen=True)
class FileSeen:
    """A gathered file: the name its document has, and what tells whether it has changed."""

    name: str
    size: int
    mtime: int
    key: str
    reading: str


@dataclass(frozen=True)
class RunQuestion:
    """A question of a run: its own key, by which runs are paired, its body, and the result of each stage."""

    id: str
    key: str
    body: dict[str, Any]
    results: dict[str, str]


RUN_FORMAT = 1  # of what a run keeps of its making


@dataclass(frozen=True)
class Run:
    """A run as it is listed. `made` holds all that made it, `costs` what it took; a run that is not finished has
    no `finished`. `format` is 0 for one that an earlier version of the program made."""

    id: int
    name: str
    testset: str
    made: dict[str, Any]
    questions: int
    started: str
    finished: str
    costs: dict[str, Any]
    label: str = ""
    note: str = ""
    tags: tuple[str, ...] = ()

    @property
    def newer(self) -> bool:
        """Whether a version of the program made it that notes more, or otherwise, than this one knows."""
        made = self.made.get("format", 0) if isinstance(self.made, dict) else None
        return not isinstance(made, int) or made > RUN_FORMAT

    @property
    def stopped(self) -> dict[str, Any]:
        """Where and why a race stopped it: `after` so many questions `of` all, by which `measure`; empty for others."""
        state = self.costs.get("state", {}).get("stopped")
        return dict(state) if state and not self.finished else {}

    @property
    def corpus(self) -> str:
        """The key of the documents that it was made on."""
        return str(self.made.get("corpus", ""))


class DocumentStore(Protocol):
    """Documents by name, their contents by key, and the corpora that runs were made on."""

    def names(self) -> list[str]: ...
    def content_keys(self) -> list[tuple[str, str]]: ...
    def lengths(self) -> list[tuple[str, int]]: ...
    def figures(self) -> tuple[int, int]: ...
    def document(self, name: str) -> Document: ...
    def contents(self, names: Sequence[str], keys: Sequence[str]) -> list[Document]: ...
    def sizes(self, keys: Sequence[str]) -> list[int]: ...
    def details(self) -> Iterator[tuple[str, str, str, dict[str, Any], dict[str, Any]]]: ...
    def files(self) -> dict[str, FileSeen]: ...
    def keep_file(self, path: str, seen: FileSeen) -> None: ...
    def of_file(self, path: str) -> dict[str, str]: ...
    def of_other_files(self, names: Sequence[str], path: str) -> set[str]: ...
    def keep(self, path: str, rows: Sequence[Gathering]) -> None: ...
    def keep_texts(self, rows: Sequence[Gathering]) -> None: ...
    def keep_contents(self, documents: Sequence[Document]) -> None: ...
    def forget(self, names: Sequence[str]) -> None: ...
    def forget_file(self, path: str) -> None: ...
    def keep_snapshot(self, snapshot: Snapshot) -> None: ...
    def snapshot(self, key: str) -> Snapshot: ...


class ResultStore(Protocol):
    """Records of stages by content key. A key can be made anew: the new result stands beside the old one until the
    swap, and what refers to the old one by its id still finds it."""

    def ids(self, keys: Sequence[str]) -> list[str]: ...
    def digests(self, ids: Sequence[str]) -> dict[str, tuple[str, int]]: ...
    def values(self, ids: Sequence[str]) -> dict[str, bytes]: ...
    def costs(self, ids: Sequence[str]) -> dict[str, tuple[float, float, float, float, float]]: ...
    def rates(self) -> dict[str, Rate]: ...
    def keep(self, rows: Sequence[Kept]) -> None: ...
    def drop(self, ids: Sequence[str]) -> None: ...
    def any_takes(self) -> bool: ...
    def next_takes(self, keys: Sequence[str]) -> dict[str, int]: ...
    def swap(self, takes: Mapping[str, int]) -> None: ...


class ArrayStore(Protocol):
    """Files too large for a row, in a folder a key, whole or not there; and parts of collections on their way."""

    def keys(self) -> list[str]: ...
    def take(self, key: str, other: Any) -> None: ...
    def keep_part(self, name: str, rows: Sequence[Columns]) -> None: ...
    def part(self, name: str) -> Collection | None: ...
    def has_part(self, name: str) -> bool: ...
    def drop_parts(self, names: Sequence[str]) -> None: ...

    def folder(self, key: str) -> Path: ...
    def keep(self, key: str, write: Callable[[Path], None]) -> Path: ...
    def collection(self, key: str) -> Collection: ...
    def collect(
        self,
        key: str,
        family: str,
        members: Sequence[str],
        make: Callable[[Sequence[int]], Iterator[Made]],
        earlier: str = "",
        again: Callable[[Columns], bool] | None = None,
    ) -> int: ...


class RunStore(Protocol):
    """Runs, and what each question of theirs came to."""

    def begin(self, identity: str, name: str, testset: str, made: dict[str, Any], questions: int) -> int: ...
    def finish(self, number: int, questions: Sequence[RunQuestion], costs: Mapping[str, Any]) -> None: ...
    def keep(self, number: int, questions: Sequence[RunQuestion], costs: Mapping[str, Any]) -> None: ...
    def sheets(self, numbers: Sequence[int]) -> dict[int, bytes]: ...
    def keep_sheet(self, number: int, body: bytes) -> None: ...
    def finished(self, identity: str) -> int: ...
    def all(self) -> list[Run]: ...
    def questions(self, number: int) -> list[RunQuestion]: ...
    def whole(self, number: int) -> bool: ...
    def results(self, number: int) -> dict[str, dict[str, str]]: ...
    def set(self, number: int, label: str | None = None, note: str | None = None) -> None: ...
    def tag(self, number: int, add: Sequence[str] = (), remove: Sequence[str] = ()) -> None: ...
    def remove(self, number: int) -> None: ...


class Calls(CallStore, Protocol):
    """Finished requests to models."""

    def rates(self) -> dict[str, tuple[int, float, float]]:
        """Of each model how many finished calls are kept, their tokens in and out, and their seconds together."""
        ...

    def forget_failed(self) -> int: ...


@dataclass(frozen=True)
class Contents:
    """What a store holds: counts and bytes by kind."""

    counts: dict[str, int] = field(default_factory=dict)
    bytes: dict[str, int] = field(default_factory=dict)


class DecidedStore(Protocol):
    """What people decided, where the store holds it for all: sheets of rows by name."""

    def sheets(self) -> dict[str, dict[str, str]]: ...
    def change(self, sheet: str, rows: Mapping[str, str], gone: Iterable[str]) -> None: ...


class Limits(Protocol):
    """What is left of the limits of servers, shared by all who use a store."""

    def take(self, name: str, rate: float, amount: float) -> float:
        """Draws on a bucket; returns the seconds to wait until so much may go."""
        ...


class Store(Protocol):
    """All parts together, and what is done with them as a whole."""

    @property
    def address(self) -> Path | str: ...
    @property
    def limits(self) -> Limits: ...
    @property
    def decided(self) -> DecidedStore | None: ...
    @property
    def documents(self) -> DocumentStore: ...
    @property
    def results(self) -> ResultStore: ...
    @property
    def arrays(self) -> ArrayStore: ...
    @property
    def runs(self) -> RunStore: ...
    @property
    def calls(self) -> Calls: ...

    def transaction(self) -> AbstractContextManager[None]: ...
    def holds(self) -> Contents: ...
    def back_up(self, path: Path) -> dict[str, int]: ...
    def restore(self, path: Path) -> dict[str, int]: ...
    def clean(self) -> dict[str, int]: ...
    def damaged(self, progress: Progress = ...) -> list[str]: ...
    @property
    def read_only(self) -> bool: ...
    def before(self) -> list[tuple[str, str, str]]: ...
    def forget_before(self) -> None: ...
    def close(self) -> None: ...
