"""A draft on its way: what it is made from, what was kept and dropped, and why."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field

from ...protocols import LanguageModel
from .. import Question
from .brief import Brief
from .checking import CheckOutcome
from .material import Material
from .offers import Offer
from .rules import RuleWriter


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
    aside: Counter[str] = field(default_factory=Counter)  # good offers that were one too many, and of what
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


@dataclass
class DraftWork:
    """What all steps of a draft share. `judge` says whether a sentence that speaks of the same says the same as a model's
    question and answer."""

    material: Material
    model: LanguageModel
    rules: RuleWriter
    brief: Brief
    judge: LanguageModel | None = None
    progress: Callable[[int], None] = lambda done: None
    made: Draft = field(default_factory=Draft)

    @property
    def ruled(self) -> bool:
        """Whether the writer is the offline one, which writes by rules and for nothing."""
        return self.model.name == "offline"

    def drop(self, offer: Offer, reason: str, outcome: CheckOutcome | None = None) -> None:
        """Notes an offer that is not kept."""
        rival, doc = (outcome.sentence, outcome.rival) if outcome else ("", "")
        self.made.dropped.append(Dropped(offer.question, offer.doc, offer.rule, reason, rival, doc))
