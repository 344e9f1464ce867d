"""What a judge says of an answer, and the judge as it is asked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from ..protocols import LanguageModel, Task

NOT_JUDGED = "not judged"  # the judge gave a verdict that can't be used: its quote does not stand where it says
UNTOLD = ("too far to tell", NOT_JUDGED)


@dataclass(frozen=True)
class Verdict:
    """`verdict` is supported, contradicted, not found, too far to tell or not judged; `quotes` are (item number, words) that it rests
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
        if self.verdict in UNTOLD:
            return 0.5
        return self.confidence if self.verdict == "supported" else 1 - self.confidence


@dataclass(frozen=True)
class Judgement:
    """The verdicts on an answer against its context; which reference facts it states; which of its claims the
    reference answer or its evidence supports; how far it addresses the question, 0 to 1 (None: not judged); why
    judging failed, if it did; whether the answer says that it has none ("none", "in part", "wholly"; "" where nobody looked),
    and by which words; and the judge's reason for the relevance."""

    verdicts: tuple[Verdict, ...] = ()
    stated: tuple[bool, ...] = ()
    right: tuple[bool, ...] = ()
    failure: str = ""
    relevance: float | None = None
    declining: str = ""
    refusal: str = ""
    reason: str = ""

    @property
    def claims(self) -> list[dict[str, Any]]:
        """The claims that were judged, as a model splits them off."""
        return [{"text": each.claim, "cites": list(each.cites)} for each in self.verdicts]


@dataclass(frozen=True)
class Reference:
    """What an answer is held against: the facts that it should state, the texts that make a claim right, and the answer that
    was written for the question, "" where there is none."""

    facts: tuple[str, ...] = ()
    texts: tuple[str, ...] = ()
    answer: str = ""

    @property
    def context(self) -> list[dict[str, Any]]:
        """The texts as a model is shown them."""
        return [{"number": n, "source": "reference", "text": text} for n, text in enumerate(self.texts, 1)]


@dataclass
class Judge:
    """A model that judges. `failures`: by the place of an answer, why it can't be judged; the first reason stays."""

    model: LanguageModel
    failures: dict[int, str] = field(default_factory=dict)

    def ask(self, rows: Sequence[tuple[int, Task]]) -> list[dict[str, Any] | None]:
        """The reply to each (place of an answer, task), all in one go; None where there is none."""
        replies = self.model.perform([task for _, task in rows])
        for (place, _), reply in zip(rows, replies):
            if reply.value is None:
                self.failures.setdefault(place, reply.failure)
        return [reply.value for reply in replies]

    def still(self, places: Sequence[int]) -> list[int]:
        """Those of some places whose answers can be judged as far as is known."""
        return [place for place in places if place not in self.failures]
