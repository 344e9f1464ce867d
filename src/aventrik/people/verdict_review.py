"""Claims and answers of a run as a person decides on them, and what that says of the judge."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from functools import cached_property
from typing import Any

from ..core.comparing.correcting import Corrected
from ..core.comparing.draws import scope_of
from ..core.errors import BadInput
from ..core.judging.agreement import RaterAgreement
from ..corpora.changes import contents_of
from ..execution.open_workspace import OpenWorkspace
from ..kept.sides import side_of
from ..storage.protocols import Run
from ..workspace.reviews import UNDONE, Decision, now
from .verdicts import (
    CANT_TELL,
    VERDICT,
    LabelledRun,
    ReviewItem,
    Sample,
    Untold,
    agreement_of,
    among_people,
    by_judge,
    clusters_of,
    corrections,
    disagreements,
    keep_sample,
    labelled,
    sample_of,
)

QUESTIONS = 60  # answers of a run that are asked about without a number


@dataclass(frozen=True)
class Option:
    """Something that can be decided: its key on the screen, its name, and what it means."""

    key: str
    name: str
    means: str = ""


_VERDICTS = (
    Option("s", "supported", "the context says all of it, or it follows in one step"),
    Option("c", "contradicted", "the context says otherwise"),
    Option("n", "not found", "the context says neither, or only a part"),
)
_RELEVANT = ("is about something else", "touches the question", "answers a part of it", "answers what was asked")


def options_of(sample: Sample) -> tuple[Option, ...]:
    """What can be said of a thing: a verdict, or a level of a scale; or that one can't tell."""
    if sample.what == VERDICT:
        made = list(_VERDICTS)
    elif sample.criterion is not None:
        made = [Option(str(n), str(each.level), each.means) for n, each in enumerate(sample.criterion.levels)]
    else:
        made = [Option(str(n), str(n), means) for n, means in enumerate(_RELEVANT)]
    return (*made, Option("x", CANT_TELL))


@dataclass(frozen=True)
class JudgeAgreement:
    """What the decisions on a run come to: what people said, how far the judge and they agree (None where nothing can be set
    side by side), what they say of items that it could not tell, the run's means as they would have them, how far people agree
    with each other, and the first of each of several judges."""

    labels: LabelledRun
    agreement: RaterAgreement | None
    untold: Untold
    corrected: Mapping[str, Corrected]
    among_people: RaterAgreement | None = None
    judges: Mapping[str, tuple[RaterAgreement | None, Untold]] = field(default_factory=dict)

    @property
    def people(self) -> list[str]:
        """Who decided on anything of it."""
        return sorted({who for each in self.labels.said.values() for who in each})

    @property
    def disagreements(self) -> list[tuple[ReviewItem, Decision]]:
        """Items on which a person says otherwise than the judge, the judge's surest first."""
        return disagreements(self.labels)

    def as_json(self) -> dict[str, Any]:
        """The documented shape of `review --verdicts --json`."""
        labels = self.labels
        return {
            "run": labels.sample.run.id,
            "of": labels.sample.what,
            "items": labels.sample.count,
            "decided": labels.count,
            "untold": dict(self.untold),
            "agreement": None if self.agreement is None else asdict(self.agreement),
            "among_people": None if self.among_people is None else asdict(self.among_people),
            "changed_minds": labels.changed,
            "disputed": [item.question.id for item in labels.disputed],
            "disagreements": [
                {
                    "question": item.question.id, "claim": item.claim, "judge": item.judge,
                    "confidence": item.confidence, "reason": item.reason, "who": said.who, "decision": said.decision,
                }
                for item, said in self.disagreements
            ],
            "corrected": {name: each.as_json() for name, each in self.corrected.items()},
        }  # fmt: skip


class VerdictReview:
    """The items of a run's sample in the order in which a person looks at them. See `reviewing.Review`."""

    columns = ("item", "id", "question", "answer", "claim", "context", "decision", "reason")

    def __init__(self, opened: OpenWorkspace, sample: Sample, who: str, count: int = QUESTIONS, seed: int = 0) -> None:
        self.sample = sample
        self.options = options_of(sample)
        self.items = [item for asked in sample.questions[:count] for item in asked.items]
        self._opened = opened
        self._reviews = opened.workspace.reviews
        self._who = who
        self._seed = seed
        self._last = {
            item: people[who] for item, people in self._reviews.last(sample.what).items() if who in people
        }  # fmt: skip

    @property
    def said(self) -> tuple[str, ...]:
        """What may be said of an item."""
        return tuple(option.name for option in self.options)

    def __len__(self) -> int:
        return len(self.items)

    def cells(self, place: int) -> Sequence[str]:
        """Question, answer, claim and context."""
        item, mine = self.items[place], self.mine(place)
        context = "\n\n".join(f"[{each.number}] {each.source}\n{each.text.strip()}" for each in item.context)
        return (
            item.id, item.question.id, item.question.question, item.answer.text, item.claim, context,
            mine.decision if mine else "", mine.reason if mine else "",
        )  # fmt: skip

    def mine(self, place: int) -> Decision | None:
        """The person's decision that stands."""
        return self._last.get(self.items[place].id)

    @cached_property
    def _every(self) -> list[ReviewItem]:
        return self.sample.items

    def places(self, rows: Iterable[Mapping[str, str]]) -> Mapping[str, int]:
        """Places among all items of the run: a sheet may hold more than is asked about now."""
        return {item.id: place for place, item in enumerate(self._every)}

    def edits(self, row: Mapping[str, str]) -> bool:
        """Nothing can be changed."""
        return False

    def taken(self, place: int, said: str, reason: str, row: Mapping[str, str], where: str) -> Decision | None:
        """What a row decides."""
        item = self._every[place]
        before = self._last.get(item.id)
        if before is not None and (before.decision, before.reason) == (said, reason):
            return None
        return self._decision(item, said, reason, True)

    def _decision(self, item: ReviewItem, decision: str, reason: str, blind: bool) -> Decision:
        run, before = self.sample.run, self._last.get(item.id)
        return Decision(
            what=self.sample.what,
            item=item.id,
            run=run.name,
            testset=run.testset,
            question=item.question.id,
            claim=item.claim,
            who=self._who,
            when=now(),
            decision=decision,
            reason=reason,
            before=before.decision if before else "",
            blind=blind,
        )

    def decide(self, place: int, decision: str, reason: str = "", *, blind: bool = True) -> None:
        """Writes a decision down; `blind` says whether the judge's word was hidden until then."""
        self.add([self._decision(self.items[place], decision, reason, blind)])

    def undo(self, place: int) -> None:
        """Takes a decision back."""
        item = self.items[place]
        if item.id in self._last:
            self._reviews.add(self._decision(item, UNDONE, "", True))
            del self._last[item.id]

    def add(self, decisions: Sequence[Decision]) -> None:
        """Writes decisions down, behind the chances by which the sample is drawn."""
        if decisions:
            keep_sample(self.sample, self._reviews, self._who, now())
        self._reviews.add_all(list(decisions))
        self._last.update({each.item: each for each in decisions})

    def result(self) -> JudgeAgreement:
        """What the decisions of all people on the run come to."""
        return judge_agreement(self._opened, self.sample, self._seed)


def judge_agreement(opened: OpenWorkspace, sample: Sample, seed: int = 0) -> JudgeAgreement:
    """What the decisions of all people on a run come to."""
    reviews = opened.workspace.reviews
    labels = labelled(sample, reviews)
    found, untold = agreement_of(labels, seed)
    judges = by_judge(opened.store, labels, reviews, seed) if labels.said else {}
    clusters = None
    if labels.complete:
        side = side_of(opened.store, sample.run).side
        contents = contents_of(opened.store, sample.run)
        scope = scope_of(opened.workspace.settings.statistics.infer, list(side.asked.values()), len(contents or ()))
        clusters = clusters_of([side], scope)
    return JudgeAgreement(labels, found, untold, corrections(labels, clusters=clusters), among_people(labels), judges)


def verdict_review(
    opened: OpenWorkspace, run: Run, what: str, who: str, count: int | None = None, seed: int = 0
) -> VerdictReview:
    """The claims of a finished run for one person (or its answers, by relevance or a criterion), the most telling first;
    raises `BadInput` for one that is not finished, or was not judged so."""
    if not run.finished:
        raise BadInput(f"run {run.id} ({run.name}) is not finished")
    sample = sample_of(opened.store, run, what, seed, reviews=opened.workspace.reviews)
    return VerdictReview(opened, sample, who, count or QUESTIONS, seed)
