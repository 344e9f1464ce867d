"""What a comparison infers to, and so what counts as one draw.

*These documents*: the documents are fixed and questions are drawn; those that share evidence or a conversation are one draw.
*Documents like these*: the documents are drawn too, from a corpus of which some are in the set.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

Population = Literal["these documents", "documents like these"]
MOST = 0.5  # share of a corpus from which on its documents are taken as the ones that it is about
SMALL = 20  # documents up to which a corpus is small
_LONGEST = 20_000  # characters of evidence further back than which no overlap is looked for

Groups = npt.NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Draws:
    """What is drawn, for questions in an order. `units`: the number of each question's draw from 0, None where each question
    is one. `documents` and `sections`: the number of each question's document and section where documents are drawn too, None
    where they are fixed; `covered`: the share of the corpus that the set's documents are, 0 to 1."""

    units: Groups | None = None
    documents: Groups | None = None
    sections: Groups | None = None
    covered: float = 0.0

    def of(self, questions: npt.NDArray) -> Draws:
        """The same of some questions, given as a mask or by their places."""
        units, documents, sections = (_taken(each, questions) for each in (self.units, self.documents, self.sections))
        return Draws(units, documents, sections, self.covered)

    @property
    def population(self) -> Population:
        """What is inferred to."""
        return "these documents" if self.documents is None else "documents like these"

    def count(self, questions: int) -> int:
        """How many draws so many questions are."""
        return questions if self.units is None else int(self.units.max(initial=-1)) + 1

    @property
    def document_count(self) -> int:
        """How many documents the questions are about where these are drawn; else 0."""
        return 0 if self.documents is None else len(np.unique(self.documents))


EACH = Draws()  # each question is a draw, documents are fixed


@dataclass(frozen=True)
class Asked:
    """Of one question what makes it lean on others: the document and section of its first evidence ("" for none or not known),
    all places that are evidence (document, start, end), and its wording and those before it in its conversation, by a key."""

    document: str = ""
    section: str = ""
    evidence: tuple[tuple[str, int, int], ...] = ()
    turns: tuple[str, ...] = ()


@dataclass(frozen=True)
class Scope:
    """What is inferred to: the population, of how many documents the evidence is (`about`), and how many the corpus has
    (`corpus`; 0 where that is not known)."""

    population: Population = "these documents"
    about: int = 0
    corpus: int = 0

    @property
    def covered(self) -> float:
        """The share of the corpus that the evidence stands in; 0 where that is not known."""
        return min(1.0, self.about / self.corpus) if self.corpus else 0.0


def scope_of(how: str, asked: Iterable[Asked], corpus: int) -> Scope:
    """What is inferred to as a setting says, or with "auto" these documents where the set's evidence stands in at least half
    of the corpus, the corpus has no more than 20 documents, or it is not known how many (0)."""
    about = len({each.document for each in asked if each.document})
    if how == "auto":
        like = corpus > SMALL and about < MOST * corpus
    else:
        like = how == "documents like these"
    return Scope("documents like these" if like else "these documents", about, corpus)


def draws_of(asked: Sequence[Asked], scope: Scope) -> Draws:
    """What counts as one draw of questions in an order; one without a document is a document of its own."""
    units = joined([_ties(each) for each in _located(asked)])
    if scope.population == "these documents":
        return Draws(units)
    names = [each.document or f"question {place}" for place, each in enumerate(asked)]
    sections = [f"{name} {each.section}" for name, each in zip(names, asked)]
    told = any(each.section for each in asked)
    return Draws(units, _numbered(names), _numbered(sections) if told else None, scope.covered)


def _ties(found: tuple[Asked, tuple[int, ...]]) -> Iterator[Hashable]:
    asked, places = found
    yield from (("asked", turn) for turn in asked.turns)
    yield from (("place", place) for place in places)


def _located(asked: Sequence[Asked]) -> list[tuple[Asked, tuple[int, ...]]]:
    """Each question with the numbers of its places: two that overlap by at least half of the shorter one are one place."""
    spans = sorted({span for each in asked for span in each.evidence})
    number: dict[tuple[str, int, int], int] = {}
    for place, span in enumerate(spans):
        number[span] = place
        for before in reversed(spans[:place]):
            if before[0] != span[0] or span[1] - before[1] > _LONGEST:
                break
            shared = min(before[2], span[2]) - span[1]
            if shared > 0 and 2 * shared >= min(before[2] - before[1], span[2] - span[1]):
                number[span] = number[before]
                break
    return [(each, tuple(number[span] for span in each.evidence)) for each in asked]


def _numbered(names: Sequence[str]) -> Groups:
    numbers: dict[str, int] = {}
    return np.array([numbers.setdefault(name, len(numbers)) for name in names], dtype=np.int64)


def joined(ties: Sequence[Iterable[Hashable]]) -> Groups | None:
    """The number of each question's draw: questions that have a tie in common, such as a place that is evidence for both,
    are one, and so are those that others join. None where no two have."""
    parent = list(range(len(ties)))

    def top(place: int) -> int:
        while parent[place] != place:
            parent[place] = parent[parent[place]]
            place = parent[place]
        return place

    first: dict[Hashable, int] = {}
    for place, some in enumerate(ties):
        for tie in some:
            if tie in first:
                parent[top(place)] = top(first[tie])
            else:
                first[tie] = place
    tops = [top(place) for place in range(len(ties))]
    if len(set(tops)) == len(tops):
        return None
    return np.unique(tops, return_inverse=True)[1].astype(np.int64)


def _taken(groups: Groups | None, questions: npt.NDArray) -> Groups | None:
    if groups is None:
        return None
    taken = groups[questions]
    found = np.unique(taken, return_inverse=True)[1].astype(np.int64)
    return found
