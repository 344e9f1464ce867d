"""What rules of a language do for a draft, beside the tasks that any language model does."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Protocol

from ...documents import Document
from .material import Material
from .offers import Offer
from .usage import Usage


class RuleWriter(Protocol):
    """Writes questions by rules, for nothing: offers, and the same question put otherwise."""

    def of_titles(self, document: Document, usage: Usage, questions_only: bool = False) -> Iterable[Offer]:
        """Questions from titles of sections; of headings that ask alone, as they are, with `questions_only`."""
        ...

    def of_captions(self, document: Document, usage: Usage) -> Iterable[Offer]:
        """Questions from captions of tables."""
        ...

    def of_openings(self, document: Document) -> Iterable[Offer]:
        """Words for a search from the opening sentences of passages, for documents without titles."""
        ...

    def joined(self, offers: Sequence[Offer]) -> Iterable[Offer]:
        """Questions that take two places, each made of two that take one."""
        ...

    def comparing(self, titled: Sequence[Offer], material: Material, seed: int) -> Iterable[Offer]:
        """Questions that compare two things, or two rows of a table."""
        ...

    def unanswerable(
        self, titled: Sequence[Offer], stated: Sequence[Offer], material: Material, seed: int
    ) -> Iterable[Offer]:
        """Questions that no document answers though they sound as if one did."""
        ...

    def restyled(self, question: str, style: str, seed: str, long: bool = False) -> str:
        """The question in a style; "" where it can't be put so."""
        ...

    def in_other_words(self, question: str, held: frozenset[str], seed: str, frequency: Callable[[str], int]) -> str:
        """The question with some of the words that its evidence holds put otherwise; `frequency` gives in how many passages
        a term occurs."""
        ...
