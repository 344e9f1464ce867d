"""How far people agree on the questions of a test set, with each other and with the judge that placed them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from itertools import combinations, pairwise
from typing import Any

from ..core.comparing.intervals import share_interval
from ..core.judging.agreement import Pair, RaterAgreement, agreement
from ..core.testsets import Question
from ..core.text.composing import composed
from ..execution.open_workspace import OpenWorkspace
from ..storage.protocols import Run
from ..workspace.deciding import KEEP, REJECT, Settled
from ..workspace.reviews import Decision
from ..workspace.testsets import question_from

ANSWERED, NOTHING = "something answers", "nothing answers"
_EDGES = (0.0, 0.25, 0.5, 0.75, 1.0)


@dataclass(frozen=True)
class Trust:
    """Of questions that people decided on and whose judge was between `low` and `high` sure: how many, and the share that
    was kept with its places as they were."""

    low: float
    high: float
    n: int
    right: float


@dataclass(frozen=True)
class QuestionAgreement:
    """What the decisions on a test set come to: how many questions there are, have a decision, are kept, rejected,
    changed; reasons of rejections; the share kept of those decided, with its 95 % interval; agreement of each pair of
    people; of people and the judge on whether anything answers; how far its confidence can be believed."""

    questions: int
    decided: int
    kept: int
    rejected: int
    changed: int
    reasons: Mapping[str, int]
    share: tuple[float, float, float] | None
    people: tuple[tuple[str, str, RaterAgreement], ...]
    judge: RaterAgreement | None
    judges: str
    trust: tuple[Trust, ...]
    conflicts: tuple[tuple[str, str, Mapping[str, str]], ...]

    def as_json(self) -> dict[str, Any]:
        """The documented shape of `review TESTSET --json`."""
        return asdict(self) | {
            "people": [{"one": one, "other": other, **asdict(found)} for one, other, found in self.people],
            "conflicts": [{"id": name, "question": text, "said": dict(said)} for name, text, said in self.conflicts],
        }


def decided(found: Settled, filed: Mapping[str, Any], seed: int = 0) -> QuestionAgreement:
    """What the decisions come to; `filed` has each question as it stands in the file, by id."""
    said = found.decided
    by_id = {question.id: question for question in found.questions}
    kept = [name for name in said if by_id[name].status == "kept"]
    rejected = [name for name in said if by_id[name].status == "rejected"]
    whole = len(kept) + len(rejected)
    share = None
    if whole:
        low, high = share_interval(len(kept), whole)
        share = (len(kept) / whole, low, high)
    reasons = Counter(
        each.reason or "no reason given" for name in rejected for each in said[name].values() if each.decision == REJECT
    )
    judged = {
        name: filed[name] for name in kept if isinstance(filed[name].meta.get("confidence"), (int, float))
    }  # fmt: skip
    pairs = [
        Pair(
            ANSWERED if one.needs else NOTHING, ANSWERED if by_id[name].needs else NOTHING,
            float(one.meta["confidence"]), cluster=name,
        )
        for name, one in judged.items()
    ]  # fmt: skip
    judge = agreement(pairs, (ANSWERED, NOTHING)) if pairs else None
    return QuestionAgreement(
        questions=len(found.questions),
        decided=len(said),
        kept=len(kept),
        rejected=len(rejected),
        changed=sum(any(each.now for each in people.values()) for people in said.values()),
        reasons=dict(reasons.most_common()),
        share=share,
        people=tuple(_pairs(said, seed)),
        judge=judge,
        judges=", ".join(sorted({one.by for one in judged.values()})),
        trust=tuple(_trust(judged, said, rejected, filed)),
        conflicts=tuple((each.id, each.question, _words(each.said)) for each in found.conflicts),
    )


def _words(said: Mapping[str, Decision]) -> dict[str, str]:
    return {
        who: each.decision + (f", {', '.join(each.now)} changed" if each.now else "")
        for who, each in sorted(said.items())
    }


def _pairs(said: Mapping[str, Mapping[str, Decision]], seed: int) -> list[tuple[str, str, RaterAgreement]]:
    made = []
    people = sorted({who for each in said.values() for who in each})
    for one, other in combinations(people, 2):
        pairs = [
            Pair(each[one].decision, each[other].decision, cluster=name)
            for name, each in said.items()
            if one in each and other in each and {each[one].decision, each[other].decision} <= {KEEP, REJECT}
        ]
        if pairs:
            made.append((one, other, agreement(pairs, (KEEP, REJECT))))
    return made


def _trust(
    judged: Mapping[str, Any],
    said: Mapping[str, Mapping[str, Decision]],
    rejected: Sequence[str],
    filed: Mapping[str, Any],
) -> list[Trust]:
    rows = [
        (float(filed[name].meta["confidence"]), name in judged and not any("needs" in each.now for each in said[name].values()))
        for name in (*judged, *rejected)
        if isinstance(filed[name].meta.get("confidence"), (int, float))
    ]  # fmt: skip
    made = []
    for low, high in pairwise(_EDGES):
        inside = [right for sure, right in rows if low <= sure < high or (high == 1.0 and sure == 1.0)]
        if inside:
            made.append(Trust(low, high, len(inside), sum(inside) / len(inside)))
    return made


def rejected_since(opened: OpenWorkspace, run: Run) -> list[str]:
    """The ids of a run's questions that people have rejected in the test set since it was made; none where the test set is
    gone."""
    path = opened.workspace.testset_path(run.testset)
    if not path.is_file():
        return []
    rejected = {
        (question.id, question.question)
        for question in opened.testset(run.testset).questions
        if question.status == "rejected"
    }
    if not rejected:
        return []
    bodies = (row.body for row in opened.store.runs.questions(run.id))
    return [body["id"] for body in bodies if (body["id"], body["question"]) in rejected]


def corrected_since(opened: OpenWorkspace, run: Run) -> list[str]:
    """The ids of a run's questions whose wording, answer or evidence was corrected in the test set since it was made: what it
    scored is the question as it was. None where the test set is gone."""
    path = opened.workspace.testset_path(run.testset)
    if not path.is_file():
        return []
    evidence = not run.made.get("outside")  # another system's may be scored by evidence from a file of its own
    now = {question.id: _asked(question, evidence) for question in opened.testset(run.testset).questions}
    then = (question_from(row.body) for row in opened.store.runs.questions(run.id) if row.body.get("needs") is not None)
    return [each.id for each in then if each.id in now and _asked(each, evidence) != now[each.id]]


def _asked(question: Question, evidence: bool) -> tuple[object, ...]:
    """What is asked and what answers it, without places and white space, which may differ in the same question."""
    if not evidence:
        return question.question, question.answer, question.before
    needs = tuple(
        (need.fact, tuple((quoted.doc, _letters(quoted.quote)) for quoted in need.spans)) for need in question.needs
    )
    return question.question, question.answer, question.before, needs


def _letters(text: str) -> str:
    return "".join(letter for letter in composed(text).casefold() if letter.isalnum())
