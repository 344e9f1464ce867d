"""All that is offered for a draft: by rules from titles, sentences and tables, or by a model from passages."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace
from typing import Any

from ...protocols import Task
from .. import Need, Quoted
from . import asking
from .brief import SINGLE, kinds_of
from .choosing import gist
from .faults import fault
from .fitness import FIT, unfit
from .made import DraftWork
from .offers import Offer
from .sampling import Passage, spread

SEVERAL = ("joined", "comparison")
_BATCH = 16
_ENOUGH = 4  # offers that are looked for, for each question that is wanted
_ENOUGH_ASKED = 1.5  # the same of a model, of which every one costs


class Collecting:
    """Gathers offers by kind."""

    def __init__(self, work: DraftWork) -> None:
        self.work = work
        self.offers: dict[str, list[Offer]] = {kind: [] for kind in (*SINGLE, *SEVERAL, "unanswerable")}

    def collect(self) -> dict[str, list[Offer]]:
        """All that is offered, by kind: by the rules, from titles, sentences and tables; or by the model, from passages."""
        self._collect()
        return self.offers

    def _collect(self) -> None:
        kinds, seed = self.work.brief.kinds, self.work.brief.seed
        if self.work.brief.headings_only:
            self._offer(self._titled())
            return
        ruled = self.work.ruled
        titled = self._titled() if ruled else []
        self._offer(titled)
        stated = list(self._stated()) if any(kinds.get(kind) for kind in ("single", *SINGLE)) else []
        self._offer(stated)
        if not ruled:
            self._ask_for_the_others()
            return
        if len(titled) + len(stated) < _ENOUGH * self.work.brief.count:  # documents without titles
            self._offer(
                offer
                for name in self.work.material.names
                for offer in self.work.rules.of_openings(self.work.material.fetch(name))
            )
        rules, material = self.work.rules, self.work.material
        if kinds.get("joined"):
            self._offer(rules.joined([*titled, *stated]))
        if kinds.get("comparison"):
            self._offer(rules.comparing(titled, material, seed))
        if kinds.get("unanswerable"):
            self._offer(rules.unanswerable(titled, stated, material, seed))

    def _ask_for_the_others(self) -> None:
        """What a model offers of joined, comparing and unanswerable questions."""
        wanted = kinds_of(self.work.brief, {"passage": 1})
        few = {kind: 2 * wanted.get(kind, 0) for kind in (*SEVERAL, "unanswerable")}
        passages = [each for each, _ in zip(self._fitting(), range(sum(few.values())))]
        first = 0
        for kind in (*SEVERAL, "unanswerable"):
            some = [passages[(first + place) % len(passages)] for place in range(min(few[kind], len(passages)))]
            first += len(some)
            if kind == "unanswerable":
                self._offer(
                    self._sound(asking.unanswered_offers(some, self.work.model, self.work.brief, self.work.material))
                )
            else:
                pairs = list(asking.pairs_of(self.work.material, some))
                self._offer(
                    self._sound(asking.joined_offers(kind, pairs, self.work.model, self.work.brief, self.work.material))
                )

    def _fitting(self) -> Iterator[Passage]:
        """Passages all over the corpus that can be asked about; those that were asked about already come last."""
        for passage in spread(self.work.material.names, self.work.material.fetch, self.work.brief.seed + 1):
            if not self._against(passage):
                yield passage

    def _against(self, passage: Passage) -> str:
        """Why nothing is asked about a passage, "" where something is; what people said of it counts before the rules."""
        if passage.key in self.work.brief.sound:
            return ""
        if self.work.brief.against(passage.doc, passage.start):
            return "people call it unfit"
        return unfit(self.work.material.fetch(passage.doc), passage.start, passage.start + len(passage.text))

    def _offer(self, offers: Iterable[Offer]) -> None:
        for offer in offers:
            if offer.kind in self.offers and not self._unfit(offer):
                self.offers[offer.kind].append(offer)
                self.work.made.offered[offer.kind] += 1

    def _unfit(self, offer: Offer) -> bool:
        """Whether evidence of an offer lies where people say that nothing is to be asked."""
        return any(
            self.work.brief.against(quoted.doc, quoted.start) for need in offer.needs for quoted in need.spans[:1]
        )

    def _titled(self) -> list[Offer]:
        """Offers from titles and captions; sections with the same title are alternatives of one another."""
        found: dict[frozenset[str], Offer] = {}
        for name in self.work.material.names:
            document = self.work.material.fetch(name)
            offers = list(self.work.rules.of_titles(document, self.work.material.usage, self.work.brief.headings_only))
            if not self.work.brief.headings_only:
                offers.extend(self.work.rules.of_captions(document, self.work.material.usage))
            for offer in offers:
                key = gist(offer.question)
                if key in found:
                    offer = _either(found[key], offer)
                found[key] = offer
        return list(found.values())

    def _stated(self) -> Iterator[Offer]:
        """Offers of the model from passages all over the corpus, until there are enough to choose from."""
        ruled = self.work.ruled
        wanted = self.work.brief.count * (_ENOUGH if ruled else _ENOUGH_ASKED)
        count = 0
        for batch in _batches(spread(self.work.material.names, self.work.material.fetch, self.work.brief.seed)):
            fit = self._graded([passage for passage in batch if self._fits(passage)])
            fields = [
                each.fields if ruled else asking.fields_of(each, self.work.brief, self.work.material) for each in fit
            ]
            replies = self.work.model.perform([Task("questions", each) for each in fields])
            for passage, reply in zip(fit, replies):
                if reply.value is None:
                    self.work.drop(Offer("", "", "", (), self.work.model.name, home=passage.doc), "the writer failed")
                    continue
                for offer in self._sound(self._placed(item, passage) for item in reply.value["questions"]):
                    count += 1
                    yield offer
            if count >= wanted:
                return

    def _graded(self, passages: list[Passage]) -> list[Passage]:
        """Those passages that the model finds worth a question."""
        if self.work.ruled or not passages:
            return passages
        kept = []
        for passage, reply in zip(
            passages, self.work.model.perform([Task("fitness", each.fields) for each in passages])
        ):
            grade = FIT if reply.value is None else int(reply.value["grade"])
            reason = "" if reply.value is None else str(reply.value["reason"])
            self.work.made.grades.append((passage.doc, passage.start, passage.text, grade, reason))
            if grade >= FIT:
                kept.append(passage)
            else:
                self.work.made.passed_over.append((passage.doc, passage.start, f"graded {grade} of 3: {reason}"))
        return kept

    def _sound(self, offers: Iterable[Offer | None]) -> Iterator[Offer]:
        """The offers that are sound by themselves; the others are dropped with the reason."""
        for offer in offers:
            if offer is None:
                continue
            quotes = [quoted.quote for need in offer.needs for quoted in need.spans]
            reason = fault(offer.question, offer.answer, quotes, self._around(offer))
            if reason:
                self.work.drop(offer, reason)
            else:
                yield offer

    def _around(self, offer: Offer) -> list[str]:
        found = []
        for need in offer.needs:
            document = self.work.material.fetch(need.spans[0].doc)
            found.extend([document.title, *document.heading_path(need.spans[0].start)])
        return found

    def _fits(self, passage: Passage) -> bool:
        self.work.made.passages += 1
        reason = self._against(passage)
        if reason:
            self.work.made.passed_over.append((passage.doc, passage.start, reason))
        return not reason

    def _placed(self, item: Mapping[str, Any], passage: Passage) -> Offer | None:
        offer = asking.offer_of(item, passage, self.work.material)
        if offer is None:
            lost = Offer(item["question"], item["answer"], item["kind"], (), "prompt", home=passage.doc)
            self.work.drop(lost, "its quote is not in the passage")
            return None
        if item.get("hide"):
            apart = _parted(offer.needs[0].spans[0], item["hide"])
            if apart:
                return replace(offer, needs=(Need(apart[0].quote, apart[:1]),), hide=apart[1:])
        return offer


def _either(one: Offer, other: Offer) -> Offer:
    """One offer whose need is met by the evidence of either."""
    need = replace(one.needs[0], spans=(*one.needs[0].spans, *other.needs[0].spans))
    return replace(one, needs=(need,), hide=(*one.hide, *other.hide))


def _parted(quoted: Quoted, words: str) -> tuple[Quoted, Quoted] | None:
    """The quote without the words that it begins with, and these as what is hidden; None where nothing would be left."""
    at = quoted.quote.find(words)
    end = at + len(words)
    rest = quoted.quote[end:].lstrip(" ;:,")
    if at < 0 or not rest:
        return None
    start = quoted.end - len(rest)
    hidden = Quoted(quoted.doc, quoted.start + at, quoted.start + end, words)
    return Quoted(quoted.doc, start, quoted.end, rest), hidden


def _batches(passages: Iterator[Passage]) -> Iterator[list[Passage]]:
    batch: list[Passage] = []
    for passage in passages:
        batch.append(passage)
        if len(batch) == _BATCH:
            yield batch
            batch = []
    if batch:
        yield batch
