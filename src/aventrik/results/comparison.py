"""What a comparison of runs comes to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Any

from ..core.comparing.contributions import Contribution, Interaction
from ..core.comparing.draws import Scope
from ..core.comparing.groups import Beaten, Group
from ..core.comparing.intervals import Interval
from ..core.comparing.sides import Board, Contrast, Side, less_is_better, own_measures
from ..core.comparing.spread import MovedQuestion
from ..core.judging.agreement import RaterAgreement as Agreed
from ..core.measures import Measure
from ..corpora.changes import Changes
from ..kept.facets import facets_of
from ..kept.health import RunHealth
from ..kept.known import JudgeReach
from ..kept.provenance import Unexplained
from ..storage.protocols import Run
from .best import Leading

if TYPE_CHECKING:
    import pandas

    from .correction import CorrectedRun

SHOWN = 15  # runs that are shown of many, beside the baseline


@dataclass(frozen=True, eq=False)
class Comparison:
    """All that a comparison shows. Lists are of runs, in the order of `runs`, which are spoken of by their places.

    `twins`: for each run the one that stands for all that came to the same by the same results; `order`: those, the best first;
    `shown`: those of them for which everything was worked out. `scope` says what is inferred to. `apart` says in which respects
    beside their settings the runs differ, `unexplained` with whose values, and `alike` are those that differ from the baseline
    in none that can change the measure; `shared` is the number of questions that all have, `left_out` of each run those that it
    has beside; `evidence_gone` has the ids of questions that are left out because their evidence stands in the documents of
    some runs alone, `documents` what changed from those of the oldest run to those of the newest. `declined` of each run how
    many of how many questions it declined; `untold` of each run the mean share of claims that the judge could not tell;
    `health` what its results rest on. `groups` and `flips` are of the best run against the baseline, or of the second best,
    where that is the best: `against`. `known` has of each judge how far its measures reach by known answers.
    `named`: someone asked for these very columns; `answers_changed`: questions are paired by
    what is searched for, since reference answers were changed between the runs, and measures of answers are of the others.
    """

    runs: list[Run]
    sides: list[Side]
    baseline: int
    measure: str
    measures: list[str]
    twins: list[int]
    order: list[int]
    shown: list[int]
    scored: Board
    means: list[dict[str, Interval]]
    contrasts: list[Contrast]
    contributions: list[Contribution]
    interactions: list[Interaction]
    leading: Leading | None
    against: int
    groups: list[Group]
    beaten: list[Beaten]
    flips: list[MovedQuestion]
    health: list[RunHealth]
    declined: list[tuple[int, int]]
    shared: int
    left_out: list[int]
    evidence_gone: list[str]
    documents: Changes | None
    apart: list[str]
    unexplained: list[Unexplained]
    alike: list[int]
    scope: Scope
    ids: dict[str, str]
    costs: list[dict[str, float]]
    untold: list[float | None]
    bodies: dict[str, Mapping[str, Any]]
    named: bool = False
    answers_changed: bool = False
    pairs: list[Contrast] = field(default_factory=list)
    corrected: dict[int, CorrectedRun] = field(default_factory=dict)
    judges: dict[int, list[tuple[str, str, Agreed]]] = field(default_factory=dict)
    known: list[JudgeReach] = field(default_factory=list)

    def to_pandas(self) -> pandas.DataFrame:
        """A row a run: number, name, its place from the best on (1), the mean of each measure that is shown with its 95 %
        interval, its difference from the baseline by the measure that decides, whether that is real; then its settings."""
        import pandas

        rank = {place: number for number, place in enumerate(self.order, 1)}
        rows = []
        for place, run in enumerate(self.runs):
            row: dict[str, Any] = {"run": run.id, "name": run.name, "rank": rank[self.twins[place]]}
            for name, each in self.means[place].items():
                row.update({name: each.mean, f"{name} low": each.low, f"{name} high": each.high})
            gap = self.by_place.get(self.twins[place])
            row["difference"] = gap.difference.mean if gap else 0.0
            row["real"] = bool(gap and gap.real)
            rows.append({**row, **self.sides[place].settings})
        return pandas.DataFrame(rows)

    @property
    def own(self) -> dict[str, Measure]:
        """The measures of the runs' own criteria."""
        return own_measures(self.sides)

    def explained(self, place: int, other: int) -> bool:
        """Whether two runs differ in nothing that can change the measure, but for their settings."""
        pairs = ((each.values[place], each.values[other]) for each in self.unexplained if each.concerns(self.measure))
        return all(one == another or not one or not another for one, another in pairs)

    @property
    def failures(self) -> list[int]:
        """Of each run how many questions rest on a call that failed."""
        return [each.unsound for each in self.health]

    @property
    def less(self) -> bool:
        """Whether less of the measure is better."""
        return less_is_better(self.measure, self.own)

    @property
    def wordings(self) -> dict[str, str]:
        """The wording of each question, by its key."""
        return {key: str(body["question"]) for key, body in self.bodies.items()}

    @property
    def best(self) -> int:
        """The place of the best run; the first one where none has the measure."""
        return self.leading.best if self.leading else self.order[0]

    @cached_property
    def facets(self) -> dict[str, dict[str, tuple[str, ...]]]:
        """By what the questions can be told apart."""
        return facets_of(self.bodies)

    @cached_property
    def by_place(self) -> dict[int, Contrast]:
        """Each run's difference from the baseline."""
        return {each.place: each for each in self.contrasts}

    @property
    def shown_first(self) -> list[int]:
        """The best of many runs, and the baseline."""
        return first_of(self.order, self.twins[self.baseline])

    def cost(self, name: str, place: int) -> float | None:
        """What a question of a run costs by one measure: seconds by their median, all else by its mean; None where that is
        not known, as what another system spends on models."""
        if name in ("money", "model-tokens") and not self.sides[place].settings:
            return None
        if name == "seconds":
            return self.costs[place].get("seconds_median")
        return self.costs[place][name] if name in self.costs[place] else self.sides[place].sheet.mean(name)

    def folded(self, place: int) -> list[int]:
        """The other runs that came to the same as a run, by the same results."""
        return [other for other, twin in enumerate(self.twins) if twin == place and other != place]


def first_of(order: Sequence[int], baseline: int) -> list[int]:
    """The first of many runs in an order, and the baseline."""
    return [*order[:SHOWN], *([baseline] if baseline not in order[:SHOWN] else [])]
