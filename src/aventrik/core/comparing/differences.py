"""Differences of runs on the same questions, tested together: interval, test, and what the set could show at all."""

from __future__ import annotations

from collections.abc import Container, Sequence
from dataclasses import dataclass, replace

import numpy as np

from .draws import EACH, Draws
from .intervals import Values, checked, design_effect, grouped
from .leaning import Leaning, leaning, no_leaning
from .power import changes_of, smallest_shown
from .simultaneous import ALPHA, Together, together

__all__ = ["ALPHA", "Difference", "paired_difference", "paired_differences"]


@dataclass(frozen=True)
class Difference:
    """Mean of the paired differences (other minus baseline) with interval and p-values.

    `p` is of this difference alone, `corrected` of all that are tested `together`; the interval holds for all of these with 95 %,
    and leaves 0 out just where `corrected` is below 5 %. `same`: every paired difference is 0. `smallest`: the least true
    difference that such a set shows with 80 % power among so many; None where it can show none, or, without `known`, where that
    was not worked out. `n` questions are `draws` draws, about `documents` documents where these are drawn too (else 0).
    """

    mean: float
    low: float
    high: float
    p: float
    n: int
    test: str
    smallest: float | None
    same: bool
    documents: int = 0
    known: bool = False
    corrected: float = 1.0
    together: int = 1
    draws: int = 0

    @property
    def real(self) -> bool:
        """Whether it is shown, with all that it is tested together with."""
        return self.corrected < ALPHA


def paired_difference(
    other: Sequence[float],
    baseline: Sequence[float],
    kind: str = "score",
    documents: Sequence[str] | None = None,
    seed: int = 0,
) -> Difference:
    """The difference of two runs on the same questions, in the same order; with `documents`, the name of each question's,
    documents are drawn too (see `draws`)."""
    ours, theirs = checked(other, kind), checked(baseline, kind)
    if len(ours) != len(theirs):
        raise ValueError(f"paired values must be as many: {len(ours)} and {len(theirs)}")
    draws = EACH if documents is None else Draws(documents=grouped(documents))
    [found] = paired_differences(ours[None, :], theirs, kind, draws, seed, power=range(1))
    assert found is not None
    return found


def paired_differences(
    others: Values,
    baseline: Values,
    kind: str = "score",
    draws: Draws = EACH,
    seed: int = 0,
    runs: Values | None = None,
    power: Container[int] = (),
) -> list[Difference | None]:
    """The same of many runs at once: `others` of shape (runs, questions), `baseline` of that shape or of (questions,), NaN
    where a question has no value; None for a run that shares no question. All are tested together (see `simultaneous`).

    `runs` are the scores of all runs that are compared, from which it is told how much questions of a document lean on each
    other; `power` has the places of the rows for which the smallest difference that could be shown is worked out.
    """
    gaps = others - baseline
    there = np.isfinite(gaps)
    n = there.sum(axis=1)
    leans = leaning(gaps, draws, runs) if draws.documents is not None else no_leaning(len(gaps))
    tested = together(gaps, kind, draws.units, leans, seed)
    family = int((n > 0).sum())
    found: list[Difference | None] = []
    for row in range(len(gaps)):
        if not n[row]:
            found.append(None)
            continue
        values = gaps[row][there[row]]
        here = draws.of(there[row])
        made = _made(values, here, tested, row, family)
        if row in power and not made.same:
            made = replace(made, smallest=smallest_of(values, kind, here, leans, row, tested.reach), known=True)
        found.append(made)
    return found


def _made(values: Values, here: Draws, tested: Together, row: int, family: int) -> Difference:
    same = not values.any()
    return Difference(
        mean=0.0 if same else float(values.mean()),
        low=float(tested.low[row]),
        high=float(tested.high[row]),
        p=float(tested.alone[row]),
        n=len(values),
        test="none: all equal" if same else "sign flips",
        smallest=None,
        same=same,
        documents=here.document_count,
        corrected=float(tested.p[row]),
        together=family,
        draws=here.count(len(values)),
    )


def smallest_of(values: Values, kind: str, here: Draws, leans: Leaning, row: int, reach: float) -> float | None:
    """The least true difference that these questions show with 80 % power, where a statistic must exceed `reach`."""
    worth = len(values) / (float(leans.effect[row]) * design_effect(values, here.units))
    most = 1.0 if kind in ("share", "score") else 100 * float(np.abs(values).max())
    return smallest_shown(
        changes_of(values), worth, reach, float(leans.freedom[row]), here.count(len(values)), most=most
    )
