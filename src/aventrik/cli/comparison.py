"""The comparison of runs as it is shown by `compare` and at the end of the demo."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

from rich.text import Text

from ..core.comparing import (
    Contrast,
    Contribution,
    Side,
    best_of,
    contrasts,
    contributions,
    less_is_better,
    losses,
    means,
    worst_question,
)
from ..core.errors import BadInput
from ..core.measures.loss import STAGES
from ..core.statistics import Difference, Interval
from ..engine.comparing import failures_of, side_of
from ..workspace.runs import Run, Runs
from ..workspace.toml import nearest
from ..workspace.workspace import Workspace
from .screen import Screen, number

_COLUMNS = ("hit@{k}", "reciprocal-rank", "ndcg@{k}", "density@{k}", "groundedness", "hallucinated", "correctness")
_SHORT = {"reciprocal-rank": "recip. rank", "groundedness": "grounded"}


@dataclass(frozen=True)
class Compared:
    """All that a comparison shows."""

    runs: list[Run]
    sides: list[Side]
    baseline: int
    measure: str
    measures: list[str]
    means: list[dict[str, Interval]]
    contrasts: list[Contrast]
    contributions: list[Contribution]
    failures: list[int]

    def as_json(self) -> dict[str, Any]:
        """The documented shape of `compare --json`."""
        return {
            "baseline": self.runs[self.baseline].id,
            "measure": self.measure,
            "runs": [
                {
                    "run": run.id,
                    "name": run.name,
                    "testset": run.testset,
                    "questions": len(run.questions),
                    "failed": failed,
                    "measures": {m: asdict(i) for m, i in row.items()},
                    "lost": losses(side),
                }
                for run, side, row, failed in zip(self.runs, self.sides, self.means, self.failures)
            ],
            "differences": [asdict(c) | {"real": c.real} for c in self.contrasts],
            "contributions": [asdict(c) for c in self.contributions],
        }


def compared(
    workspace: Workspace, runs: Sequence[Run], baseline: str | None, measure: str | None, measures: list[str] | None
) -> Compared:
    """Scores, tests and losses of runs; raises `BadInput` for a measure that none of them has."""
    seed = workspace.settings.seed
    chosen = list(runs)
    first = 0
    if baseline:
        wanted = Runs(workspace.store).find(baseline)
        if all(run.id != wanted.id for run in chosen):
            chosen.insert(0, wanted)
        first = next(place for place, run in enumerate(chosen) if run.id == wanted.id)
    sides = [side_of(workspace.store, run) for run in chosen]
    known = list(dict.fromkeys(m for side in sides for scores in side.scores.values() for m in scores))
    cut_offs = workspace.settings.cut_offs
    k = 5 if 5 in cut_offs else cut_offs[-1]
    columns = measures or [name.format(k=k) for name in _COLUMNS]
    if not measures and "declined-rightly" in known:
        columns.append("declined-rightly")
    measure = measure or f"hit@{k}"
    for name in [measure, *(measures or [])]:
        if name not in known:
            raise BadInput(f"no run has a measure '{name}'{nearest(name, known)}")
    return Compared(
        chosen,
        sides,
        first,
        measure,
        columns,
        means(sides, columns, seed),
        contrasts(sides, first, measure, seed),
        contributions(sides, measure, seed),
        [len(failures_of(workspace.store, run)) for run in chosen],
    )


def show(found: Compared, screen: Screen) -> None:
    """Prints a comparison, part by part."""
    _measures(found, screen)
    if len(found.runs) > 1:
        _differences(found, screen)
    if found.contributions:
        _contributions(found, screen)
    _losses(found, screen)
    best = min(
        best_of(
            [{found.measure: m[found.measure]} if found.measure in m else {} for m in _own_means(found)], found.measure
        ),
        default=found.baseline,
    )
    worst = worst_question(found.sides[best], f"{found.measure}")
    if worst:
        run = found.runs[best]
        screen.say(f"\nnext: aventrik explain {run.id} {worst}    (the worst question of {run.name})")


def _own_means(found: Compared) -> list[dict[str, Interval]]:
    return means(found.sides, [found.measure])


def _measures(found: Compared, screen: Screen) -> None:
    sets = {run.testset for run in found.runs}
    counts = sorted({len(run.questions) for run in found.runs})
    many = f"{counts[0]}" if len(counts) == 1 else f"{counts[0]} to {counts[-1]}"
    screen.title(f"{len(found.runs)} configurations on {many} questions of {', '.join(sorted(sets))}")
    marked = {measure: best_of(found.means, measure) for measure in found.measures}
    # Too narrow for all measures side by side: a second table carries on.
    name_width = min(30, max(len(run.name) for run in found.runs) + 2)
    room = max(2, (screen.out.width - name_width - 5) // 14)
    for start in range(0, len(found.measures), room):
        part = found.measures[start : start + room]
        rows: list[list[str | Text]] = []
        for place, (run, row) in enumerate(zip(found.runs, found.means)):
            name = Text(run.name + ("  (baseline)" if place == found.baseline else ""))
            rows.append([str(run.id), name, *(_cell(row.get(m), place in marked[m]) for m in part)])
        columns = ["run", "configuration", *(_SHORT.get(m, m) for m in part)]
        screen.table(columns, rows, right=(0, *range(2, len(columns))))
    less = [m for m in found.measures if less_is_better(m)]
    told = f"; less is better: {', '.join(less)}" if less else ""
    screen.say(f"95 % intervals in brackets; * best mean{told}", style="dim")
    screen.say(f"questions behind each: {', '.join(_behind(found, m) for m in found.measures)}", style="dim")
    if any(found.failures):
        told = ", ".join(f"run {run.id}: {failed}" for run, failed in zip(found.runs, found.failures) if failed)
        screen.warn(f"questions without a sound answer or judgement, left out of the answer measures: {told}")


def _behind(found: Compared, measure: str) -> str:
    """How many questions a measure's means are over: 'hit@5 36', or the least and most over the runs."""
    counts = sorted({row[measure].n for row in found.means if measure in row})
    return f"{measure} {'–'.join(map(str, dict.fromkeys((counts[0], counts[-1])))) if counts else 0}"


def _cell(value: Interval | None, best: bool) -> Text:
    if value is None:
        return Text("–")
    text = Text(number(value.mean) + ("*" if best else " "), style="bold" if best else "")
    text.append(f"\n[{number(value.low)} {number(value.high)}]", style="dim not bold")
    return text


def _verdict(difference: Difference, p: float, measure: str) -> str:
    if p >= 0.05:
        return f"not shown (this set could show {difference.smallest:.2f})" if difference.smallest else "the same"
    better = (difference.mean > 0) != less_is_better(measure)
    return "better, real" if better else "worse, real"


def _differences(found: Compared, screen: Screen) -> None:
    screen.title(f"{found.measure} against the baseline {found.runs[found.baseline].name}")
    screen.table(
        ["configuration", "difference", "95 % interval", "p (Holm)", "verdict"],
        [
            [
                each.name,
                f"{each.difference.mean:+.2f}",
                f"[{each.difference.low:+.2f} {each.difference.high:+.2f}]",
                f"{each.p:.3f}",
                _verdict(each.difference, each.p, each.measure),
            ]
            for each in found.contrasts
        ],
        right=(1, 3),
    )
    tests = sorted({each.difference.test for each in found.contrasts})
    counts = {each.difference.n for each in found.contrasts}
    screen.say(
        f"paired on the same {'/'.join(map(str, sorted(counts)))} questions; test: {', '.join(tests)}", style="dim"
    )


def _contributions(found: Compared, screen: Screen) -> None:
    screen.title(f"what each setting contributed to {found.measure}, all other settings equal")
    screen.table(
        ["setting", "value", "instead of", "difference", "95 % interval", "pairs"],
        [
            [
                each.setting,
                each.value,
                each.instead_of,
                f"{each.difference.mean:+.2f}",
                f"[{each.difference.low:+.2f} {each.difference.high:+.2f}]",
                str(each.pairs),
            ]
            for each in found.contributions
        ],
        right=(3, 5),
    )


def _losses(found: Compared, screen: Screen) -> None:
    counts = [losses(side) for side in found.sides]
    if not any(sum(count.values()) for count in counts):
        return
    stages = [stage for stage in STAGES if any(count[stage] for count in counts)]
    screen.title("where each needed fact was lost (number of needs a run, by the number of the run)")
    screen.table(
        ["stage", *(f"run {run.id}" if place == 0 else str(run.id) for place, run in enumerate(found.runs))],
        [[stage, *(str(count[stage] or "·") for count in counts)] for stage in stages],
        right=range(1, len(found.runs) + 1),
    )
