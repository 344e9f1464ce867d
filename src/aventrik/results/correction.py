"""What judges say of the runs of a comparison, corrected by what people decided on them, and the differences."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from ..core.comparing.correcting import Corrected, difference
from ..core.comparing.draws import Scope
from ..core.comparing.sides import Side
from ..core.errors import BadInput
from ..people.verdicts import LabelledRun, clusters_of, corrections, labelled, sample_of
from ..storage.protocols import Run, Store
from ..workspace.reviews import Reviews


@dataclass(frozen=True)
class CorrectedGap:
    """A run's corrected mean less the baseline's, over the `n` questions that were judged in both, with its interval."""

    mean: float
    low: float
    high: float
    n: int


@dataclass(frozen=True)
class CorrectedRun:
    """A run's means by its judge as people would have them, by measure, and their differences from the baseline's;
    empty where people did not decide on enough of it."""

    means: dict[str, Corrected] = field(default_factory=dict)
    gaps: dict[str, CorrectedGap] = field(default_factory=dict)


def corrected_runs(
    store: Store, runs: Sequence[Run], sides: Sequence[Side], baseline: int, reviews: Reviews, seed: int,
    scope: Scope,
) -> list[CorrectedRun]:  # fmt: skip
    """Each run of a comparison, over the questions of its side."""
    labels = [_labels(store, run, reviews, seed) for run in runs]
    clusters = clusters_of(sides, scope)
    found = []
    for place, (side, some) in enumerate(zip(sides, labels)):
        means: dict[str, Corrected] = {}
        gaps: dict[str, CorrectedGap] = {}
        for what, each in some.items():
            means.update(corrections(each, list(side.scores), clusters))
            if place != baseline and what in labels[baseline]:
                gaps.update(_gaps(each, labels[baseline][what], list(side.scores), clusters))
        found.append(CorrectedRun(means, gaps))
    return found


def _labels(store: Store, run: Run, reviews: Reviews, seed: int) -> dict[str, LabelledRun]:
    found = {}
    for what in reviews.whats(run.testset):
        try:
            some = labelled(sample_of(store, run, what, seed, reviews=reviews), reviews)
            if some.complete:
                found[what] = some
        except BadInput:  # it was judged otherwise when they did
            continue
    return found


def _gaps(
    ours: LabelledRun, theirs: LabelledRun, keys: Sequence[str], clusters: Mapping[str, str] | None
) -> dict[str, CorrectedGap]:
    """The differences over the questions that were judged in both."""
    both = {each.key for each in ours.sample.questions} & {each.key for each in theirs.sample.questions} & set(keys)
    shared = sorted(both)
    one, other = corrections(ours, shared, clusters), corrections(theirs, shared, clusters)
    names = None if clusters is None else [clusters.get(key) or key for key in shared]
    return {
        measure: CorrectedGap(*difference(one[measure], other[measure], names), len(shared)) for measure in one if measure in other
    }  # fmt: skip
