"""Which of many offers make a test set: levels of difficulty, topics in turn, those first that are like what people ask."""

from __future__ import annotations

import random
import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from ...text import content_terms
from .. import Quoted
from .brief import Quota, portions
from .difficulty import level
from .offers import Offer

FEW_DOCUMENTS = 10  # with fewer, a document may give any share
COPIED = 0.7  # share of its words that a question has from its evidence: of people's questions, two thirds on average
TERMS = 3
_NEAR = 3  # questions that no document answers about the same decoy
_ASKS_WHETHER = ("Can ", "May ", "Must ", "Is ", "Are ", "Does ", "Do ", "Should ", "Will ")
_ASKS_HOW = re.compile(r"\bhow (?:do|can|should) i\b|\bhow to\b|\bhow do i do that\b|\bwhich\b")
HOW_SHARE = 0.3  # of a test set, questions how and which that are taken first, where there are as many
WHETHER_SHARE = 0.1  # of a test set, questions that are answered by yes or no


@dataclass(frozen=True)
class WordedOffer:
    """An offer in the words in which it would be asked, and how hard it is: share copied from its evidence (0 to 1), rank
    of the evidence under plain keyword search (0: far down); `topic` is the part of the corpus that it is about."""

    offer: Offer
    wording: str
    style: str
    copied: float
    rank: int
    topic: int = -1

    @property
    def level(self) -> str:
        """How hard it is to find: easy, middle or hard."""
        return level(self.rank)

    @property
    def like_asked(self) -> bool:
        """Whether it has at least three different content terms, and copies no more of them than people do."""
        return self.copied <= COPIED and len(set(content_terms(self.wording))) >= TERMS


def ordered(
    candidates: Sequence[WordedOffer], wanted: int, shares: Mapping[str, float], seed: str
) -> list[WordedOffer]:
    """The candidates in the order in which they are tried. First those that have at least as many words with a meaning and
    copy no more of them from their evidence than people's questions do, in an order that the seed decides, topics in turn;
    then the others, least copied first. With `shares` of levels of difficulty that is done for each level, which gives
    its share of what is `wanted`."""
    counts = portions(wanted, shares) if shares else {}
    groups = [[each for each in candidates if each.level == name] for name in counts] if counts else [list(candidates)]
    first: list[WordedOffer] = []
    later: list[WordedOffer] = []
    for number, group in enumerate(groups):
        order = sorted(group, key=lambda each: (each.copied, each.wording, each.offer.doc))
        own = [each for each in order if each.like_asked]
        others = [each for each in order if not each.like_asked]
        random.Random(f"choice {seed} {number}").shuffle(own)
        order = [*in_turn(own), *others]
        most = list(counts.values())[number] if counts else len(order)
        first.extend(order[:most])
        later.extend(order[most:])
    if counts:
        later.extend(each for each in candidates if each.level not in counts)
        random.Random(f"levels {seed}").shuffle(first)
    order = [*first, *sorted(later, key=lambda each: (not each.like_asked, each.copied))]
    return sorted(order, key=lambda each: each.offer.rule == "opening")  # a last resort


@dataclass
class GrowingSet:
    """A test set as it grows: what may still be taken of which document, topic and form. `at_most` is the most of one
    document."""

    at_most: int
    whether: int
    asked: set[frozenset[str]] = field(default_factory=set)
    documents: Counter[str] = field(default_factory=Counter)
    places: set[tuple[str, int]] = field(default_factory=set)
    near: Counter[str] = field(default_factory=Counter)
    hidden: list[Quoted] = field(default_factory=list)
    needed: list[Quoted] = field(default_factory=list)  # evidence that has no alternative
    styles: Mapping[str, int] = field(default_factory=dict)  # the most of each, where that is set
    styled: Counter[str] = field(default_factory=Counter)
    yes_or_no: int = 0
    quotas: Sequence[Quota] = ()
    most: Mapping[str, int] = field(default_factory=dict)  # by the name of a quota that has a share
    given: Counter[str] = field(default_factory=Counter)  # by the name of a quota; "" for what belongs to none

    def refusal(self, offer: Offer, style: str) -> str:
        """Why an offer can't be taken, or ""."""
        if gist(offer.question) in self.asked:
            return "asked already"
        if any(place in self.places for place in _places(offer)):
            return "its evidence has a question already"
        if self._spoils(offer):
            return "it hides what another question rests on, or rests on what another hides"
        if self.near[offer.near] >= _NEAR and offer.near:
            return "enough are like it"
        if self.documents[offer.doc] >= self.at_most:
            return "its document has its share"
        name = self.quota_of(offer)
        if name in self.most and self.given[name] >= self.most[name]:
            return "its part of the corpus has its share"
        if style in self.styles and self.styled[style] >= self.styles[style]:
            return "enough are asked in its style"
        if asks_whether(offer.question) and self.yes_or_no >= self.whether:
            return "enough are answered by yes or no"
        return ""

    def take(self, offer: Offer, style: str) -> None:
        """Counts an offer that was taken."""
        self.asked.add(gist(offer.question))
        self.places.update(_places(offer))
        self.hidden.extend(offer.hide)
        self.needed.extend(_only_places(offer))
        self.near[offer.near] += 1
        self.given[self.quota_of(offer)] += 1
        self.styled[style] += 1
        self.documents[offer.doc] += 1
        self.yes_or_no += asks_whether(offer.question)

    def _spoils(self, offer: Offer) -> bool:
        return _overlap(offer.hide, self.needed) or _overlap(_only_places(offer), self.hidden)

    def quota_of(self, offer: Offer) -> str:
        """The name of the first quota that covers an offer; "" for none."""
        start = offer.needs[0].spans[0].start if offer.needs else 0
        return next((quota.name for quota in self.quotas if quota.covers(offer.doc, start)), "")


def _only_places(offer: Offer) -> list[Quoted]:
    return [need.spans[0] for need in offer.needs if len(need.spans) == 1]


def _overlap(ours: Sequence[Quoted], theirs: Sequence[Quoted]) -> bool:
    return any(a.doc == b.doc and a.start < b.end and b.start < a.end for a in ours for b in theirs)


def _places(offer: Offer) -> list[tuple[str, int]]:
    return [(need.spans[0].doc, need.spans[0].start) for need in offer.needs]


def asks_how(question: str) -> bool:
    """Whether a question asks how to do something, or which there are."""
    return bool(_ASKS_HOW.search(question.lower()))


def asks_whether(question: str) -> bool:
    """Whether yes or no would be an answer."""
    return question.startswith(_ASKS_WHETHER)


def gist(question: str) -> frozenset[str]:
    """What two wordings of one question share; words that turn a meaning round are part of it."""
    turned = {word for word in _TURNING if word in f" {question.lower()} ".replace("?", " ").split()}
    return frozenset(content_terms(question)) | turned


_TURNING = frozenset("not no on off before after above below over under in out up down with without".split())


def in_turn(candidates: Iterable[WordedOffer]) -> list[WordedOffer]:
    """The candidates with those of each topic spread evenly, so that the first n hold about the same share of each, and
    one of every topic comes before a second of any."""
    rows = list(candidates)
    sizes = Counter(each.topic for each in rows)
    met: Counter[int] = Counter()
    keyed = []
    for number, each in enumerate(rows):
        met[each.topic] += 1
        place = 0.0 if met[each.topic] == 1 else (met[each.topic] - 0.5) / sizes[each.topic]
        keyed.append((place, number, each))
    return [each for _, _, each in sorted(keyed, key=lambda row: row[:2])]
