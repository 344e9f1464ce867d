"""Who does the work: an executor maps a stage over keys, in this process or on the workers of Dask.

Work is picklable and small. It names the stage, the configuration, the corpus, the inputs and where results are kept by
their keys, and the store's address: whoever can read the store can do it, here or elsewhere. What it comes to goes into
the store, not back.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

from ...models.calls import Spent
from ...pipeline.resolved import Resolved
from ...storage import Address


@dataclass(frozen=True)
class Home:
    """Where work is done from: the store, the key of the workspace's files in it, what tells this command from others, and
    how many requests each model takes from one worker at a time."""

    store: Address
    files: str = ""
    command: str = ""
    requests: tuple[tuple[str, int], ...] = ()


@dataclass(frozen=True)
class Work:
    """A stage over some keys: `documents` are places in the corpus, and `part` is the name under which another process
    keeps what it makes of them; `questions` name, for each question, the result that holds each input of its scope, and
    `names` the results that are to be kept.

    `condition` is the key of the names that a filter lets pass, "" without one. `fresh` models ask anew whatever the call
    store has. `takes` counts how often what keys stand for has changed during the command. `busy` is how many requests
    the models of the stage take at a time, 0 when none is on a server. `shards` is how many parts the indexes are in, 0
    where they are whole; `shard` is the part that work on questions looks into (−1: all), or that a `step` of making an
    index is about. `account` is what keys are made of (see `Keys.account`): who has something else may not do the work.
    """

    home: Home
    corpus: str
    resolved: Resolved
    node: str
    documents: tuple[int, ...] = ()
    part: str = ""
    questions: tuple[tuple[tuple[str, str], ...], ...] = ()
    names: tuple[str, ...] = ()
    condition: str = ""
    fresh: bool = False
    takes: int = 0
    busy: int = 0
    shards: int = 0
    shard: int = -1
    step: str = ""
    account: Mapping[str, str] = field(default_factory=dict)


@dataclass
class Done:
    """What a piece of work came to: of documents what was made of each, unless it stands under the part's name; of
    questions the digest of each result, and its flaws (see `Kept`). `spent` is what models cost where it
    was done, by their names, when that was elsewhere."""

    rows: list[Any] = field(default_factory=list)
    marks: list[tuple[str, int]] = field(default_factory=list)
    seconds: float = 0.0
    spent: dict[str, Spent] = field(default_factory=dict)


class Executor(Protocol):
    """Maps work over whatever does it."""

    remote: bool  # whether it works in other processes, which see the store alone

    @property
    def width(self) -> int:
        """How many pieces of work are done at the same time."""
        ...

    @property
    def label(self) -> str:
        """Who does it, for the line of progress."""
        ...

    def map(self, work: Iterable[Work]) -> Iterator[Done]:
        """What each piece of work came to, in order."""
        ...

    def close(self) -> None:
        """Lets go of whoever does it."""
        ...
