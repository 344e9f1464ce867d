"""What is kept with a run of its judges: how far their measures reach by answers of which it is known what they are worth."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from ..core.judging.known import FLOORS, SPOILT, KnownScore, Reach
from ..pipeline.codec import decode
from ..storage.protocols import Run, Store
from .sides import side_of

FEW = 0.1  # distance between right answers and others below which a measure ranks nothing


@dataclass(frozen=True)
class JudgeReach:
    """What one judge made of known answers of a test set: `reaches` by measure; how many refusals it saw, of how many; of how many
    `answers` how many got no usable reply; the one verdict that it gives on all, if so; for how many verdicts it quoted words, of
    how many; and the `key` under which the answers are kept."""

    judge: str
    testset: str
    reaches: Mapping[str, Reach] = field(default_factory=dict)
    refusals: tuple[int, int] = (0, 0)
    answers: int = 0
    unusable: int = 0
    alike: str = ""
    quoted: tuple[int, int] = (0, 0)
    key: str = ""

    def reach(self, measure: str, judges: int = 1) -> Reach | None:
        """How far a measure of this judge reaches; None for a measure that no known answer tells of, or of another judge."""
        name, _, judge = measure.partition(":")
        name = "groundedness" if name == "grounded-answers" else name
        if (judge and judge != self.judge) or (not judge and judges > 1):
            return None
        return self.reaches.get(name)

    def as_json(self) -> dict[str, Any]:
        """The documented shape in `--json`."""
        return {
            "judge": self.judge, "testset": self.testset, "answers": self.answers, "unusable": self.unusable,
            "refusals": list(self.refusals), "alike": self.alike, "quoted": list(self.quoted),
            "measures": {name: {**asdict(each), "distance": each.distance} for name, each in self.reaches.items()},
        }  # fmt: skip


@dataclass(frozen=True)
class JudgingAccount:
    """What judging of a run's answers came to: of how many questions a judge gave a usable reply (`judged`), of how many it `failed`,
    for how many something was `cut` so that the judge did not see the whole context; and what known answers say of the judges."""

    judged: int
    failed: int = 0
    cut: int = 0
    known: tuple[JudgeReach, ...] = ()

    @property
    def unusable(self) -> bool:
        """Whether no reply of the judge could be used: not where it is the answers that can't be judged."""
        works = any(each.unusable < each.answers for each in self.known)
        return self.failed > 0 and self.judged == 0 and not works

    @property
    def doubts(self) -> list[str]:
        """What is to be heeded, in a sentence each."""
        made = []
        if self.failed:
            made.append(f"{self.failed} of {self.judged + self.failed} answers could not be judged")
        if self.cut:
            made.append(f"of {self.cut} answers the judge did not see the whole context: it was cut to fit the model")
        return made + [fault for each in self.known for fault in faults_of(each)]


def judging_of(store: Store, number: int) -> JudgingAccount | None:
    """What judging of a finished run came to; None where nothing was judged."""
    run = next(each for each in store.runs.all() if each.id == number)
    found = side_of(store, run)
    sheet = found.side.sheet
    if not run.made.get("judges") or ("relevance" not in sheet.columns and "verdicts" not in found.failed):
        return None
    failed, cut = (len(flawed.get("verdicts", ())) for flawed in (found.failed, found.cut))
    return JudgingAccount(len(sheet.present("relevance")), failed, cut, tuple(known_of(run)))


def known_of(run: Run) -> list[JudgeReach]:
    """Of each judge of a run what it made of known answers; empty for a run that was not judged, or by an earlier version."""
    found = []
    for judge, kept in dict(run.costs.get("state", {}).get("known", {})).items():
        rows = [Reach(**each) for each in kept["reaches"]]
        seen, whole = kept["refusals"]
        found.append(
            JudgeReach(
                judge, run.testset, {each.measure: each for each in rows}, (seen, whole), kept["answers"], kept["unusable"],
                kept.get("alike", ""), tuple(kept.get("quoted", (0, 0))), kept.get("key", ""),
            )
        )  # fmt: skip
    return found


def known_of_all(runs: Sequence[Run]) -> list[JudgeReach]:
    """The same of several runs, the newest first, each judge of each test set once."""
    found: dict[tuple[str, str], JudgeReach] = {}
    for run in sorted(runs, key=lambda each: -each.id):
        for each in known_of(run):
            found.setdefault((each.judge, each.testset), each)
    return list(found.values())


def known_scores(store: Store, reach: JudgeReach) -> list[KnownScore]:
    """The known answers themselves, with what the judge said; empty where they are not kept any more."""
    kept = store.results.values([reach.key]) if reach.key else {}
    if reach.key not in kept:
        return []
    rows = decode(_Scores, kept[reach.key]).scores
    return list(rows)


@dataclass(frozen=True)
class _Scores:
    scores: tuple[KnownScore, ...] = ()


def told(reach: JudgeReach, measures: Sequence[str], judges: int = 1) -> str:
    """In a line what right answers get from a judge by some measures, and what others; "" where none of them is told of."""
    parts: list[str] = []
    for measure in dict.fromkeys(measures):
        each = reach.reach(measure, judges)
        if each is not None and not any(part.startswith(f"{each.measure} ") for part in parts):
            others = "spoilt ones" if FLOORS[each.measure] == SPOILT else "answers to other questions"
            parts.append(f"{each.measure} {each.right:.2f} for right answers, {each.floor:.2f} for {others}")
    return "; ".join(parts)


def faults_of(reach: JudgeReach) -> Iterator[str]:
    """What is wrong with a judge, in a sentence each."""
    if reach.answers and reach.unusable == reach.answers:
        yield f"the judge {reach.judge} gave no usable reply to any of {reach.answers} known answers"
    elif reach.unusable:
        yield f"the judge {reach.judge} gave no usable reply to {reach.unusable} of {reach.answers} known answers"
    if reach.alike:
        yield f"the judge {reach.judge} says '{reach.alike}' of every claim, of right answers and of spoilt ones alike"
    if reach.quoted[1] > 1 and not reach.quoted[0]:
        yield f"the judge {reach.judge} never quotes the words that its verdicts rest on"


def ranks_nothing(reach: JudgeReach, measure: str, difference: float, judges: int = 1) -> str:
    """Why a measure of a judge does not rank, where a difference of that size is looked at; "" where it may."""
    each = reach.reach(measure, judges)
    if each is None or (each.distance >= FEW and each.distance >= difference):
        return ""
    others = "spoilt ones" if FLOORS[each.measure] == SPOILT else "answers to other questions"
    return (
        f"{measure} does not rank here: right answers and {others} are {each.distance:.2f} apart for the judge {reach.judge}"
        + (f", less than the {difference:.2f} that is looked at" if each.distance >= FEW else "")
    )
