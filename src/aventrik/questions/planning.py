"""How many questions a test set needs, to show a difference of some size on this corpus."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from ..core.comparing.draws import Scope, scope_of
from ..core.comparing.leaning import USUAL
from ..core.comparing.power import FLIPPED, MOVED, Changes, Plan, changes_of, questions_for, reach_of, smallest_shown
from ..core.comparing.sheet import Sheet, Values
from ..core.errors import BadInput
from ..core.measures import MEASURES, plain
from ..core.testsets import Question
from ..execution.open_workspace import OpenWorkspace
from ..kept.sheets import asked_of
from ..kept.sides import sides_of
from ..storage.protocols import Run
from ..workspace.toml import nearest

CONFIGURATIONS = (2, 8, 40)
_RUNS = 12  # the latest ones that tell how questions change


@dataclass(frozen=True)
class Needed:
    """How many questions show a true difference of a measure with 80 % power, among 2, 8 and 40 configurations: where these
    documents are meant (`these`), and where documents like these are, with as many documents as there are now or would be
    (`like`). `changes`: how questions change from run to run, as `runs` of this workspace tell, or as is usual where that is 0.
    `there`: how many questions a test set has, and `shows` what these show among as many configurations, None for nothing; `scope`
    is what its figures infer to."""

    difference: float
    measure: str
    changes: Changes
    runs: int
    these: tuple[Plan, ...]
    like: tuple[Plan, ...]
    scope: Scope
    there: int = 0
    shows: tuple[float | None, ...] = ()

    def as_json(self) -> dict[str, Any]:
        """The documented shape of `testsets --plan --json`."""
        return asdict(self)


def needed(
    opened: OpenWorkspace, difference: float, questions: Sequence[Question] = (), count: int = 0, measure: str = "hit@5"
) -> Needed:
    """What a difference needs. `questions` are those of a test set that is there; `count` how many one is to have that is not
    drafted yet. Raises `BadInput` for a difference outside 0…1, and a measure that is no share or score."""
    if not 0 < difference < 1:
        raise BadInput(f"--plan: a difference lies between 0 and 1, not {difference:g}")
    known = MEASURES.get(plain(measure))
    if known is None or known.kind not in ("share", "score"):
        raise BadInput(f"--measure: '{measure}' is no share or score{nearest(plain(measure), list(MEASURES))}")
    changes, runs = changes_in(opened, measure)
    if not runs:
        usual = FLIPPED if known.kind == "share" else MOVED
        changes = Changes(usual if known.kind == "share" else 0.5 * usual**0.5, usual)
    corpus = len(opened.corpus.names())
    asked = [asked_of(question) for question in questions]
    scope = scope_of(opened.workspace.settings.statistics.infer, asked, corpus)
    documents = scope.about or min(corpus, count or 100)
    covered = documents / corpus if corpus else 1.0
    there = len(questions) or count
    shows = tuple(smallest_shown(changes, there, reach_of(each - 1)) if there else None for each in CONFIGURATIONS)
    return Needed(
        difference=difference,
        measure=measure,
        changes=changes,
        runs=runs,
        these=tuple(questions_for(difference, changes, each) for each in CONFIGURATIONS),
        like=tuple(questions_for(difference, changes, each, documents, covered, USUAL) for each in CONFIGURATIONS),
        scope=scope,
        there=there,
        shows=shows,
    )


def changes_in(opened: OpenWorkspace, measure: str) -> tuple[Changes, int]:
    """How questions change between two of the latest runs on one test set that differ: the median over all pairs, and of how many
    runs; of the set with the most."""
    by_testset: dict[str, list[Run]] = {}
    for run in opened.store.runs.all():
        if run.finished and not run.newer:
            by_testset.setdefault(run.testset, []).append(run)
    found, most = Changes(0.0, 0.0), 0
    for runs in by_testset.values():
        pairs, count = _pairs([sheet for sheet in _sheets(opened, runs) if sheet.mean(measure) is not None], measure)
        if pairs and count > most:
            found = Changes(*(float(np.median([getattr(each, name) for each in pairs])) for name in ("size", "square")))
            most = count
    return found, most


def _sheets(opened: OpenWorkspace, runs: Sequence[Run]) -> list[Sheet]:
    try:
        return [found.side.sheet for found in sides_of(opened.store, runs[-_RUNS:])]
    except BadInput:  # results of some are gone
        return []


def _pairs(sheets: Sequence[Sheet], measure: str) -> tuple[list[Changes], int]:
    found = []
    for place, one in enumerate(sheets):
        for other in sheets[:place]:
            keys = [key for key in one.keys_in_order if key in other.places]
            gaps: Values = one.narrowed(keys).column(measure) - other.narrowed(keys).column(measure)
            gaps = gaps[np.isfinite(gaps)]
            if len(gaps) and gaps.any():
                found.append(changes_of(gaps))
    return found, len(sheets)
