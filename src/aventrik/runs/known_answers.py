"""What the judges of a run make of answers of which it is known what they are worth: made once for a judge and a test set over its
documents, and kept."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

from ..core.context import Served
from ..core.documents import Document
from ..core.documents.spans import Range
from ..core.errors import Unavailable
from ..core.judging.known import (
    KnownQuestion,
    KnownScore,
    by_lot,
    known_answers,
    only_verdict,
    quoted,
    reaches,
    refusals_seen,
    scored,
    unusable,
)
from ..core.keys import content_key
from ..core.testsets import Question
from ..core.text import count_tokens
from ..english import SpoiltAnswers
from ..execution.open_workspace import OpenWorkspace
from ..execution.place import Place
from ..pipeline.codec import decode, digest, encode
from ..pipeline.judges import TASKS
from ..pipeline.resolved import WantedModel
from ..pipeline.sources import reference_of
from ..storage.protocols import Kept

QUESTIONS, OF_MODELS = 40, 4  # questions whose known answers are judged: by the built-in judge, by a model that costs
_VERSION = 1
_WIDE = 1200  # characters of a section around its evidence that are shown
_WIDEST = 6000
_SPANS = 8  # places of one need that are shown


@dataclass(frozen=True)
class KnownOutcome:
    """What one judge made of the known answers of a test set."""

    scores: tuple[KnownScore, ...] = ()
    key: str = ""

    @property
    def summary(self) -> dict[str, Any]:
        """What is kept with a run: how far each measure reaches, how many refusals were seen, how many answers got no usable
        reply."""
        seen, refusals = refusals_seen(self.scores)
        return {
            "reaches": [asdict(each) for each in reaches(self.scores)], "refusals": [seen, refusals],
            "answers": len(self.scores), "unusable": unusable(self.scores), "alike": only_verdict(self.scores),
            "quoted": list(quoted(self.scores)), "key": self.key,
        }  # fmt: skip


def known_outcomes(opened: OpenWorkspace, place: Place, questions: Sequence[Question]) -> dict[str, KnownOutcome]:
    """By judge what it makes of known answers; empty where nothing is judged, or there is no reference answer to go by."""
    if "verdicts" not in place.nodes:
        return {}
    wanted = opened.workspace.settings.judging.known
    found = {}
    for judge in place.resolved.judges:
        settings = opened.workspace.settings.models.get(judge)
        costs = settings is not None and settings.kind == "http"
        count = wanted if wanted is not None else OF_MODELS if costs else QUESTIONS
        if not count:
            continue
        some = _drawn(questions, place, count)
        if some:
            found[judge] = _judged(opened, judge, some, costs)
    return found


def _drawn(questions: Sequence[Question], place: Place, count: int) -> list[KnownQuestion]:
    """`count` of the questions that have known answers, by lot, in their order."""
    found: dict[int, KnownQuestion] = {}
    for at in by_lot([each.key for each in questions]):
        if len(found) == count:
            break
        if (one := known_question(questions[at], place)) is not None:
            found[at] = one
    return [found[at] for at in sorted(found)]


def _judged(opened: OpenWorkspace, judge: str, some: Sequence[KnownQuestion], costs: bool) -> KnownOutcome:
    planter, store = SpoiltAnswers(), opened.store.results
    identity = opened.models.identity(WantedModel("language", judge, TASKS))
    key = content_key(
        "known answers", _VERSION, planter.identity, identity, costs, [encode(each).decode() for each in some]
    )
    kept = {} if opened.fresh else store.values([key])
    if key in kept:
        found: KnownOutcome = decode(KnownOutcome, kept[key])
        return found
    answers = known_answers(some, planter.plant, few=costs)
    try:
        made = KnownOutcome(tuple(scored(some, answers, opened.models.language(judge))), key)
    except Unavailable as error:  # the run is made; what its judge is worth is told as unknown
        opened.progress(f"known answers: {error}", 0, 0)
        return KnownOutcome()
    if not unusable(made.scores):
        body = encode(made)
        store.keep([Kept(key, "known answers", digest(body), body)])
    return made


def known_question(question: Question, place: Place) -> KnownQuestion | None:
    """A question with its reference answer and the passages that hold its evidence; None where it has no such answer, or its evidence
    does not stand in the documents."""
    if not question.needs or not question.answer.strip():
        return None
    passages: list[Served] = []
    for need in question.needs:
        quoted = need.spans[0]
        if quoted.start < 0 or quoted.doc not in place.snapshot.names:
            return None
        document = place.document(quoted.doc)
        some = [each for each in need.spans if each.doc == quoted.doc and each.start >= 0][:_SPANS]
        start, end = _passage(document, [(each.start, each.end) for each in some])
        if any(item.doc == quoted.doc and item.ranges == ((start, end),) for item in passages):
            continue
        text = document.text[start:end]
        source = " › ".join([document.title or document.name, *document.heading_path(quoted.start)])
        passages.append(Served(len(passages) + 1, source, text, count_tokens(text), quoted.doc, ((start, end),)))
    return KnownQuestion(question.key, question.question, question.answer, reference_of(question), tuple(passages))


def _passage(document: Document, spans: Sequence[Range]) -> Range:
    """The lines around some evidence, as far as its section goes."""
    rows = [_around(document, span) for span in spans]
    low, high = min(row[0] for row in rows), max(row[1] for row in rows)
    return (low, high) if high - low <= _WIDEST else rows[0]


def _around(document: Document, span: Range) -> Range:
    low, high = document.section(span[0])
    if high - low <= _WIDE:
        return low, max(high, span[1])
    middle = (span[0] + span[1]) // 2
    start, end = max(low, middle - _WIDE // 2), min(high, middle + _WIDE // 2)
    start = max(low, document.text.rfind("\n", low, start) + 1)
    line = document.text.find("\n", end, high)
    return min(start, span[0]), max(high if line < 0 else line, span[1])
