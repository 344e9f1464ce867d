"""Questions of what was taken: with evidence, with all that they hide, and with how hard they are to find."""

from __future__ import annotations

import random
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from ...protocols import Task
from .. import Question, Quoted
from .choosing import WordedOffer
from .difficulty import difficulty_of
from .made import DraftWork
from .mentions import mentions
from .offers import Offer
from .passages import Passages

_TITLES = ("title", "heading", "caption")  # rules whose words stand apart from any evidence
Taken = Sequence[tuple[WordedOffer, tuple[Quoted, ...]]]


class Finishing:
    """Makes questions, numbered from `first`."""

    def __init__(
        self, work: DraftWork, offers: Mapping[str, Sequence[Offer]], taken: Taken, passages: Passages, first: int
    ) -> None:
        self.work, self.offers, self.taken, self.passages, self.first = work, offers, taken, passages, first

    def finish(self) -> None:
        """Puts the questions into the draft, in an order that the seed decides, each with what it hides and how hard it is."""
        taken = sorted(self.taken, key=lambda row: (row[0].offer.doc, row[0].wording))
        random.Random(f"order {self.work.brief.seed}").shuffle(taken)
        hidden = [quoted for candidate, _ in taken for quoted in candidate.offer.hide]
        everywhere = (
            mentions(hidden, (self.work.material.fetch(name) for name in self.work.material.names)) if hidden else {}
        )
        beside, known = self._beside(taken), self._known()
        for number, (candidate, alternatives) in enumerate(taken):
            own = {quoted.quote.strip() for quoted in candidate.offer.hide}
            others = [quoted for words in sorted(own) for quoted in everywhere.get(words, ())]
            others.extend(beside.pop(candidate.offer.doc, ()))
            question = self._question(candidate, alternatives, f"q{self.first + number:04d}", others)
            if candidate.wording in known:
                question = replace(question, meta={**question.meta, "known": True})
            self.work.made.questions.append(question)

    def _beside(self, taken: Sequence[tuple[WordedOffer, tuple[Quoted, ...]]]) -> dict[str, list[Quoted]]:
        """By document, titles that were not made questions: they are hidden with the others, or the sections that are
        asked about would be the only ones to be found without their titles."""
        asked = {quoted for candidate, _ in taken for quoted in candidate.offer.hide}
        documents = {quoted.doc for quoted in asked}
        found: dict[str, list[Quoted]] = {}
        for offer in self.offers["passage"]:
            for quoted in offer.hide if offer.rule in _TITLES else ():
                if quoted.doc in documents and quoted not in asked:
                    found.setdefault(quoted.doc, []).append(quoted)
        return found

    def _question(
        self, candidate: WordedOffer, alternatives: tuple[Quoted, ...], name: str, others: Sequence[Quoted]
    ) -> Question:
        offer, needs = candidate.offer, candidate.offer.needs
        if alternatives:
            needs = (replace(needs[0], spans=(*needs[0].spans, *alternatives)), *needs[1:])
        meta: dict[str, Any] = {"rule": offer.rule, "style": candidate.style, "seed": self.work.brief.seed}
        if needs:
            rarity = self.passages.rarity(candidate.wording)
            meta["difficulty"] = difficulty_of(candidate.wording, candidate.copied, candidate.rank, rarity, len(needs))
        if offer.near:
            meta["near"] = f"{offer.near} in {offer.home}"
        return Question(
            id=name,
            question=candidate.wording,
            answer=offer.answer,
            needs=needs,
            kind=offer.kind,
            status="draft",
            by=self.work.model.name,
            tags=(offer.topic,) if offer.topic else (),
            meta=meta,
            hide=(*offer.hide, *others),
        )

    def _known(self) -> set[str]:
        """The questions taken that the model answers rightly without any document."""
        asked = [candidate for candidate, _ in self.taken if candidate.offer.rule == "prompt" and candidate.offer.needs]
        if self.work.ruled or not asked:
            return set()
        replies = self.work.model.perform([Task("known", {"question": each.wording}) for each in asked])
        said = [(each, reply.value) for each, reply in zip(asked, replies) if reply.value and reply.value["known"]]
        stated = self.work.model.perform(
            [
                Task("stated", {"question": each.wording, "facts": [each.offer.answer], "answer": str(value["answer"])})
                for each, value in said
            ]
        )
        return {each.wording for (each, _), reply in zip(said, stated) if reply.value and any(reply.value["stated"])}
