"""What rewriting and reranking did over all questions of a run: read from what it keeps."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from ..core.errors import BadInput
from ..core.reranking import Ranked
from ..core.rewriting.drift import Drift
from ..pipeline.codec import decode
from ..pipeline.stages.retrieval import ChainAccount, Gain, Gains
from ..storage.protocols import Run, RunQuestion, Store
from ..workspace.configuration import Configuration, named_entries


@dataclass(frozen=True)
class RewriteSum:
    """What one rewriting of a run did. `made`: rewrites over all questions; `dropped`: those of them that had drifted;
    `likeness`: the mean, None where there is none; `changed`: rewrites in which a name or figure was lost or added.
    `found`, `lost`: needs that are met only through it, and that it has pushed out, among all candidates; `found_first`,
    `lost_first`: the same among those that a context takes. `seconds` a question, `calls` and `money` in all."""

    name: str
    made: int
    dropped: int
    likeness: float | None
    changed: int
    found: int
    lost: int
    found_first: int
    lost_first: int
    seconds: float
    calls: float
    money: float


@dataclass(frozen=True)
class StepSum:
    """What the list behind a step of a run held on average, "search" before the first. `items` and `tokens` of the whole
    list, `first_tokens` of the items that a context takes; `met` and `met_first`: the share of all needs that these meet;
    `emptied`: questions whose list it left empty; `unfound`: quotes that occur nowhere; `seconds` a question."""

    name: str
    items: float
    tokens: float
    first_tokens: float
    met: float | None
    met_first: float | None
    emptied: int
    unfound: int
    seconds: float
    calls: float
    money: float


@dataclass(frozen=True)
class Chained:
    """A run's rewritings and steps, none where it has none; `questions` and `needs` are how many there are."""

    run: Run
    questions: int
    needs: int
    rewrites: tuple[RewriteSum, ...]
    steps: tuple[StepSum, ...]


def chained(store: Store, run: Run) -> Chained:
    """The sums of a run; raises `BadInput` where some of its results are gone."""
    rows = store.runs.questions(run.id)
    configuration = Configuration.kept(run.made.get("configuration") or {"name": run.name})
    costs = _Costs(store, rows)
    needs = sum(len(row.body.get("needs") or ()) for row in rows)
    rewrites = _rewrites(store, run, rows, configuration, costs) if configuration.rewriting else ()
    steps = _steps(store, run, rows, configuration, costs) if configuration.reranking else ()
    return Chained(run, len(rows), needs, tuple(rewrites), tuple(steps))


class _Costs:
    """What the results of a node took over all questions."""

    def __init__(self, store: Store, rows: Sequence[RunQuestion]) -> None:
        self._rows = rows
        self._costs = store.results.costs(list({found for row in rows for found in row.results.values()}))

    def of(self, node: str) -> tuple[float, float, float]:
        """(seconds a question, calls, money) of a node; a result that several questions share counts for each."""
        found = [self._costs[row.results[node]] for row in self._rows if row.results.get(node) in self._costs]
        sums = [math.fsum(cost[place] for cost in found) for place in (0, 1, 4)]
        return sums[0] / max(1, len(self._rows)), sums[1], sums[2]


def _records(store: Store, run: Run, rows: Sequence[RunQuestion], node: str, kind: type) -> list[Any]:
    """The records of a node, a question each; none where the run has no such node."""
    ids = [row.results[node] for row in rows if node in row.results]
    if len(ids) < len(rows):
        return []
    kept = store.results.values(list(dict.fromkeys(ids)))
    if any(each not in kept for each in ids):
        raise BadInput(f"run {run.id} ({run.name}): some of its results are gone; run it again")
    known = {each: decode(kind, body) for each, body in kept.items()}
    return [known[each] for each in ids]


def _rewrites(
    store: Store, run: Run, rows: Sequence[RunQuestion], configuration: Configuration, costs: _Costs
) -> Iterable[RewriteSum]:
    drifts = _records(store, run, rows, "drift", Drift)
    gains = _records(store, run, rows, "gains", Gains)
    if not drifts:  # a run of an earlier version
        return
    for number, name in enumerate(named_entries(configuration.rewriting, "method"), 1):
        pairs = [
            (each, gain.rewrites[place] if place < len(gain.rewrites) else Gain())
            for drift, gain in zip(drifts, gains or [Gains()] * len(drifts))
            for place, each in enumerate(drift.rewrites)
            if each.origin == number
        ]
        likes = [each.likeness for each, _ in pairs]
        seconds, calls, money = costs.of(f"rewrite {number}")
        yield RewriteSum(
            name=name,
            made=len(pairs),
            dropped=sum(each.dropped for each, _ in pairs),
            likeness=_mean(likes) if likes else None,
            changed=sum(bool(each.lost or each.added) for each, _ in pairs),
            found=sum(len(gain.found) for _, gain in pairs),
            lost=sum(len(gain.lost) for _, gain in pairs),
            found_first=sum(len(gain.found_first) for _, gain in pairs),
            lost_first=sum(len(gain.lost_first) for _, gain in pairs),
            seconds=seconds,
            calls=calls,
            money=money,
        )


def _steps(
    store: Store, run: Run, rows: Sequence[RunQuestion], configuration: Configuration, costs: _Costs
) -> Iterable[StepSum]:
    accounts = _records(store, run, rows, "chain", ChainAccount)
    if not accounts:
        return
    names = ["search", *named_entries(configuration.reranking, "step")]
    for place, name in enumerate(names):
        held = [account.lists[place] for account in accounts]
        ranked = _records(store, run, rows, f"step {place}", Ranked) if place else []
        met = [flag for each in held for flag in each.met]
        first = [flag for each in held for flag in each.met_first]
        before = [account.lists[place - 1] for account in accounts] if place else held
        seconds, calls, money = costs.of(f"step {place}") if place else (0.0, 0.0, 0.0)
        yield StepSum(
            name=name,
            items=_mean([each.items for each in held]),
            tokens=_mean([each.tokens for each in held]),
            first_tokens=_mean([each.first_tokens for each in held]),
            met=_mean(met) if met else None,
            met_first=_mean(first) if first else None,
            emptied=sum(then.items > 0 and not now.items for then, now in zip(before, held)) if place else 0,
            unfound=sum(each.unfound for each in ranked),
            seconds=seconds,
            calls=calls,
            money=money,
        )


def _mean(values: Sequence[float]) -> float:
    return math.fsum(values) / len(values) if values else 0.0
