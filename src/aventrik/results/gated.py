"""What a gate comes to: its checks, and what else the run and its baseline differ in."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..core.comparing.draws import Scope
from ..core.comparing.gates import LimitHeld, State
from ..corpora.changes import Changes
from ..storage.protocols import Run

if TYPE_CHECKING:
    import pandas


@dataclass(frozen=True)
class Check:
    """One limit on one group of questions: what is allowed, what the run came to, and what that means. `way` is least,
    most, drop, gone, for how many of the baseline's questions are, or failures, for how many rest on a failed call;
    `allowed` is in the measure's units, `share` what was said where that is a share of the baseline's mean; `base` is that
    mean on the same questions; `why` tells what a figure can't."""

    measure: str
    way: str
    allowed: float
    margin: float
    group: str
    state: State
    held: LimitHeld | None = None
    base: float | None = None
    why: str = ""
    share: float | None = None


@dataclass(frozen=True)
class Gated:
    """What a gate said. `baseline` names what the run was held against, "" for nothing; `shared` is the number of questions
    that both have, `missing` and `edited` the ids of those of the baseline's that are gone or were changed, `evidence_gone`
    of those whose evidence no document holds any more; `settings` has those that changed, from and to; `limits` is the file
    with the limits; `scope` says what is inferred to."""

    run: Run
    baseline: str
    checks: list[Check]
    undecided_counts: str
    unable_counts: str = "fail"
    shared: int = 0
    missing: list[str] = field(default_factory=list)
    edited: list[str] = field(default_factory=list)
    evidence_gone: list[str] = field(default_factory=list)
    new: int = 0
    documents: Changes | None = None
    settings: dict[str, tuple[Any, Any]] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    limits: Path = Path()
    scope: Scope = field(default_factory=Scope)

    def count(self, state: State) -> int:
        """How many checks are in a state."""
        return sum(check.state == state for check in self.checks)

    @property
    def failed(self) -> bool:
        """Whether the gate stops this run."""
        undecided = self.undecided_counts == "fail" and self.count("undecided")
        return bool(self.count("failed") or undecided or (self.unable_counts == "fail" and self.unable))

    @property
    def unable(self) -> list[Check]:
        """The checks that could not have failed whatever the run had come to: so few questions show nothing."""
        return [check for check in self.checks if check.held is not None and check.held.unable]

    def to_pandas(self) -> pandas.DataFrame:
        """A row a check: measure, way, group, what is allowed, the figure with its interval, and the state."""
        import pandas

        return pandas.DataFrame(
            [
                {
                    "measure": each.measure, "way": each.way, "group": each.group, "allowed": each.allowed, "state": each.state,
                    **({"value": each.held.value, "low": each.held.low, "high": each.held.high} if each.held else {}),
                }
                for each in self.checks
            ]
        )  # fmt: skip

    def as_json(self) -> dict[str, Any]:
        """The documented shape of `gate --json`."""
        return {
            "run": self.run.id,
            "name": self.run.name,
            "testset": self.run.testset,
            "state": "failed" if self.failed else "passed",
            "undecided": self.undecided_counts,
            "unable": self.unable_counts,
            "infers_to": self.scope.population,
            "baseline": self.baseline or None,
            "shared": self.shared,
            "missing": self.missing,
            "edited": self.edited,
            "evidence_gone": self.evidence_gone,
            "new": self.new,
            "documents": None if self.documents is None else asdict(self.documents),
            "settings": {name: {"from": before, "to": now} for name, (before, now) in self.settings.items()},
            "notes": self.notes,
            "checks": [asdict(check) for check in self.checks],
        }
