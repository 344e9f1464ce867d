"""A claim beside the place that is nearest to it, and what may be found to stand against it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ...core.wording.words import Word
from .aligning import Alignment
from .evidence import ContextPlace

CONTRADICTED, NOT_FOUND, TOO_FAR = "contradicted", "not found", "too far to tell"
# No verdict: what looks like a fault is borne out by reckoning, and lowers how sure the verdict is.
REASONED = "follows"
SURE, LITTLE = 0.65, 0.3  # score of an alignment, or share of its words in runs, from which small things tell


@dataclass(frozen=True)
class Objection:
    """Something that stands against a claim: the verdict that it asks for, how sure it is (0 to 1), and the reason."""

    verdict: str
    sure: float
    reason: str
    gap: bool = False  # words that the sentence does not have, and that may stand elsewhere


@dataclass(frozen=True)
class Pairing:
    """A claim beside the place that is nearest to it."""

    claim: Sequence[Word]
    place: ContextPlace
    found: Alignment
    everywhere: Callable[[], frozenset[str]]

    @property
    def theirs(self) -> Sequence[Word]:
        return self.place.words

    @property
    def tells(self) -> bool:
        """Whether the wording is near enough for single words to tell."""
        return self.found.score >= SURE or self.found.runs >= LITTLE

    @property
    def unplaced(self) -> list[int]:
        """The claim's words that the place does not have."""
        return [i for i in range(len(self.claim)) if i not in self.found.pairs and i not in self.found.moved]

    @property
    def dropped(self) -> list[int]:
        """The place's words without a counterpart, in those of its clauses that the claim takes content from."""
        taken = {*self.found.pairs.values(), *self.found.moved.values()}
        clauses = {self.theirs[j].clause for j in taken if self.theirs[j].content}
        low, high = min(self.found.pairs.values(), default=0), max(self.found.pairs.values(), default=-1)
        return [
            j for j, word in enumerate(self.theirs)
            if j not in taken and word.clause in clauses and low - 3 <= j <= high + 3
        ]  # fmt: skip
