"""An answer to its claims, and each claim to a verdict against the served context."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ..answering import Answer
from ..context import Served
from ..protocols import LanguageModel, Task

LONGEST = 100_000  # characters of an answer that is judged
RELEVANT, AGREEING = 3, 2  # the highest levels of `addressed` and `consistent`
MOST_CLAIMS = 200  # claims of one


@dataclass(frozen=True)
class Verdict:
    """`verdict` is supported, contradicted, not found or too far to tell; `quotes` are (item number, words) that it rests
    on; `confidence` is how sure the judge is of it, 0 to 1."""

    claim: str
    verdict: str
    reason: str
    cites: tuple[int, ...]
    quotes: tuple[tuple[int, str], ...]
    confidence: float = 1.0

    @property
    def support(self) -> float:
        """How likely the claim is supported, by the judge's own confidence, 0 to 1; ½ where it can't tell."""
        if self.verdict == "too far to tell":
            return 0.5
        return self.confidence if self.verdict == "supported" else 1 - self.confidence


@dataclass(frozen=True)
class Judgement:
    """The verdicts on an answer against its context; which reference facts it states; which of its claims the
    reference answer or its evidence supports; how far it addresses the question, 0 to 1 (None: not judged); and why
    judging failed, if it did."""

    verdicts: tuple[Verdict, ...] = ()
    stated: tuple[bool, ...] = ()
    right: tuple[bool, ...] = ()
    failure: str = ""
    relevance: float | None = None

    @property
    def claims(self) -> list[dict[str, Any]]:
        """The claims that were judged, as a model splits them off."""
        return [{"text": each.claim, "cites": list(each.cites)} for each in self.verdicts]


@dataclass(frozen=True)
class Reference:
    """What an answer is held against: the facts that it should state, and the texts that make a claim right."""

    facts: tuple[str, ...] = ()
    texts: tuple[str, ...] = ()

    @property
    def context(self) -> list[dict[str, Any]]:
        return [{"number": n, "source": "reference", "text": text} for n, text in enumerate(self.texts, 1)]


def judge(
    questions: Sequence[str],
    answers: Sequence[Answer],
    contexts: Sequence[Sequence[Served] | None],
    references: Sequence[Reference],
    model: LanguageModel,
    first: Sequence[Judgement] = (),
) -> list[Judgement]:
    """A judgement of each answer; one that declines or failed has no verdicts and states nothing, and one whose context
    is not known (None) has no verdicts. An answer of more than `LONGEST` characters or `MOST_CLAIMS` claims is not
    judged, and its failure says so. `first`: the judgements of another judge, whose claims are judged."""
    spoken = [place for place, answer in enumerate(answers) if not answer.declined and not answer.failure]
    failures: dict[int, str] = {}
    for place in spoken:
        if len(answers[place].text) > LONGEST:
            failures[place] = f"the answer has {len(answers[place].text):,} characters; {LONGEST:,} are judged"
    spoken = [place for place in spoken if place not in failures]

    def ask(rows: Sequence[tuple[int, Task]]) -> list[dict[str, Any] | None]:
        replies = model.perform([task for _, task in rows])
        for (place, _), reply in zip(rows, replies):
            if reply.value is None:
                failures.setdefault(place, reply.failure)
        return [reply.value for reply in replies]

    taken = {place: each.claims for place, each in enumerate(first) if each.verdicts}
    unsplit = [place for place in spoken if place not in taken]
    split = ask([(p, Task("claims", {"question": questions[p], "answer": answers[p].text})) for p in unsplit])
    made = taken | {place: value["claims"] for place, value in zip(unsplit, split) if value}
    for place, some in made.items():
        if len(some) > MOST_CLAIMS:
            failures[place] = f"the answer makes {len(some):,} claims; {MOST_CLAIMS} are judged"
    claims = [(place, claim) for place in spoken if place not in failures for claim in made.get(place, ())]
    context = {place: [item.fields for item in shown] for place in spoken if (shown := contexts[place]) is not None}
    facing = [(place, claim) for place, claim in claims if place in context]
    held = ask([(p, Task("verdict", {"claim": claim["text"], "context": context[p]})) for p, claim in facing])
    known = [(p, claim) for p, claim in claims if references[p].texts]
    right = ask(
        [(p, Task("verdict", {"claim": claim["text"], "context": references[p].context})) for p, claim in known]
    )
    wanted = [place for place in spoken if references[place].facts and place not in failures]
    stated = ask(
        [
            (
                p,
                Task(
                    "stated", {"question": questions[p], "facts": list(references[p].facts), "answer": answers[p].text}
                ),
            )
            for p in wanted
        ]
    )
    whole = [place for place in spoken if place not in failures]
    level = ask([(p, Task("addressed", {"question": questions[p], "answer": answers[p].text})) for p in whole])
    relevance = {p: int(value["level"]) / RELEVANT for p, value in zip(whole, level) if value}
    verdicts: dict[int, list[Verdict]] = {}
    for (place, claim), value in zip(facing, held):
        if value:
            verdicts.setdefault(place, []).append(_verdict(claim, value))
    agreed: dict[int, list[bool]] = {}
    for (place, _), value in zip(known, right):
        if value:
            agreed.setdefault(place, []).append(value["verdict"] == "supported")
    said = {p: tuple(map(bool, value["stated"])) for p, value in zip(wanted, stated) if value}
    return [
        Judgement(failure=failures[place])
        if place in failures
        else Judgement(
            tuple(verdicts.get(place, ())),
            said.get(place, (False,) * len(references[place].facts)),
            tuple(agreed.get(place, ())),
            relevance=relevance.get(place),
        )
        for place in range(len(answers))
    ]


def _verdict(claim: dict[str, Any], value: dict[str, Any]) -> Verdict:
    quotes = tuple((int(quote["item"]), str(quote["quote"])) for quote in value["quotes"])
    sure = float(value.get("confidence", 1.0))
    return Verdict(claim["text"], value["verdict"], value["reason"], tuple(claim["cites"]), quotes, sure)


@dataclass(frozen=True)
class Agreement:
    """How far the answers to other wordings of a question agree with the answer to it: the mean over them, 0 to 1; the
    wordings and answers; and why there is none, if so."""

    value: float | None = None
    wordings: tuple[str, ...] = ()
    answers: tuple[str, ...] = ()
    failure: str = ""


def agreements(
    questions: Sequence[str],
    answers: Sequence[Answer],
    others: Sequence[Sequence[tuple[str, Answer]]],
    model: LanguageModel,
) -> list[Agreement]:
    """How far each answer agrees with `others`: (wording, answer) of the same question. Two that decline agree; one that
    declines and one that answers do not; the judge compares the rest."""
    rows = [
        (place, number, other.text) for place, few in enumerate(others) for number, (_, other) in enumerate(few)
        if not answers[place].failure and not other.failure and not (answers[place].declined or other.declined)
    ]  # fmt: skip
    replies = model.perform(
        [
            Task("consistent", {"question": questions[p], "first": answers[p].text, "second": text})
            for p, _, text in rows
        ]
    )
    said = {(place, number): reply for (place, number, _), reply in zip(rows, replies)}
    made = []
    for place, few in enumerate(others):
        values, failure = [], answers[place].failure
        for number, (_, other) in enumerate(few):
            reply = said.get((place, number))
            if reply is not None and reply.value is not None:
                values.append(int(reply.value["level"]) / AGREEING)
            elif reply is not None or other.failure:
                failure = failure or other.failure or (reply.failure if reply else "")
            elif not answers[place].failure:
                values.append(float(answers[place].declined == other.declined))
        value = sum(values) / len(values) if values and not failure else None
        made.append(Agreement(value, tuple(text for text, _ in few), tuple(other.text for _, other in few), failure))
    return made
