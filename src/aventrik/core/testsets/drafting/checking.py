"""Checks a drafted question against the whole corpus: is it clear, is it alone, where else is it answered?"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from ...documents.spans import trimmed
from ...indexing.keyword import KeywordIndex
from ...text import content_terms, numbers, terms
from .. import Quoted

_LOOKED_AT = 25
_WEIGHTY = 9.0
_ALIKE = 0.75  # share of the weight of a quote's words from which a sentence speaks of the same
_RIVALS = 4


@dataclass(frozen=True)
class CheckOutcome:
    """`reason` is empty when the question is good; `rival` names the document that says otherwise, in `sentence`."""

    reason: str = ""
    rival: str = ""
    sentence: str = ""
    alternatives: tuple[Quoted, ...] = ()


@dataclass
class Checker:
    """Every sentence and row of the corpus, indexed once."""

    index: KeywordIndex
    places: list[tuple[str, int, int]]
    texts: list[str] = field(repr=False)

    def check(self, question: str, answer: str, source: Quoted) -> CheckOutcome:
        """Whether the question names what it is about and only its own fact answers it.

        A sentence elsewhere with all the question's weighty words is a rival. It is an alternative place when it
        states the answer as well; else the question is *contested* and dropped, for its right answer depends
        on which of the two is meant. Weight of a term: ln(1 + N ÷ (n + ½)).
        """
        asked = list(dict.fromkeys(content_terms(question)))
        total = self.index.size
        weights = {term: self.index.rarity(term) for term in asked}
        whole = sum(weights.values())
        rare = sum(self.index.document_frequency(term) <= max(3, total // 50) for term in asked)
        single = math.log1p(total / 1.5)  # the weight of a term that stands once
        if len(asked) < 2 or rare < 1 or whole < min(_WEIGHTY, 1.5 * single):
            return CheckOutcome("too vague to stand by itself")
        stated = [term for term in dict.fromkeys(content_terms(answer)) if term not in weights]
        figures = set(numbers(answer))
        alternatives: list[Quoted] = []
        for number, _ in self.index.search(question, _LOOKED_AT):
            doc, start, end = self.places[number]
            if doc == source.doc and start < source.end and source.start < end:
                continue
            here = set(terms(self.texts[number]))
            share = sum(weight for term, weight in weights.items() if term in here) / whole
            if share < 0.85:
                continue
            held = sum(term in here for term in stated) / len(stated) if stated else 1.0
            if held >= 0.8 and figures <= set(numbers(self.texts[number])):
                start, end = trimmed(self.texts[number], 0, end - start)[0] + start, end
                alternatives.append(Quoted(doc, start, end, self.texts[number]))
            elif self.texts[number][-1:] in ".;" or ": " in self.texts[number]:
                return CheckOutcome(
                    "contested: another sentence has its words but not its answer", doc, self.texts[number]
                )
        return CheckOutcome(alternatives=tuple(sorted(alternatives, key=lambda quoted: (quoted.doc, quoted.start))))

    def alike(self, source: Quoted) -> list[Quoted]:
        """Sentences and rows elsewhere that hold nearly all of the weighty words of a quote, likest first: rivals of a
        question that it answers, or further places of its answer."""
        asked = list(dict.fromkeys(content_terms(source.quote)))
        whole = sum(self.index.rarity(term) for term in asked)
        found = []
        for number, _ in self.index.search(source.quote, _LOOKED_AT):
            doc, start, end = self.places[number]
            if not whole or (doc == source.doc and start < source.end and source.start < end):
                continue
            here = set(content_terms(self.texts[number]))
            share = sum(self.index.rarity(term) for term in asked if term in here) / whole
            if share >= _ALIKE:
                start, end = trimmed(self.texts[number], 0, end - start)[0] + start, end
                found.append((share, Quoted(doc, start, end, self.texts[number])))
        return [quoted for _, quoted in sorted(found, key=lambda row: (-row[0], row[1].doc, row[1].start))][:_RIVALS]
