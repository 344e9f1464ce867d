"""What a writer proposes, before it is checked and chosen."""

from __future__ import annotations

from dataclasses import dataclass

from .. import Need, Quoted


@dataclass(frozen=True)
class Offer:
    """A question with its evidence at its place. `rule` names what wrote it, `topic` the heading of its evidence; `frame`
    is the noun or verb phrase that it was put together from, for rules that build on it."""

    question: str
    answer: str
    kind: str
    needs: tuple[Need, ...]
    rule: str
    style: str = "question"
    hide: tuple[Quoted, ...] = ()
    topic: str = ""
    frame: str = ""
    near: str = ""  # of one that no document answers: what it is asked of, and the document that speaks of that
    home: str = ""

    @property
    def doc(self) -> str:
        """The document that it is about."""
        return self.needs[0].spans[0].doc if self.needs else self.home
