"""How one measure is spread in the runs of a comparison, and which questions they differ on."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from ..core.comparing.spread import MovedQuestion, Spread, moved, spreads
from .comparison import Comparison


@dataclass(frozen=True)
class SpreadOut:
    """How one measure is spread in each run of a comparison; for each but the baseline the questions it scores otherwise,
    with their wording by key."""

    measure: str
    spreads: list[Spread | None]
    moved: list[tuple[int, list[MovedQuestion]]]

    def as_json(self, found: Comparison) -> dict[str, Any]:
        """The documented shape of `compare --spread --json`."""
        return {
            "measure": self.measure,
            "runs": [
                {"run": run.id, "name": run.name, "spread": None if each is None else asdict(each)}
                for run, each in zip(found.runs, self.spreads)
            ],
            "moved": [
                {
                    "from": found.runs[found.baseline].id,
                    "to": found.runs[place].id,
                    "questions": [{**asdict(each), "question": found.ids[each.key]} for each in rows],
                }
                for place, rows in self.moved
            ],
        }


def spread_of(found: Comparison, measure: str) -> SpreadOut:
    """How a measure is spread in the runs of a comparison."""
    base = found.sides[found.baseline]
    others = [place for place in range(len(found.sides)) if place != found.baseline]
    return SpreadOut(
        measure, spreads(found.sides, measure), [(n, moved(base, found.sides[n], measure)) for n in others]
    )  # fmt: skip
