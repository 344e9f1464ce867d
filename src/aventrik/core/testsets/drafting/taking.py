"""Which offers are taken: in the words in which they are asked, by kind, quota and difficulty, each one checked."""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Mapping, Sequence

from ...protocols import Task
from ...text import content_terms, numbers
from .. import Question, Quoted
from . import naming
from .brief import SINGLE, Quota, kinds_of, portions
from .checking import CheckOutcome
from .choosing import FEW_DOCUMENTS, HOW_SHARE, WHETHER_SHARE, GrowingSet, WordedOffer, asks_how, gist, ordered
from .collecting import SEVERAL
from .difficulty import copied
from .made import DraftWork
from .offers import Offer
from .passages import Passages

_ANY = ("question", "search")  # styles that a wording has by itself
_DRAWN, _LEAST_DRAWN = 6, 600  # offers of a kind that are looked at: for each question that is wanted, and at least


class Taking:
    """Takes offers until there are as many as are wanted; `taken` has them with the other places that answer them."""

    def __init__(self, work: DraftWork, offers: Mapping[str, Sequence[Offer]], already: Sequence[Question]) -> None:
        self.work, self.offers = work, offers
        self.taken: list[tuple[WordedOffer, tuple[Quoted, ...]]] = []
        self.passages: Passages
        brief, names = work.brief, work.material.names
        everything = brief.headings_only  # a person's own questions, all of them
        few = everything or len(names) < FEW_DOCUMENTS
        self.choice = GrowingSet(
            brief.count if few else math.ceil(brief.at_most * brief.count),
            brief.count if everything else int(WHETHER_SHARE * brief.count),
        )
        self.choice.asked.update(gist(question.question) for question in already)
        self.choice.asked.update(map(gist, brief.rejected))
        self.choice.quotas = brief.quotas
        self.choice.most = {quota.name: quota.wanted(brief.count) for quota in brief.quotas if quota.share}
        if sum(quota.share for quota in brief.quotas) > 1 - 1e-9:
            self.choice.most = {**self.choice.most, "": 0}
        most = portions(brief.count, brief.styles)
        self.choice.styles = {style: math.ceil(1.25 * count) + 1 for style, count in most.items() if style not in _ANY}
        self.styles = _dealt(most, brief.seed)

    def choose(self) -> None:
        """Takes of each kind what is wanted, rarest kinds first, and makes up what is missing from the others."""
        self.work.made.wanted = kinds_of(self.work.brief, self.work.made.offered)
        order = sorted(self.offers, key=lambda kind: (len(self.offers[kind]), kind))
        drawn = {kind: self._drawn(kind) for kind in order}
        hide = [quoted for offers in drawn.values() for offer in offers for quoted in offer.hide]
        self.passages = self.work.material.passages_without(hide)
        queues = {}
        for kind in order:
            candidates = [self._candidate(offer, number) for number, offer in enumerate(drawn[kind])]
            wanted = self.work.made.wanted.get(kind, 0)
            queues[kind] = ordered(candidates, wanted, self.work.brief.difficulty, f"{self.work.brief.seed} {kind}")
        for quota in self.work.brief.quotas:
            self._fill(queues, quota)
        how = round(HOW_SHARE * self.work.brief.count)
        for kind in SINGLE:  # people ask how, and which; titles and sentences mostly say what
            most = min(how - self._count_how(), self.work.made.wanted.get(kind, 0) - self._count(kind))
            self._take(queues[kind], most, only=asks_how)
        for kind in order:
            self._take(queues[kind], self.work.made.wanted.get(kind, 0) - self._count(kind))
        for kind in (*SINGLE, *SEVERAL):
            if self.work.made.wanted.get(kind):
                self._take(queues.get(kind, []), self.work.brief.count - len(self.taken))

    def _fill(self, queues: dict[str, list[WordedOffer]], quota: Quota) -> None:
        """Takes what a quota is to give, of each kind its part."""
        shares = {kind: float(count) for kind, count in self.work.made.wanted.items() if count}
        parts = portions(quota.wanted(self.work.brief.count), shares)
        for kind in sorted(parts, key=lambda kind: (len(queues.get(kind, ())), kind)):
            self._take(queues.get(kind, []), parts[kind], quota.name)
        for kind in (*SINGLE, *SEVERAL):
            missing = quota.wanted(self.work.brief.count) - self.choice.given[quota.name]
            if self.work.made.wanted.get(kind):
                self._take(queues.get(kind, []), missing, quota.name)

    def _count_how(self) -> int:
        return sum(asks_how(candidate.wording) for candidate, _ in self.taken)

    def _count(self, kind: str) -> int:
        return sum(candidate.offer.kind == kind for candidate, _ in self.taken)

    def _drawn(self, kind: str) -> list[Offer]:
        """The offers of a kind, or as many of them as are worth looking at, in an order that the seed decides."""
        offers = list(self.offers[kind])
        random.Random(f"drawn {self.work.brief.seed} {kind}").shuffle(offers)
        return offers[: max(_LEAST_DRAWN, _DRAWN * self.work.brief.count)]

    def _candidate(self, offer: Offer, number: int) -> WordedOffer:
        """An offer in the words in which it would be asked: it may name what the corpus is about, and has a style."""
        seed = f"{self.work.brief.seed} {offer.doc} {offer.question}"
        wording, style = offer.question, offer.style
        if offer.kind in ("passage", "one-fact") and offer.rule not in ("heading", "prompt"):
            wording = naming.placed(wording, [self.work.material.subject.phrase], self.work.brief.named, seed)
        evidence = [quoted for need in offer.needs for quoted in need.spans]
        if offer.kind == "passage" and offer.rule == "title":
            held = frozenset(term for quoted in evidence for term in content_terms(quoted.quote))
            wording = self.work.rules.in_other_words(wording, held, seed, self.passages.index.document_frequency)
        if offer.rule not in ("heading", "prompt") and self.styles:
            wanted = self.styles[number % len(self.styles)]
            if wanted == "question" and style in self.work.brief.styles:
                wanted = style  # words for a search stay so where some are wanted
            long = offer.kind in ("joined", "comparison")
            told = self.work.rules.restyled(wording, wanted, seed, long) if wanted != style else wording
            wording, style = (told, wanted) if told else (wording, style)
        rank = self.passages.rank(wording, evidence) if evidence else 0
        topic = self.work.material.topic_of(evidence[0].doc, evidence[0].start) if evidence else -1
        return WordedOffer(offer, wording, style, copied(wording, (quoted.quote for quoted in evidence)), rank, topic)

    def _take(
        self, queue: list[WordedOffer], most: int, quota: str = "", only: Callable[[str], bool] | None = None
    ) -> None:
        """Takes up to so many good ones off a queue; of one quota alone where it is named, and `only` some wordings."""
        taken = 0
        before, queue[:] = list(queue), []
        for candidate in before:
            offer = candidate.offer
            other = (quota and self.choice.quota_of(offer) != quota) or (only and not only(candidate.wording))
            if other or taken >= most:
                queue.append(candidate)
                continue
            too_many = self.choice.refusal(offer, candidate.style)
            if offer.rule not in ("heading", "prompt") and candidate.style not in self.work.brief.styles:
                too_many = "it can't be put in a style that is wanted"
            if too_many:
                self.work.made.aside[too_many] += 1
                continue
            outcome = self._held_against_others(offer)
            if outcome.reason:
                self.work.drop(offer, outcome.reason, outcome)
                continue
            self.choice.take(offer, candidate.style)
            self.taken.append((candidate, outcome.alternatives))
            taken += 1
            self.work.progress(len(self.taken))

    def _held_against_others(self, offer: Offer) -> CheckOutcome:
        """Sentences elsewhere that speak of the same: those that say the same are further places of the answer, one that
        says otherwise drops the question. Where any sentence of a section will do, none is held against others."""
        if offer.rule != "prompt" and offer.kind in ("one-fact", "table"):
            return self.work.material.checker.check(offer.question, offer.answer, offer.needs[0].spans[0])
        if offer.rule != "prompt" or len(offer.needs) != 1:
            return CheckOutcome()
        source = offer.needs[0].spans[0]
        alike = self.work.material.checker.alike(source)
        verdicts = self._verdicts(offer.answer, alike)
        for quoted, verdict in zip(alike, verdicts):
            if verdict == "contradicted":
                return CheckOutcome(
                    "contested: another sentence speaks of the same and says otherwise", quoted.doc, quoted.quote
                )
        return CheckOutcome(
            alternatives=tuple(quoted for quoted, verdict in zip(alike, verdicts) if verdict == "supported")
        )

    def _verdicts(self, answer: str, alike: Sequence[Quoted]) -> list[str]:
        if self.work.judge is None:
            figures = set(numbers(answer))
            held = [set(numbers(quoted.quote)) for quoted in alike]
            return [
                "not found" if not figures or not each else "supported" if figures <= each else "contradicted"
                for each in held
            ]
        tasks = [
            Task(
                "verdict",
                {
                    "context": [{"number": 1, "source": quoted.doc, "text": quoted.quote}],
                    "question": "",
                    "claims": [answer],
                },
            )
            for quoted in alike
        ]
        return [
            str(reply.value["verdicts"][0]["verdict"]) if reply.value else "not found"
            for reply in self.work.judge.perform(tasks)
        ]


def _dealt(counts: Mapping[str, int], seed: int) -> list[str]:
    """The names as often as they are wanted, shuffled."""
    found = [name for name, count in counts.items() for _ in range(count)]
    random.Random(f"styles {seed}").shuffle(found)
    return found
