"""A test set from a corpus: wordings are offered by rules or a model, checked against all documents, and chosen."""

from __future__ import annotations

import math
import random
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from ...documents import Document
from ...offline.rows import ask_cell
from ...protocols import LanguageModel, Task
from ...text import content_terms, numbers
from .. import Need, Question, Quoted
from . import absent, asking, naming
from .brief import SINGLE, Brief, Quota, kinds_of, portions
from .captions import of_captions
from .checking import Outcome
from .choosing import FEW_DOCUMENTS, WHETHER_SHARE, Candidate, Choice, gist, ordered
from .differences import differences
from .difficulty import copied, difficulty_of
from .faults import fault
from .fitness import unfit
from .material import Material
from .mentions import mentions
from .offers import Offer
from .pairs import compared, joined
from .passages import Passages
from .sampling import Passage, spread
from .styles import restyled
from .titles import of_titles
from .twins import in_other_words

_BATCH = 16
_FIT = 2  # the least grade of a passage that is asked about
_ENOUGH_ASKED = 1.5  # the same of a model, of which every offer costs
_ENOUGH = 4  # offers of sentences that are looked for, for each question that is wanted
_DRAWN, _LEAST_DRAWN = 6, 600  # offers of a kind that are looked at: for each question that is wanted, and at least
_ANY = ("question", "search")  # styles that a wording has by itself
SEVERAL = ("joined", "comparison")


@dataclass(frozen=True)
class Dropped:
    """An offer that was not kept: why, and the sentence and document that speak against it."""

    question: str
    doc: str
    rule: str
    reason: str
    rival: str = ""
    rival_doc: str = ""


@dataclass
class Draft:
    """The questions kept, what was wanted and made of each kind, and what was dropped."""

    questions: list[Question] = field(default_factory=list)
    dropped: list[Dropped] = field(default_factory=list)
    passages: int = 0
    wanted: dict[str, int] = field(default_factory=dict)
    offered: Counter[str] = field(default_factory=Counter)
    quotas: dict[str, int] = field(default_factory=dict)  # how many each quota gave
    grades: list[tuple[str, int, str, int, str]] = field(default_factory=list)  # of passages, by a model, with reason
    passed_over: list[tuple[str, int, str]] = field(default_factory=list)  # document, start, why nothing is asked there

    @property
    def reasons(self) -> Counter[str]:
        """How many were dropped for which reason."""
        return Counter(each.reason for each in self.dropped)

    @property
    def made(self) -> Counter[str]:
        """How many of each kind were kept."""
        return Counter(question.kind for question in self.questions)

    @property
    def contested(self) -> Counter[tuple[str, str]]:
        """Pairs of documents that say different things in the same words."""
        return Counter((each.doc, each.rival_doc) for each in self.dropped if each.rival_doc)


def draft(
    names: Sequence[str],
    fetch: Callable[[str], Document],
    model: LanguageModel,
    brief: Brief,
    already: Sequence[Question] = (),
    progress: Callable[[int], None] = lambda done: None,
    judge: LanguageModel | None = None,
) -> Draft:
    """Up to `brief.count` checked questions from the documents `names`, spread over them; fewer when no more are good.

    `already` are questions of an earlier draft: none of them is asked again. `judge` is asked whether a sentence that
    speaks of the same says the same as a model's question and answer; without it figures alone decide that.
    """
    work = _Drafting(Material.over(names, fetch), model, brief, already, progress)
    work.judge = judge
    work.collect()
    work.choose()
    return work.finished()


class _Drafting:
    """One draft on its way: offers by kind, then those that are taken, then questions."""

    def __init__(
        self,
        material: Material,
        model: LanguageModel,
        brief: Brief,
        already: Sequence[Question],
        progress: Callable[[int], None],
    ) -> None:
        self.material, self.model, self.brief, self.progress = material, model, brief, progress
        self.made = Draft()
        self.judge: LanguageModel | None = None
        self.offers: dict[str, list[Offer]] = {kind: [] for kind in (*SINGLE, *SEVERAL, "unanswerable")}
        self.taken: list[tuple[Candidate, tuple[Quoted, ...]]] = []
        self.passages: Passages
        at_most = math.ceil(brief.at_most * brief.count) if len(material.names) >= FEW_DOCUMENTS else brief.count
        if brief.headings_only:  # a person's own questions, all of them
            at_most = brief.count
        self.choice = Choice(at_most, brief.count if brief.headings_only else int(WHETHER_SHARE * brief.count))
        most = portions(brief.count, brief.styles)
        self.choice.quotas = brief.quotas
        self.choice.most = {quota.name: quota.wanted(brief.count) for quota in brief.quotas if quota.share}
        if sum(quota.share for quota in brief.quotas) > 1 - 1e-9:
            self.choice.most = {**self.choice.most, "": 0}
        self.choice.styles = {style: math.ceil(1.25 * count) + 1 for style, count in most.items() if style not in _ANY}
        self.choice.asked.update(gist(question.question) for question in already)
        self.first = 1 + max((int(q.id[1:]) for q in already if q.id[:1] == "q" and q.id[1:].isdigit()), default=0)
        self.styles = _dealt(portions(brief.count, brief.styles), brief.seed)

    # Offers.

    def collect(self) -> None:
        """All that is offered: by the rules, from titles, sentences and tables; or by the model, from passages."""
        kinds, seed = self.brief.kinds, self.brief.seed
        if self.brief.headings_only:
            self._offer(self._titled())
            return
        ruled = self.model.name == "offline"
        titled = self._titled() if ruled else []
        self._offer(titled)
        stated = list(self._stated()) if any(kinds.get(kind) for kind in ("single", *SINGLE)) else []
        self._offer(stated)
        if not ruled:
            self._ask_for_the_others()
            return
        if kinds.get("joined"):
            self._offer(joined([*titled, *stated]))
        if kinds.get("comparison"):
            self._offer(differences(self.material.tables, self.material.usage, seed))
            self._offer(compared(titled))
        if kinds.get("unanswerable"):
            self._offer(absent.of_rows(self.material.tables, self.material.passages, ask_cell, seed))
            texts = {name: self.material.fetch(name).text for name in {offer.doc for offer in titled if offer.frame}}
            self._offer(absent.of_names(titled, texts, self.material.passages, seed))
            self._offer(absent.of_properties(titled, self.material.passages, seed))

    def _ask_for_the_others(self) -> None:
        """What a model offers of joined, comparing and unanswerable questions."""
        wanted = kinds_of(self.brief, {"passage": 1})
        few = {kind: 2 * wanted.get(kind, 0) for kind in (*SEVERAL, "unanswerable")}
        passages = [each for each, _ in zip(self._fitting(), range(sum(few.values())))]
        first = 0
        for kind in (*SEVERAL, "unanswerable"):
            some = [passages[(first + place) % len(passages)] for place in range(min(few[kind], len(passages)))]
            first += len(some)
            if kind == "unanswerable":
                self._offer(self._sound(asking.unanswered_offers(some, self.model, self.brief, self.material)))
            else:
                pairs = list(asking.pairs_of(self.material, some))
                self._offer(self._sound(asking.joined_offers(kind, pairs, self.model, self.brief, self.material)))

    def _fitting(self) -> Iterator[Passage]:
        """Passages all over the corpus that can be asked about; those that were asked about already come last."""
        for passage in spread(self.material.names, self.material.fetch, self.brief.seed + 1):
            if not unfit(self.material.fetch(passage.doc), passage.start, passage.start + len(passage.text)):
                yield passage

    def _offer(self, offers: Iterator[Offer] | Sequence[Offer]) -> None:
        for offer in offers:
            if offer.kind in self.offers:
                self.offers[offer.kind].append(offer)
                self.made.offered[offer.kind] += 1

    def _titled(self) -> list[Offer]:
        """Offers from titles and captions; sections with the same title are alternatives of one another."""
        found: dict[frozenset[str], Offer] = {}
        for name in self.material.names:
            document = self.material.fetch(name)
            offers = list(of_titles(document, self.material.usage, self.brief.headings_only))
            if not self.brief.headings_only:
                offers.extend(of_captions(document, self.material.usage))
            for offer in offers:
                key = gist(offer.question)
                if key in found:
                    offer = _either(found[key], offer)
                found[key] = offer
        return list(found.values())

    def _stated(self) -> Iterator[Offer]:
        """Offers of the model from passages all over the corpus, until there are enough to choose from."""
        ruled = self.model.name == "offline"
        wanted = self.brief.count * (_ENOUGH if ruled else _ENOUGH_ASKED)
        count = 0
        for batch in _batches(spread(self.material.names, self.material.fetch, self.brief.seed)):
            fit = self._graded([passage for passage in batch if self._fits(passage)])
            fields = [each.fields if ruled else asking.fields_of(each, self.brief, self.material) for each in fit]
            replies = self.model.perform([Task("questions", each) for each in fields])
            for passage, reply in zip(fit, replies):
                if reply.value is None:
                    self._drop(Offer("", "", "", (), self.model.name, near=f"- in {passage.doc}"), "the writer failed")
                    continue
                for offer in self._sound(self._placed(item, passage) for item in reply.value["questions"]):
                    count += 1
                    yield offer
            if count >= wanted:
                return

    def _graded(self, passages: list[Passage]) -> list[Passage]:
        """Those passages that the model finds worth a question."""
        if self.model.name == "offline" or not passages:
            return passages
        kept = []
        for passage, reply in zip(passages, self.model.perform([Task("fitness", each.fields) for each in passages])):
            grade = _FIT if reply.value is None else int(reply.value["grade"])
            reason = "" if reply.value is None else str(reply.value["reason"])
            self.made.grades.append((passage.doc, passage.start, passage.text, grade, reason))
            if grade >= _FIT:
                kept.append(passage)
            else:
                self.made.passed_over.append((passage.doc, passage.start, f"graded {grade} of 3: {reason}"))
        return kept

    def _sound(self, offers: Iterable[Offer | None]) -> Iterator[Offer]:
        """The offers that are sound by themselves; the others are dropped with the reason."""
        for offer in offers:
            if offer is None:
                continue
            quotes = [quoted.quote for need in offer.needs for quoted in need.spans]
            reason = fault(offer.question, offer.answer, quotes, self._around(offer))
            if reason:
                self._drop(offer, reason)
            else:
                yield offer

    def _around(self, offer: Offer) -> list[str]:
        found = []
        for need in offer.needs:
            document = self.material.fetch(need.spans[0].doc)
            found.extend([document.title, *document.heading_path(need.spans[0].start)])
        return found

    def _fits(self, passage: Passage) -> bool:
        self.made.passages += 1
        document = self.material.fetch(passage.doc)
        reason = unfit(document, passage.start, passage.start + len(passage.text))
        if reason:
            self.made.passed_over.append((passage.doc, passage.start, reason))
        return not reason

    def _placed(self, item: Mapping[str, Any], passage: Passage) -> Offer | None:
        offer = asking.offer_of(item, passage, self.material)
        if offer is None:
            lost = Offer(item["question"], item["answer"], item["kind"], (), "prompt", near=f"- in {passage.doc}")
            self._drop(lost, "its quote is not in the passage")
            return None
        if item.get("hide"):
            apart = _parted(offer.needs[0].spans[0], item["hide"])
            if apart:
                return replace(offer, needs=(Need(apart[0].quote, apart[:1]),), hide=apart[1:])
        return offer

    # Choice.

    def choose(self) -> None:
        """Takes of each kind what is wanted, rarest kinds first, and makes up what is missing from the others."""
        self.made.wanted = kinds_of(self.brief, self.made.offered)
        order = sorted(self.offers, key=lambda kind: (len(self.offers[kind]), kind))
        drawn = {kind: self._drawn(kind) for kind in order}
        hide = [quoted for offers in drawn.values() for offer in offers for quoted in offer.hide]
        self.passages = self.material.passages_without(hide)
        queues = {}
        for kind in order:
            candidates = [self._candidate(offer, number) for number, offer in enumerate(drawn[kind])]
            wanted = self.made.wanted.get(kind, 0)
            queues[kind] = ordered(candidates, wanted, self.brief.difficulty, f"{self.brief.seed} {kind}")
        for quota in self.brief.quotas:
            self._fill(queues, quota)
        for kind in order:
            self._take(queues[kind], self.made.wanted.get(kind, 0) - self._count(kind))
        for kind in (*SINGLE, *SEVERAL):
            if self.made.wanted.get(kind):
                self._take(queues.get(kind, []), self.brief.count - len(self.taken))

    def _fill(self, queues: dict[str, list[Candidate]], quota: Quota) -> None:
        """Takes what a quota is to give, of each kind its part."""
        shares = {kind: float(count) for kind, count in self.made.wanted.items() if count}
        parts = portions(quota.wanted(self.brief.count), shares)
        for kind in sorted(parts, key=lambda kind: (len(queues.get(kind, ())), kind)):
            self._take(queues.get(kind, []), parts[kind], quota.name)
        for kind in (*SINGLE, *SEVERAL):
            missing = quota.wanted(self.brief.count) - self.choice.given[quota.name]
            if self.made.wanted.get(kind):
                self._take(queues.get(kind, []), missing, quota.name)

    def _count(self, kind: str) -> int:
        return sum(candidate.offer.kind == kind for candidate, _ in self.taken)

    def _drawn(self, kind: str) -> list[Offer]:
        """The offers of a kind, or as many of them as are worth looking at, in an order that the seed decides."""
        offers = list(self.offers[kind])
        random.Random(f"drawn {self.brief.seed} {kind}").shuffle(offers)
        return offers[: max(_LEAST_DRAWN, _DRAWN * self.brief.count)]

    def _candidate(self, offer: Offer, number: int) -> Candidate:
        """An offer in the words in which it would be asked: it may name what the corpus is about, and has a style."""
        seed = f"{self.brief.seed} {offer.doc} {offer.question}"
        wording, style = offer.question, offer.style
        if offer.kind in ("passage", "one-fact") and offer.rule not in ("heading", "prompt"):
            wording = naming.placed(wording, [self.material.subject.phrase], self.brief.named, seed)
        evidence = [quoted for need in offer.needs for quoted in need.spans]
        if offer.kind == "passage" and offer.rule == "title":
            held = frozenset(term for quoted in evidence for term in content_terms(quoted.quote))
            wording = in_other_words(wording, held, seed, self.passages.index.document_frequency)
        if offer.rule not in ("heading", "prompt") and self.styles:
            wanted = self.styles[number % len(self.styles)]
            long = offer.kind in ("joined", "comparison")
            told = restyled(wording, wanted, seed, long) if wanted != style else wording
            wording, style = (told, wanted) if told else (wording, style)
        rank = self.passages.rank(wording, evidence) if evidence else 0
        return Candidate(offer, wording, style, copied(wording, (quoted.quote for quoted in evidence)), rank)

    def _take(self, queue: list[Candidate], most: int, quota: str = "") -> None:
        """Takes up to so many good ones off a queue; of one quota alone where it is named."""
        taken = 0
        for candidate in list(queue):
            if taken >= most:
                return
            offer = candidate.offer
            if quota and self.choice.quota_of(offer) != quota:
                continue
            queue.remove(candidate)
            reason = self.choice.refusal(offer, candidate.style)
            if offer.rule not in ("heading", "prompt") and candidate.style not in self.brief.styles:
                reason = "it can't be put in a style that is wanted"
            outcome = Outcome()
            if not reason and offer.rule == "prompt":
                outcome = self._held_against_others(offer)
            elif not reason and offer.kind in ("one-fact", "table"):
                outcome = self.material.checker.check(offer.question, offer.answer, offer.needs[0].spans[0])
            reason = reason or outcome.reason
            if reason:
                self._drop(offer, reason, outcome)
                continue
            self.choice.take(offer, candidate.style)
            self.taken.append((candidate, outcome.alternatives))
            taken += 1
            self.progress(len(self.taken))

    def _held_against_others(self, offer: Offer) -> Outcome:
        """Sentences elsewhere that speak of the same as a model's question: those that say the same are further places
        of its answer, one that says otherwise drops it."""
        if len(offer.needs) != 1:
            return Outcome()
        source = offer.needs[0].spans[0]
        alike = self.material.checker.alike(source)
        verdicts = self._verdicts(offer.answer, alike)
        for quoted, verdict in zip(alike, verdicts):
            if verdict == "contradicted":
                return Outcome(
                    "contested: another sentence speaks of the same and says otherwise", quoted.doc, quoted.quote
                )
        return Outcome(alternatives=tuple(quoted for quoted, verdict in zip(alike, verdicts) if verdict == "supported"))

    def _verdicts(self, answer: str, alike: Sequence[Quoted]) -> list[str]:
        if self.judge is None:
            figures = set(numbers(answer))
            held = [set(numbers(quoted.quote)) for quoted in alike]
            return [
                "not found" if not figures or not each else "supported" if figures <= each else "contradicted"
                for each in held
            ]
        tasks = [
            Task("verdict", {"claim": answer, "context": [{"number": 1, "source": quoted.doc, "text": quoted.quote}]})
            for quoted in alike
        ]
        return [str((reply.value or {}).get("verdict", "not found")) for reply in self.judge.perform(tasks)]

    def _known(self) -> set[str]:
        """The questions taken that the model answers rightly without any document."""
        asked = [candidate for candidate, _ in self.taken if candidate.offer.rule == "prompt" and candidate.offer.needs]
        if self.model.name == "offline" or not asked:
            return set()
        replies = self.model.perform([Task("known", {"question": each.wording}) for each in asked])
        said = [(each, reply.value) for each, reply in zip(asked, replies) if reply.value and reply.value["known"]]
        stated = self.model.perform(
            [Task("stated", {"facts": [each.offer.answer], "answer": str(value["answer"])}) for each, value in said]
        )
        return {each.wording for (each, _), reply in zip(said, stated) if reply.value and any(reply.value["stated"])}

    def _drop(self, offer: Offer, reason: str, outcome: Outcome | None = None) -> None:
        rival, doc = (outcome.sentence, outcome.rival) if outcome else ("", "")
        self.made.dropped.append(Dropped(offer.question, offer.doc, offer.rule, reason, rival, doc))

    # Questions.

    def finished(self) -> Draft:
        """The draft, its questions in an order that the seed decides, each with what it hides and how hard it is."""
        taken = sorted(self.taken, key=lambda row: (row[0].offer.doc, row[0].wording))
        random.Random(f"order {self.brief.seed}").shuffle(taken)
        hidden = [quoted for candidate, _ in taken for quoted in candidate.offer.hide]
        everywhere = mentions(hidden, (self.material.fetch(name) for name in self.material.names)) if hidden else {}
        beside, known = self._beside(taken), self._known()
        self.made.quotas = {quota.name: self.choice.given[quota.name] for quota in self.brief.quotas}
        for number, (candidate, alternatives) in enumerate(taken):
            own = {quoted.quote.strip() for quoted in candidate.offer.hide}
            others = [quoted for words in sorted(own) for quoted in everywhere.get(words, ())]
            others.extend(beside.pop(candidate.offer.doc, ()))
            question = self._question(candidate, alternatives, f"q{self.first + number:04d}", others)
            if candidate.wording in known:
                question = replace(question, meta={**question.meta, "known": True})
            self.made.questions.append(question)
        return self.made

    def _beside(self, taken: Sequence[tuple[Candidate, tuple[Quoted, ...]]]) -> dict[str, list[Quoted]]:
        """By document, titles that were not made questions: they are hidden with the others, or the sections that are
        asked about would be the only ones to be found without their titles."""
        asked = {quoted for candidate, _ in taken for quoted in candidate.offer.hide}
        documents = {quoted.doc for quoted in asked}
        found: dict[str, list[Quoted]] = {}
        for offer in self.offers["passage"]:
            for quoted in offer.hide:
                if quoted.doc in documents and quoted not in asked:
                    found.setdefault(quoted.doc, []).append(quoted)
        return found

    def _question(
        self, candidate: Candidate, alternatives: tuple[Quoted, ...], name: str, others: Sequence[Quoted]
    ) -> Question:
        offer, needs = candidate.offer, candidate.offer.needs
        if alternatives:
            needs = (replace(needs[0], spans=(*needs[0].spans, *alternatives)), *needs[1:])
        meta: dict[str, Any] = {"rule": offer.rule, "style": candidate.style, "seed": self.brief.seed}
        if needs:
            rarity = self.passages.rarity(candidate.wording)
            meta["difficulty"] = difficulty_of(candidate.wording, candidate.copied, candidate.rank, rarity, len(needs))
        if offer.near:
            meta["near"] = offer.near
        return Question(
            name, candidate.wording, offer.answer, needs, offer.kind, "draft", self.model.name,
            (offer.topic,) if offer.topic else (), meta, (*offer.hide, *others),
        )  # fmt: skip


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


def _dealt(counts: Mapping[str, int], seed: int) -> list[str]:
    """The names as often as they are wanted, shuffled."""
    found = [name for name, count in counts.items() for _ in range(count)]
    random.Random(f"styles {seed}").shuffle(found)
    return found


def _batches(passages: Iterator[Passage]) -> Iterator[list[Passage]]:
    batch: list[Passage] = []
    for passage in passages:
        batch.append(passage)
        if len(batch) == _BATCH:
            yield batch
            batch = []
    if batch:
        yield batch
