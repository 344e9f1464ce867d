"""Test sets from logs of real questions: where each is answered, as needs with their places, and which nothing answers."""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from ..core.documents.relocating import occurrence
from ..core.errors import BadInput
from ..core.protocols import LanguageModel, Reply, Task
from ..core.testsets import Need, Question, Quoted, placed
from ..core.testsets.deciding import DOUBTFUL
from ..core.testsets.locating.folding import fold
from ..core.testsets.locating.gathering import Enquiry, FoldedLog, LogEntry, gathered
from ..core.testsets.locating.ranking import Proposal, Ranking, rank
from ..core.text import WORD
from ..core.wording.parts import split
from ..execution.open_workspace import OpenWorkspace
from ..people.spots import FACT
from ..runs.pooling import Pool
from ..storage.protocols import Snapshot
from ..workspace.configuration import Configuration

PROPOSED = 9  # places of a part: as many as there are figures on the keys of `review`
ANSWERS = 2  # the level from which a judge's place answers
_OFTEN = 0.5  # of the questions that are taken: those asked most; the others by lot
_TOGETHER = 200  # questions that are searched for at a time
_SHOWN = 60  # characters of a proposed place that a test set holds, to find it again


@dataclass(frozen=True)
class Located:
    """What a log came to: the new questions; those that were there already, with new counts; what became of the entries;
    how many enquiries were left for lack of room; the judge's failed calls with their reasons."""

    questions: tuple[Question, ...]
    already: tuple[Question, ...]
    log: FoldedLog
    left: int
    again: int
    judge: str
    pool: tuple[str, ...]
    failures: Mapping[str, int] = field(default_factory=dict)

    @property
    def doubtful(self) -> int:
        """How many of the new questions come first when people look."""
        return sum(question.meta["confidence"] < DOUBTFUL for question in self.questions)

    @property
    def unanswerable(self) -> list[Question]:
        """The new questions that nothing answers, as far as the judge can tell."""
        return [question for question in self.questions if not question.needs]


def locate(
    opened: OpenWorkspace,
    entries: Sequence[LogEntry],
    configurations: Sequence[Configuration],
    count: int,
    judge: str = "",
    already: Sequence[Question] = (),
    seed: int = 0,
    snapshot: Snapshot | None = None,
    progress: Callable[[str, int, int], None] = lambda stage, done, total: None,
) -> Located:
    """Turns the entries of a log into questions with the places that answer them.

    Of more than `count` different questions half are those asked most and half drawn by lot from the others. A question
    that asks what one `already` there asks is counted with it. Raises `BadInput` for a log in which nothing is asked.
    """
    model = opened.models.role("judge", judge)
    pool = Pool(opened, configurations, snapshot)
    known = [
        word for word in {w.lower() for entry in entries for w in WORD.findall(entry.text)} if pool.frequency(word)
    ]
    progress("reading the log", 0, 1)
    log = gathered(entries, lambda rows: _standing(model, rows), known)
    if not log.enquiries:
        told = ", ".join(f"{reason}: {times}" for reason, times in log.passed_over.items())
        raise BadInput(f"nothing in the log is a question ({told})")
    fresh, kept, again = _beside(log.enquiries, already, known)
    chosen = _chosen(fresh, count, seed)
    taken = {question.id for question in already}
    made: list[Question] = []
    failures: dict[str, int] = {}
    number = 0
    for first in range(0, len(chosen), _TOGETHER):
        some = chosen[first : first + _TOGETHER]
        for enquiry, parts, judged in zip(some, *_judged(pool, model, some)):
            number += 1
            while f"r{number:04}" in taken:
                number += 1
            made.append(_question(f"r{number:04}", enquiry, parts, judged, model, pool))
            for replies in judged:
                for reply in replies:
                    if reply.failure:
                        failures[reply.failure] = failures.get(reply.failure, 0) + 1
        progress("locating", first + len(some), len(chosen))
    return Located(
        questions=tuple(made),
        already=tuple(kept),
        log=log,
        left=len(fresh) - len(chosen),
        again=again,
        judge=model.name,
        pool=tuple(each.name for each in configurations),
        failures=failures,
    )


def _standing(model: LanguageModel, rows: Sequence[tuple[str, Sequence[str]]]) -> list[str]:
    """Each question so that it stands alone; as it was asked where the model gives nothing."""
    replies = model.perform([Task("standalone", {"question": text, "before": list(before)}) for text, before in rows])
    return [
        " ".join(reply.value["question"].split()) if reply.value else text for reply, (text, _) in zip(replies, rows)
    ]


def _beside(
    enquiries: Sequence[Enquiry], already: Sequence[Question], known: Sequence[str]
) -> tuple[list[Enquiry], list[Question], int]:
    """The enquiries that no question asks yet; the questions with what is counted with them; how many that were."""
    if not already:
        return list(enquiries), [], 0
    stands = fold(
        [*(question.question for question in already), *(each.question for each in enquiries)],
        [10**12] * len(already) + [each.asked for each in enquiries], known,
    )  # fmt: skip
    kept = list(already)
    fresh = []
    for place, each in zip(stands[len(already) :], enquiries):
        if place >= len(already):
            fresh.append(each)
            continue
        meta = dict(kept[place].meta)
        meta["asked"] = int(meta.get("asked", 0)) + each.asked
        months = dict(meta.get("months", {}))
        for month, times in each.months.items():
            months[month] = months.get(month, 0) + times
        if months:
            meta["months"] = dict(sorted(months.items()))
        kept[place] = replace(kept[place], meta=meta)
    return fresh, kept, len(enquiries) - len(fresh)


def _chosen(enquiries: Sequence[Enquiry], count: int, seed: int) -> list[Enquiry]:
    if len(enquiries) <= count:
        return list(enquiries)
    first = max(1, int(count * _OFTEN))
    drawn = random.Random(f"enquiries {seed}").sample(range(first, len(enquiries)), count - first)
    return [*enquiries[:first], *(enquiries[place] for place in sorted(drawn))]


def _judged(
    pool: Pool, model: LanguageModel, enquiries: Sequence[Enquiry]
) -> tuple[list[list[Ranking]], list[list[list[Reply]]]]:
    """The places of each part of each enquiry, best first, and what the judge says of them; a judge that reads decides the
    order."""
    parts = _parts(model, [each.question for each in enquiries])
    flat = [(n, part, subject) for n, each in enumerate(parts) for part, subject in each]
    lists = pool.lists([pool.spelt(f"{part} {subject}".strip()) for _, part, subject in flat])
    reader = pool.reader
    rankings = [
        rank(part, subject, rows, pool.document, PROPOSED, reader.likeness if reader else None)
        for (_, part, subject), rows in zip(flat, lists)
    ]
    tasks = [
        Task("answered", _fields(ranking.part, proposal, pool))
        for ranking in rankings
        for proposal in ranking.proposals
    ]
    # The built-in judge's word is the order itself: it weighs a place against all others, which no single passage tells.
    replies = iter([Reply(None)] * len(tasks) if model.name == "offline" else model.perform(tasks) if tasks else ())
    found: list[list[Ranking]] = [[] for _ in enquiries]
    judged: list[list[list[Reply]]] = [[] for _ in enquiries]
    for (n, _, _), ranking in zip(flat, rankings):
        own = [next(replies) for _ in ranking.proposals]
        if model.name != "offline":
            order = sorted(range(len(own)), key=lambda place: -(own[place].value or {"level": -1})["level"])
            own = [own[place] for place in order]
            ranking = replace(ranking, proposals=tuple(ranking.proposals[place] for place in order))
        found[n].append(ranking)
        judged[n].append(own)
    return found, judged


def _parts(model: LanguageModel, questions: Sequence[str]) -> list[list[tuple[str, str]]]:
    """(part, what it leans on) of each thing that each question asks."""
    if model.name == "offline":
        return [split(question) for question in questions]
    replies = model.perform([Task("subquestions", {"question": question}) for question in questions])
    return [
        [(part, "") for part in reply.value["questions"] if part.strip()][:4] if reply.value else split(question)
        for reply, question in zip(replies, questions)
    ]


def _fields(part: str, proposal: Proposal, pool: Pool) -> dict[str, Any]:
    document = pool.document(proposal.doc)
    _, start, end = proposal.passage
    return {
        "question": part, "title": document.title, "headings": list(document.heading_path(start)),
        "passage": document.text[start:end],
    }  # fmt: skip


def _question(
    name: str,
    enquiry: Enquiry,
    parts: Sequence[Ranking],
    judged: Sequence[Sequence[Reply]],
    model: LanguageModel,
    pool: Pool,
) -> Question:
    needs: list[Need] = []
    proposed: list[dict[str, Any]] = []
    confidence, answerable = [], []
    unmet = []
    for number, (ranking, replies) in enumerate(zip(parts, judged)):
        chosen, sure = _accepted(ranking, replies, model.name == "offline")
        spans = [quoted for place in chosen for quoted in _evidence(ranking.proposals[place], replies[place], pool)]
        if spans:
            needs.append(Need(spans[0].quote[:FACT] if len(parts) == 1 else ranking.part, tuple(dict.fromkeys(spans))))
            confidence.append(sure)
        else:
            unmet.append(ranking.part)
        answerable.append(sure if model.name != "offline" and not spans else ranking.answerable)
        for place, (proposal, reply) in enumerate(zip(ranking.proposals, replies)):
            proposed.append(_row(number, proposal, reply, place in chosen, pool))
    meta: dict[str, Any] = {"asked": enquiry.asked}
    for key, value in (
        ("wordings", list(enquiry.wordings)), ("months", enquiry.months), ("as_asked", enquiry.as_asked),
        ("after", enquiry.after), ("masked", list(enquiry.masked)), ("unmet", unmet if needs else []),
    ):  # fmt: skip
        if value:
            meta[key] = value
    told = min(confidence) if needs else 1 - max(answerable, default=0.0)
    meta["confidence"] = round(told, 3)
    meta["confidences"] = [round(each, 3) for each in confidence] if len(needs) > 1 else []
    meta["answerable"] = round(max(answerable, default=0.0), 3)
    meta["parts"] = [ranking.part for ranking in parts] if len(parts) > 1 else []
    meta["proposed"] = proposed
    answer = " ".join(dict.fromkeys(need.spans[0].quote for need in needs))
    kind = "unanswerable" if not needs else "joined" if len(needs) > 1 else "one-fact"
    return Question(
        name, enquiry.question, answer, tuple(needs), kind, "draft", model.name,
        meta={key: value for key, value in meta.items() if value != []},
    )  # fmt: skip


def _accepted(ranking: Ranking, replies: Sequence[Reply], offline: bool) -> tuple[list[int], float]:
    """Which proposals are taken for evidence, and how sure that is (0 to 1). The built-in judge takes the first where
    more likely than not something answers; one that reads takes every place that answers at the highest level given."""
    if offline:
        taken = [0] if ranking.proposals and ranking.answerable >= 0.5 else []
        return taken, ranking.first
    levels = [reply.value["level"] if reply.value else -1 for reply in replies]
    best = max(levels, default=-1)
    if best < 0:  # no call came through: what the lists say
        return ([0] if ranking.proposals and ranking.answerable >= 0.5 else []), ranking.first
    return ([n for n, level in enumerate(levels) if level == best] if best >= ANSWERS else []), best / 3


def _evidence(proposal: Proposal, reply: Reply, pool: Pool) -> list[Quoted]:
    """The sentences that answer, at their places: those that a judge quotes, or else those that fit best, and the places
    of the same words elsewhere."""
    doc, start, end = proposal.passage
    text = pool.document(doc).text
    quotes = [] if reply.value is None else [quote for quote in reply.value["quotes"] if quote.strip()]
    ranges = []
    for quote in quotes:
        place = placed(Quoted(doc, start, start + 1, quote), text)
        found = place[0] if place else None
        if found is not None and found.start < end and start < found.end:
            ranges.append((found.start, found.end))
    first = min((left for left, _ in ranges), default=proposal.evidence[0])
    last = max((right for _, right in ranges), default=proposal.evidence[1])
    if last - first > end - start:
        first, last = proposal.evidence
    return [_quoted(doc, first, last, text), *(_quoted(*copy, pool.document(copy[0]).text) for copy in proposal.copies)]


def _quoted(doc: str, start: int, end: int, text: str) -> Quoted:
    return Quoted(doc, start, end, text[start:end], occurrence((start, end), text))


def _row(part: int, proposal: Proposal, reply: Reply, taken: bool, pool: Pool) -> dict[str, Any]:
    """A proposed place as a line of a test set holds it: enough to find it again."""
    doc, (start, end) = proposal.doc, proposal.evidence
    row: dict[str, Any] = {"doc": doc, "start": start, "end": end}
    row["quote"] = pool.document(doc).text[start:end][:_SHOWN]
    if part:
        row["part"] = part
    if taken:
        row["taken"] = True
    if reply.value is not None:
        row["level"] = reply.value["level"]
    return row
