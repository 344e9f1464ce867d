"""Runs side by side: means with intervals, paired differences from a baseline, what each setting contributed."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from .measures.loss import STAGES
from .statistics import Difference, Interval, holm, interval, paired_difference

# Measures where less is better; all others are better when higher.
LESS_IS_BETTER = (
    "hallucinated",
    "contradicted-claims",
    "unfound-claims",
    "declined-wrongly",
    "context-tokens",
    "tokens@",
)
REAL = 0.05

Scores = Mapping[str, Mapping[str, float]]  # question id → measure → score


@dataclass(frozen=True)
class Side:
    """One run as it is compared: its settings by dotted name, scores a question, and where needs were lost."""

    name: str
    settings: Mapping[str, Any]
    scores: Scores
    lost: Mapping[str, Sequence[str]]


@dataclass(frozen=True)
class Contrast:
    """One run against the baseline on one measure; `p` is corrected (Holm) over all runs compared."""

    name: str
    measure: str
    difference: Difference
    p: float

    @property
    def real(self) -> bool:
        return self.p < REAL


@dataclass(frozen=True)
class Contribution:
    """A setting's value against its most frequent one, over all pairs of runs that agree in every other setting."""

    setting: str
    value: str
    instead_of: str
    pairs: int
    difference: Difference


def less_is_better(measure: str) -> bool:
    """Whether a lower score of this measure is the better one."""
    return measure.startswith(LESS_IS_BETTER)


def means(sides: Sequence[Side], measures: Sequence[str], seed: int = 0) -> list[dict[str, Interval]]:
    """For each run the interval of each measure, over the questions that have it; absent where none has."""
    found = []
    for side in sides:
        row: dict[str, Interval] = {}
        for measure in measures:
            values = [scores[measure] for scores in side.scores.values() if measure in scores]
            if values:
                row[measure] = interval(values, seed)
        found.append(row)
    return found


def best_of(rows: Sequence[Mapping[str, Interval]], measure: str) -> set[int]:
    """Places of the runs with the best mean, several when equal to 1e-9; none when all runs are equal."""
    have = {place: row[measure].mean for place, row in enumerate(rows) if measure in row}
    if not have:
        return set()
    top = min(have.values()) if less_is_better(measure) else max(have.values())
    best = {place for place, mean in have.items() if abs(mean - top) < 1e-9}
    return best if len(best) < len(have) or len(have) == 1 else set()


def contrasts(sides: Sequence[Side], baseline: int, measure: str, seed: int = 0) -> list[Contrast]:
    """Every other run against the baseline, on the questions that both have a score for."""
    found: list[tuple[str, Difference]] = []
    for place, side in enumerate(sides):
        pair = _paired(side.scores, sides[baseline].scores, measure) if place != baseline else None
        if pair:
            found.append((side.name, paired_difference(*pair, seed)))
    corrected = holm([difference.p for _, difference in found])
    return [Contrast(name, measure, gap, p) for (name, gap), p in zip(found, corrected)]


def _paired(ours: Scores, theirs: Scores, measure: str) -> tuple[list[float], list[float]] | None:
    shared = [q for q in ours if measure in ours[q] and measure in theirs.get(q, {})]
    if not shared:
        return None
    return [ours[q][measure] for q in shared], [theirs[q][measure] for q in shared]


def contributions(sides: Sequence[Side], measure: str, seed: int = 0) -> list[Contribution]:
    """What each setting that varies contributed: the mean paired difference between its values.

    For each question the difference is averaged over the pairs of runs that differ in this setting alone; the
    interval and test are over questions.
    """
    names = sorted({name for side in sides for name in side.settings})
    found: list[Contribution] = []
    for name in names:
        counts = Counter(_said(side.settings.get(name)) for side in sides)
        usual = max(counts, key=lambda value: counts[value])
        for value in counts:
            pairs = [
                (ours, theirs)
                for ours in sides
                for theirs in sides
                if _said(ours.settings.get(name)) == value != usual
                and _said(theirs.settings.get(name)) == usual
                and all(ours.settings.get(other) == theirs.settings.get(other) for other in names if other != name)
            ]
            difference = _averaged(pairs, measure, seed)
            if difference:
                found.append(Contribution(name, value, usual, len(pairs), difference))
    return found


def _averaged(pairs: Sequence[tuple[Side, Side]], measure: str, seed: int) -> Difference | None:
    if not pairs:
        return None
    questions = [
        q for q in pairs[0][0].scores if all(measure in side.scores.get(q, {}) for pair in pairs for side in pair)
    ]
    if not questions:
        return None
    ours = [sum(pair[0].scores[q][measure] for pair in pairs) / len(pairs) for q in questions]
    theirs = [sum(pair[1].scores[q][measure] for pair in pairs) / len(pairs) for q in questions]
    return paired_difference(ours, theirs, seed)


def _said(value: Any) -> str:
    if isinstance(value, (list, tuple)):
        return (
            "+".join(str(step.get("step", step)) if isinstance(step, dict) else str(step) for step in value) or "none"
        )
    return str(value)


def losses(side: Side) -> dict[str, int]:
    """How many needs of all questions were lost at each stage, 'answered' last; stages in order, zeros too."""
    counts = Counter(stage for stages in side.lost.values() for stage in stages)
    return {stage: counts.get(stage, 0) for stage in STAGES}


def worst_question(side: Side, measure: str) -> str | None:
    """The question that scores worst on a measure (of several the one whose evidence was lost first)."""
    have = [q for q, scores in side.scores.items() if measure in scores and side.lost.get(q)]
    if not have:
        return None
    sign = -1 if less_is_better(measure) else 1

    def badness(question: str) -> tuple[float, int, str]:
        stage = min(STAGES.index(stage) for stage in side.lost[question])
        return (sign * side.scores[question][measure], stage, question)

    return min(have, key=badness)
