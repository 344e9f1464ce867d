"""Answers of which it is known what a judge should say: the reference answers of a test set, spoilt ones, those of other questions,
refusals. What they get from a judge, held against their own passages, is its ceiling and its floor on that test set."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from ..answering import Answer
from ..context import Served
from ..keys import content_key
from ..measures import answer_scores
from ..measures.answers import Judged
from ..protocols import LanguageModel
from ..text import content_terms
from . import judge
from .verdicts import Reference

RIGHT, SPOILT, OTHER, REFUSAL = "right", "spoilt", "other", "refusal"
KINDS = (RIGHT, SPOILT, OTHER, REFUSAL)
PART = "part"  # the fault of what is true and not all: it makes an answer incomplete, not ungrounded
# What stands at the lower end of each measure: which kind of known answer should come off worst.
FLOORS = {
    "groundedness": SPOILT, "hallucinated": SPOILT, "correctness": OTHER, "completeness": OTHER, "relevance": OTHER,
}  # fmt: skip
REFUSALS = (
    "The documents do not say.", "I don't know.", "I could not find this in the passages that I was given.",
    "There is no information on that here; please ask the office.", "Sorry, that is not covered by the material.",
    "It can't be told from the context.",
)  # fmt: skip

Plant = Callable[[str, Sequence[Served], Sequence[str]], Sequence[tuple[str, str]]]


@dataclass(frozen=True)
class KnownQuestion:
    """A question with its reference answer, what that is held against, and the passages that hold its evidence."""

    key: str
    question: str
    answer: str
    reference: Reference
    passages: tuple[Served, ...]


@dataclass(frozen=True)
class KnownAnswer:
    """An answer of which it is known what it is worth: of which question (by place), of what kind, and with which fault."""

    place: int
    kind: str
    text: str
    fault: str = ""


@dataclass(frozen=True)
class KnownScore:
    """What a judge made of a known answer: its scores by measure (0 to 1), whether it was taken for a refusal, and why judging
    failed, if it did; and each claim with its verdict, the reason, and whether words are quoted for it."""

    question: str
    kind: str
    fault: str
    text: str
    scores: Mapping[str, float]
    declined: bool
    failure: str = ""
    verdicts: tuple[tuple[str, str, str, bool], ...] = ()


@dataclass(frozen=True)
class Reach:
    """How far a measure of a judge reaches: its mean over right answers, and over those that should come off worst, of so many
    each."""

    measure: str
    right: float
    floor: float
    rights: int
    floors: int

    @property
    def distance(self) -> float:
        """From the floor to the ceiling, 0 to 1: no difference between runs that is larger can be read off the measure."""
        return abs(self.right - self.floor)


def by_lot(keys: Sequence[str]) -> list[int]:
    """The places of questions, by their keys, in the order in which they are drawn: the same each time, and for a test set that grew."""
    return sorted(range(len(keys)), key=lambda place: content_key("known answer", keys[place]))


def known_answers(questions: Sequence[KnownQuestion], plant: Plant, few: bool) -> list[KnownAnswer]:
    """The known answers of some questions: the right one, that of the question most like it with another answer, one for each fault
    that there is room for, and a refusal. `few`: one fault a question in turn, and a refusal for every other: for a judge that
    costs."""
    names = list(dict.fromkeys(question.answer for question in questions))
    made = []
    for place, one in enumerate(questions):
        made.append(KnownAnswer(place, RIGHT, one.answer))
        other = _nearest(questions, place)
        if other is not None:
            made.append(KnownAnswer(place, OTHER, questions[other].answer))
        faults = list(plant(one.answer, one.passages, names))
        if few and faults:
            faults = [faults[place % len(faults)]]
        made.extend(KnownAnswer(place, SPOILT, text, fault) for fault, text in faults)
        if not few or place % 2 == 0:
            made.append(KnownAnswer(place, REFUSAL, REFUSALS[place % len(REFUSALS)]))
    return made


def _nearest(questions: Sequence[KnownQuestion], place: int) -> int | None:
    """The question most like another in words whose answer says something else; None where there is none."""
    own, said = set(content_terms(questions[place].question)), _plain(questions[place].answer)
    best, nearest = -1.0, None
    for other, one in enumerate(questions):
        theirs = _plain(one.answer)
        if other == place or theirs in said or said in theirs:
            continue
        terms = set(content_terms(one.question))
        like = len(own & terms) / max(1, len(own | terms))
        if like > best:
            best, nearest = like, other
    return nearest


def _plain(text: str) -> str:
    return " ".join(content_terms(text))


def scored(
    questions: Sequence[KnownQuestion], answers: Sequence[KnownAnswer], model: LanguageModel
) -> list[KnownScore]:
    """What a judge makes of known answers, each held against the passages and the reference of its own question."""
    asked = [questions[each.place] for each in answers]
    given = [Answer(each.text) for each in answers]
    judged = judge(
        [one.question for one in asked], given, [one.passages for one in asked], [one.reference for one in asked], model
    )
    made = []
    for known, answer, one, judgement in zip(answers, given, asked, judged):
        whole = Judged(answer, judgement, True)
        scores = {} if judgement.failure else answer_scores(whole)
        kept = {name: scores[name] for name in FLOORS if name in scores}
        said = tuple((each.claim, each.verdict, each.reason, bool(each.quotes)) for each in judgement.verdicts)
        whom = (one.key, known.kind, known.fault, known.text)
        made.append(KnownScore(*whom, kept, whole.declined, judgement.failure, said))
    return made


def reaches(scores: Sequence[KnownScore]) -> list[Reach]:
    """How far each measure reaches; none for one that a kind of answer has no score of. An answer that leaves a part out, or that the
    judge took for a refusal, is no floor of groundedness."""
    found = []
    for measure, kind in FLOORS.items():
        right = _of(scores, measure, RIGHT)
        floor = _of(scores, measure, kind)
        if right and floor:
            found.append(Reach(measure, sum(right) / len(right), sum(floor) / len(floor), len(right), len(floor)))
    return found


def _of(scores: Sequence[KnownScore], measure: str, kind: str) -> list[float]:
    some = [each for each in scores if each.kind == kind and each.fault != PART]
    return [each.scores[measure] for each in some if measure in each.scores]


def refusals_seen(scores: Sequence[KnownScore]) -> tuple[int, int]:
    """How many refusals the judge saw as such, of how many."""
    some = [each.declined for each in scores if each.kind == REFUSAL and not each.failure]
    return sum(some), len(some)


def only_verdict(scores: Sequence[KnownScore]) -> str:
    """The verdict that the judge gives on every claim, of right answers and of spoilt ones alike; "" where they differ, or are few."""
    said = {verdict for each in scores for _, verdict, _, _ in each.verdicts}
    kinds = {each.kind for each in scores if each.verdicts}
    return said.pop() if len(said) == 1 and {RIGHT, SPOILT} <= kinds else ""


def quoted(scores: Sequence[KnownScore]) -> tuple[int, int]:
    """For how many of the claims that it calls supported or contradicted the judge quotes words, of how many."""
    some = [
        words for each in scores for _, verdict, _, words in each.verdicts if verdict in ("supported", "contradicted")
    ]
    return sum(some), len(some)


def unusable(scores: Sequence[KnownScore]) -> int:
    """How many known answers got no usable reply."""
    return sum(bool(each.failure) for each in scores)
