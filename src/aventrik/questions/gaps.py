"""Knowledge gaps: what people ask that no document answers, or that a run serves badly, in groups."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

from ..core.errors import BadInput
from ..core.testsets import Question
from ..core.testsets.locating.gaps import Gap, Unanswered, gaps
from ..execution.open_workspace import OpenWorkspace
from ..runs.pooling import Pool, default_embedding, pool_of
from ..storage.protocols import Run

if TYPE_CHECKING:
    from ..core.comparing.correcting import Corrected

NO_ANSWER = "no document answers it"
PERHAPS = "perhaps no document answers it"
_DOUBTFUL = 0.7  # a chance of being answered below which a question may be of a gap
_BADLY = 0.5  # a score on the wrong side of which a question is served badly


@dataclass(frozen=True)
class Gaps:
    """The groups, asked most first; how many questions there are in all, how often they were asked, in all and in each
    month; how many of them nothing answers, and how many a run serves badly. `share`: of the questions those that nothing answers,
    with its 95 % interval; `corrected`: the same as people would say, from the questions that they reviewed, where the judge that
    located them noted how sure it was."""

    groups: tuple[Gap, ...]
    questions: int
    asked: int
    months: Mapping[str, int]
    unanswerable: int
    badly: int
    share: tuple[float, float, float] | None = None
    corrected: Corrected | None = None

    @property
    def perhaps(self) -> int:
        """How many more questions of the groups are perhaps not answered."""
        return sum(each.why == PERHAPS for group in self.groups for each in group.members)

    def as_json(self) -> dict[str, Any]:
        """The documented shape of gaps."""
        return {
            "questions": self.questions, "asked": self.asked, "unanswerable": self.unanswerable, "badly": self.badly,
            "perhaps": self.perhaps,
            "share": self.share,
            "corrected": None if self.corrected is None else self.corrected.as_json(),
            "months": dict(self.months),
            "gaps": [
                {
                    "words": group.words, "questions": len(group.members), "asked": group.asked, "months": group.months,
                    "members": [asdict(each) for each in group.members],
                }
                for group in self.groups
            ],
        }  # fmt: skip


def find_gaps(
    opened: OpenWorkspace,
    questions: Sequence[Question],
    judged: Run | None = None,
    measure: str = "hit@5",
    embedding: str = "",
) -> Gaps:
    """Groups the questions that nothing answers and, with a run, those that it serves badly by a measure (worse than 0.5).
    Raises `BadInput` for a run without that measure."""
    badly = _badly_served(opened, judged, measure, questions) if judged is not None else {}
    bad: list[Unanswered] = []
    answered: list[str] = []
    perhaps: list[Unanswered] = []
    months: Counter[str] = Counter()
    for question in questions:
        asked, by_month = asked_of(question)
        months.update(by_month)
        why = NO_ANSWER if not question.needs else badly.get(question.key, "")
        if why:
            bad.append(Unanswered(question.id, question.question, asked, by_month, why))
        else:
            answered.append(question.question)
            chance = question.meta.get("answerable")
            if question.status == "draft" and isinstance(chance, float) and chance < _DOUBTFUL:
                perhaps.append(Unanswered(question.id, question.question, asked, by_month, PERHAPS))
    reader = None
    if bad and (embedding or default_embedding()) != "none":
        reader = Pool(opened, pool_of(opened, [], embedding)).reader
    found = gaps(bad, answered, reader.questions if reader else None, perhaps)
    nothing = sum(each.why == NO_ANSWER for each in bad)
    return Gaps(
        tuple(found), len(questions), sum(asked_of(each)[0] for each in questions), dict(sorted(months.items())), nothing,
        len(bad) - nothing, _share(nothing, len(questions)), _corrected(questions),
    )  # fmt: skip


def _share(nothing: int, questions: int) -> tuple[float, float, float] | None:
    from ..core.comparing.intervals import share_interval

    return (nothing / questions, *share_interval(nothing, questions)) if questions else None


def _corrected(questions: Sequence[Question]) -> Corrected | None:
    """The share that nothing answers as people would say: of what the judge thinks of all, and what people said of those that
    they reviewed, which count as a sample by lot."""
    from ..core.comparing.correcting import LEAST, corrected

    rows = [(question, question.meta.get("answerable")) for question in questions]
    told = [
        (question, 1.0 - float(sure)) for question, sure in rows if isinstance(sure, (int, float)) and 0 <= sure <= 1
    ]
    people = [None if question.status == "draft" else float(not question.needs) for question, _ in told]
    if len(told) < len(questions) or sum(each is not None for each in people) < LEAST:
        return None
    return corrected([float(judged >= 0.5) for _, judged in told], people)


def asked_of(question: Question) -> tuple[int, dict[str, int]]:
    """How often a question was asked, in all (1 where nothing is told) and in each month."""
    asked = question.meta.get("asked", 1)
    months = question.meta.get("months", {})
    sound = isinstance(months, dict) and all(isinstance(n, int) for n in months.values())
    return (asked if isinstance(asked, int) and asked > 0 else 1), (dict(months) if sound else {})


def _badly_served(opened: OpenWorkspace, judged: Run, measure: str, questions: Sequence[Question]) -> dict[str, str]:
    from ..core.comparing.sides import less_is_better  # statistics take a second to load
    from ..kept.sides import side_of

    found = side_of(opened.store, judged)
    own = found.side.own
    scores = {key: row[measure] for key, row in found.side.scores.items() if measure in row}
    if not scores:
        raise BadInput(f"run {judged.id} has no score for '{measure}'")
    if not any(question.key in scores for question in questions):
        raise BadInput(f"run {judged.id} was made on '{judged.testset}', and has none of these questions")
    less = less_is_better(measure, own)
    return {
        key: f"{measure} {value:.2f} in run {judged.id}"
        for key, value in scores.items()
        if (value > _BADLY if less else value < _BADLY)
    }
