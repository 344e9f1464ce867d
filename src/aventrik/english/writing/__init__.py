"""Questions written by rules for English: from titles, captions and openings, in pairs, comparing, that nothing answers."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import chain

from ...core.documents import Document
from ...core.testsets.drafting.material import Material
from ...core.testsets.drafting.offers import Offer
from ...core.testsets.drafting.usage import Usage
from ..rows import ask_cell
from . import absent
from .captions import of_captions
from .differences import differences
from .openings import of_openings
from .pairs import compared, joined
from .restyling import restyled
from .titles import of_titles
from .twins import in_other_words


class EnglishRules:
    """A `RuleWriter` (see `core.testsets.drafting.rules`)."""

    def of_titles(self, document: Document, usage: Usage, questions_only: bool = False) -> Iterable[Offer]:
        """See `titles`."""
        return of_titles(document, usage, questions_only)

    def of_captions(self, document: Document, usage: Usage) -> Iterable[Offer]:
        """See `captions`."""
        return of_captions(document, usage)

    def of_openings(self, document: Document) -> Iterable[Offer]:
        """See `openings`."""
        return of_openings(document)

    def joined(self, offers: Sequence[Offer]) -> Iterable[Offer]:
        """See `pairs`."""
        return joined(offers)

    def comparing(self, titled: Sequence[Offer], material: Material, seed: int) -> Iterable[Offer]:
        """See `differences` and `pairs`."""
        return chain(differences(material.tables, material.usage, seed), compared(titled))

    def unanswerable(
        self, titled: Sequence[Offer], stated: Sequence[Offer], material: Material, seed: int
    ) -> Iterator[Offer]:
        """See `absent`."""
        yield from absent.of_rows(material.tables, material.passages, ask_cell, seed)
        texts = {
            name: material.fetch(name).text
            for name in {offer.doc for offer in titled if offer.frame}
            | {offer.doc for offer in stated if offer.rule == "option"}
        }
        yield from absent.of_names(titled, texts, material.passages, seed)
        yield from absent.of_options(stated, texts, seed)
        yield from absent.of_properties([*titled, *stated], material.passages, seed)

    def restyled(self, question: str, style: str, seed: str, long: bool = False) -> str:
        """See `restyling`."""
        return restyled(question, style, seed, long)

    def in_other_words(self, question: str, held: frozenset[str], seed: str, frequency: Callable[[str], int]) -> str:
        """See `twins`."""
        return in_other_words(question, held, seed, frequency)
