"""A race: configurations on ever more questions, and those that are clearly worse than the best stop early."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..core.comparing.draws import draws_of, scope_of
from ..core.comparing.leading import Values
from ..core.comparing.racing import go_on, looks
from ..core.comparing.sides import less_is_better
from ..core.errors import BadInput
from ..core.keys import content_key
from ..core.measures import MEASURES, Measure, plain
from ..core.testsets import Question
from ..execution.passing import Passing, PosedQuestions
from ..execution.place import Place
from ..kept.sheets import asked_of, row_of, scores_of
from ..kept.sides import own_measures
from ..pipeline.stage import QUESTION, needed
from ..workspace.configuration import Configuration
from ..workspace.toml import nearest
from .running import Runner, RunOutcome


@dataclass(frozen=True)
class Stopped:
    """A configuration that was stopped after so many questions, with its mean and that of the best one on these; and
    what its other questions would have taken at the most."""

    run: int
    configuration: Configuration
    after: int
    mean: float
    best: float
    results: int
    calls: float
    money: float


@dataclass
class Raced:
    """What a race came to: the runs that went to the end, those that were stopped, after how many questions it was
    looked, and how many results all would have taken."""

    measure: str
    outcomes: list[RunOutcome] = field(default_factory=list)
    stopped: list[Stopped] = field(default_factory=list)
    looks: list[int] = field(default_factory=list)
    results: int = 0

    @property
    def saved(self) -> dict[str, float]:
        """What was not computed, at the most: results (`share` of all), calls and money."""
        results = sum(each.results for each in self.stopped)
        return {
            "results": results,
            "share": results / self.results if self.results else 0.0,
            "calls": sum(each.calls for each in self.stopped),
            "money": sum(each.money for each in self.stopped),
        }


@dataclass
class _Racer:
    """A configuration in the race: its scores so far, in the order in which questions are asked."""

    configuration: Configuration
    place: Place
    scores: list[float] = field(default_factory=list)
    done: Passing | None = None


def race(
    runner: Runner,
    configurations: Sequence[Configuration],
    testset: str,
    questions: Sequence[Question],
    until: str = "",
    measure: str = "hit@5",
    zone: float = 0.0,
) -> Raced:
    """Runs configurations on blocks of the questions, in an order by lot; after each block those stop of which it can be
    told, by the measure, that they are not the best (see `core.comparing.racing`), and all but the first once none can be better
    than it by more than the `zone` of indifference. The others are run to the end.

    Raises `BadInput` for a measure that is no score of a question, or that these runs do not have.
    """
    workspace = runner.opened.workspace
    own = own_measures((each.name, each.less_is_better) for each in workspace.criteria)
    _check(measure, own, workspace.settings.cut_offs)
    return _Race(runner, testset, questions, until, measure, less_is_better(measure, own), zone).run(configurations)


def _check(measure: str, own: Mapping[str, Measure], cut_offs: Sequence[int]) -> None:
    """Raises `BadInput` for a measure that no question will have, or that is no share or score."""
    name, at, k = measure.partition("@")
    known = {**MEASURES, **own}
    if plain(measure) not in known:
        raise BadInput(f"--measure: no measure is named '{measure}'{nearest(name, list(known))}")
    found = known[plain(measure)]
    if found.kind in ("cost", "count"):
        raise BadInput(f"--measure: a race is by a share or a score, and '{measure}' is neither")
    if (found.of == "list") != bool(at) or (at and k not in map(str, cut_offs)):
        told = ", ".join(f"{name}@{cut}" for cut in cut_offs) if found.of == "list" else name
        raise BadInput(f"--measure: '{measure}' is not measured here; {told} is")


class _Race:
    """What all configurations of a race have in common."""

    def __init__(
        self, runner: Runner, testset: str, questions: Sequence[Question], until: str, measure: str, less: bool,
        zone: float,
    ) -> None:  # fmt: skip
        self.runner = runner
        self.testset = testset
        self.questions = questions
        self.until = until
        self.made = Raced(measure, looks=looks(len(questions)))
        settings = runner.opened.workspace.settings
        self._seed = settings.seed
        lot = np.random.default_rng(self._seed).permutation(len(questions))
        self._shuffled = [questions[place] for place in lot.tolist()]
        asked = [asked_of(question) for question in self._shuffled]
        scope = scope_of(settings.statistics.infer, asked, len(runner.opened.corpus.names()))
        self._draws = draws_of(asked, scope)
        self._zone = zone
        self._less = less

    def run(self, configurations: Sequence[Configuration]) -> Raced:
        """All blocks, then the rest of what is left."""
        opened = self.runner.opened
        snapshot = opened.searched(self.questions)
        opened.store.documents.keep_snapshot(snapshot)
        left = [_Racer(each, opened.place(each, self.until, snapshot=snapshot)) for each in configurations]
        names = [each.name for each in configurations]
        keys = [question.key for question in self._shuffled]
        state = {"race": content_key("race", names, self.testset, self.made.measure, keys, self.until)[:12]}
        self.made.results = sum(len(self.questions) * self._nodes(each) for each in left)
        done = 0
        for look, count in enumerate(self.made.looks[:-1]):
            asked = PosedQuestions(self._shuffled[done:count], opened.standing)
            for each in left:
                opened.bench.take_place(each.place)
                passing = self.runner.passing(each.place, asked)
                passing.pass_all()
                each.scores += [_score(each.place, one.ids, self.made.measure) for one in passing.underway]
                each.done = passing if each.done is None else _joined(each.done, passing)
                each.place.rest()
            done = count
            left = self._decided(left, look, state)
            if len(left) == 1:
                break
        for each in left:
            opened.bench.take_place(each.place)
            asked = self.runner.asked(self.questions)
            outcome = self.runner.over(each.place, self.testset, self.questions, asked, self.until, state=state)
            self.made.outcomes.append(outcome)
        return self.made

    def _decided(self, left: list[_Racer], look: int, state: Mapping[str, Any]) -> list[_Racer]:
        """Those that go on after a look; the others are kept as stopped."""
        values: Values = np.array([each.scores for each in left], dtype=np.float64)
        there = np.asarray(np.isfinite(values).all(axis=0), dtype=np.bool_)
        if not there.any():
            if not np.isfinite(values).any() and 2 * values.shape[1] >= len(self.questions):
                raise BadInput(f"--measure: these runs have no measure '{self.made.measure}'")
            return left
        known = values[:, there] * (-1 if self._less else 1)
        draws = self._draws.of(np.flatnonzero(there))
        means = values[:, there].mean(axis=1)
        best = float(means.min() if self._less else means.max())
        kept = go_on(known, draws, look, self.made.looks, self._seed, zone=self._zone).tolist()
        return [
            each for each, on, mean in zip(left, kept, means.tolist()) if on or not self._stop(each, mean, best, state)
        ]

    def _stop(self, each: _Racer, mean: float, best: float, state: Mapping[str, Any]) -> bool:
        """Keeps a run as stopped; not one that stands finished from before, which costs nothing to go on with."""
        assert each.done is not None
        store, done = self.runner.opened.store, each.done
        whole = self.runner.passing(each.place, self.runner.asked(self.questions))
        if store.runs.finished(self.runner.identity(each.place, self.testset, whole, self.until)):
            return False
        after = len(done.underway)
        told = {"measure": self.made.measure, "after": after, "of": len(self.questions), "mean": mean, "best": best}
        number = self.runner.stop(each.place, self.testset, whole, self.until, done, {**state, **told})
        rest = len(self.questions) - after
        ids = [name for one in done.underway for node, name in one.ids.items() if node in each.place.nodes]
        costs = list(store.results.costs(ids).values())
        calls, money = (sum(cost[place] for cost in costs) / after * rest for place in (1, 4))
        stopped = Stopped(
            run=number,
            configuration=each.configuration,
            after=after,
            mean=mean,
            best=best,
            results=self._nodes(each) * rest,
            calls=calls,
            money=money,
        )
        self.made.stopped.append(stopped)
        return True

    def _nodes(self, each: _Racer) -> int:
        """Results that a question of a configuration comes to."""
        return len(list(needed(each.place.nodes, QUESTION)))


def _joined(first: Passing, second: Passing) -> Passing:
    """Two blocks of questions as one."""
    first.underway.extend(second.underway)
    for name, count in second.computed.items():
        first.computed[name] = first.computed.get(name, 0) + count
    for name, seconds in second.seconds.items():
        first.seconds[name] = first.seconds.get(name, 0.0) + seconds
    return first


def _score(place: Place, ids: dict[str, str], measure: str) -> float:
    """A question's score; NaN where it has none."""
    kept: dict[str, Any] = {}
    for node in place.nodes:
        if node in ids and scores_of(node) is not None:
            [kept[ids[node]]] = place.bench.values(node, [ids[node]], place.nodes)
    results = {node: name for node, name in ids.items() if name in kept}
    return float(row_of(results, kept).get(measure, np.nan))
