"""What was asked of models and what it cost; where replies are kept is up to a `CallStore`."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol

COUNTED = ("calls", "kept", "failed", "tokens_in", "tokens_out", "money")
WHOLE = ("whole_calls", "whole_tokens_in", "whole_tokens_out", "whole_money")
CUT = "a text was cut to fit the embedding model"
CUT_PASSAGE = "a passage was cut to fit the reranking model"
POOLED = "the embedding server gave a vector for each token, and their mean was taken"


@dataclass(frozen=True)
class Call:
    """One finished request: the reply's text (or vector), or why it failed."""

    key: str
    model: str
    task: str
    request: Any
    reply: Any
    failure: str = ""
    tokens_in: int = 0
    tokens_out: int = 0
    money: float = 0.0
    seconds: float = 0.0
    attempts: int = 1


class CallStore(Protocol):
    """Keeps finished calls under their keys."""

    def find(self, keys: Sequence[str]) -> dict[str, Call]:
        """Those calls of the keys that are kept."""
        ...

    def keep(self, calls: Sequence[Call]) -> None:
        """Keeps calls, all or none."""
        ...

    def claim(self, keys: Sequence[str]) -> set[str]:
        """Takes calls on: those of the keys that no other process is making now."""
        ...

    def release(self, keys: Sequence[str]) -> None:
        """Gives back what was taken on."""
        ...


def turns(
    calls: CallStore, keys: Sequence[str], at_once: int, waiting: Callable[[int], None] = lambda count: None
) -> Iterator[tuple[list[str], dict[str, Call]]]:
    """Who makes which of the missing calls, where several processes may want the same: gives, some at a time, those that
    are to be made here before the next are asked for, and those that others have made meanwhile, until none is left.

    What is being made elsewhere is waited for; when its maker ends without having kept it, it is made here. `waiting` is
    told how many are waited for.
    """
    left = list(keys)
    pause = _FIRST_PAUSE
    while left:
        others: list[str] = []
        for first in range(0, len(left), at_once):
            some = left[first : first + at_once]
            mine = calls.claim(some)
            try:
                # Asked after the claim: what was kept and given back in between is there, and not made again.
                found = calls.find(some)
                todo = [key for key in some if key in mine and key not in found]
                others.extend(key for key in some if key not in mine and key not in found)
                yield todo, found
            finally:
                calls.release(sorted(mine))
        if len(others) == len(left):
            waiting(len(others))
            time.sleep(pause)
            pause = min(_LONGEST_PAUSE, pause * 1.5)
        else:
            pause = _FIRST_PAUSE
        left = others


_FIRST_PAUSE = 0.05  # seconds before what another process makes is looked for again
_LONGEST_PAUSE = 1.0


class Memory:
    """A `CallStore` that forgets at the end of the process."""

    def __init__(self) -> None:
        self.calls: dict[str, Call] = {}

    def find(self, keys: Sequence[str]) -> dict[str, Call]:
        """Those calls of the keys that are kept."""
        return {key: self.calls[key] for key in keys if key in self.calls}

    def keep(self, calls: Sequence[Call]) -> None:
        """Keeps calls."""
        self.calls.update({call.key: call for call in calls})

    def claim(self, keys: Sequence[str]) -> set[str]:
        """All of them: there is nobody else."""
        return set(keys)

    def release(self, keys: Sequence[str]) -> None:
        """Nothing to give back."""


@dataclass
class Spent:
    """What a model has cost so far in this process; `kept` counts replies that came from the call store.

    `whole_...` is what all replies that were used cost when they were made, in this process or before: what the work
    costs, whoever paid for it.
    """

    calls: int = 0
    kept: int = 0
    failed: int = 0
    tokens_in: int = 0
    tokens_out: int = 0
    money: float = 0.0
    whole_calls: float = 0.0
    whole_tokens_in: float = 0.0
    whole_tokens_out: float = 0.0
    whole_money: float = 0.0
    notes: dict[str, int] = field(default_factory=dict)

    def used(self, call: Call, share: float = 1.0) -> None:
        """Counts a reply that was made use of; `share` is its part of a request for several."""
        self.whole_calls += share
        self.whole_tokens_in += call.tokens_in
        self.whole_tokens_out += call.tokens_out
        self.whole_money += call.money

    def add(self, call: Call) -> None:
        """Counts a call that was made."""
        self.calls += 1
        self.failed += bool(call.failure)
        self.tokens_in += call.tokens_in
        self.tokens_out += call.tokens_out
        self.money += call.money
