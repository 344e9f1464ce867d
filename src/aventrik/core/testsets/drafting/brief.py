"""What a draft is asked to be: how many questions, of which kinds, in which styles, how hard, about which documents."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from ...documents.spans import Range
from . import styles

# kind → share, unless the settings say otherwise. "single" stands for the kinds that take one place, in the proportion in
# which the corpus offers them: a corpus of sections is asked about sections, one of tables and rules about facts. A kind
# of which there is too little leaves its part to these.
KINDS: Mapping[str, float] = {"single": 0.8, "joined": 0.05, "comparison": 0.05, "unanswerable": 0.1}
SINGLE = ("passage", "one-fact", "table")
TABLES = 0.25  # of a test set, cells of tables at the most where their share is not set
AT_MOST = 0.1  # share of a test set that one document may give, where there are ten or more
# How hard people's questions are for plain keyword search: on two sets of manuals with an FAQ, and on the log of a help
# desk, it finds a third of them at rank 1 and 0.57 to 0.62 among the first five.
DIFFICULTY: Mapping[str, float] = {"easy": 0.33, "middle": 0.27, "hard": 0.4}
NAMED = 0.1  # share of questions that name what the corpus is about


@dataclass(frozen=True)
class Quota:
    """A part of the corpus that is to give a `share` of the questions (0 to 1), and at least so many. `places` has the
    ranges of each document that belong to it, None where all of the document does."""

    name: str
    places: Mapping[str, Sequence[Range] | None]
    share: float = 0.0
    least: int = 0

    def covers(self, doc: str, start: int) -> bool:
        """Whether a place of a document belongs to it."""
        if doc not in self.places:
            return False
        ranges = self.places[doc]
        return ranges is None or any(left <= start < right for left, right in ranges)

    def wanted(self, count: int) -> int:
        """How many of `count` questions it is to give."""
        return min(count, max(self.least, round(self.share * count)))


@dataclass(frozen=True)
class Brief:
    """See the module. `kinds`, `styles` and `difficulty` are shares by name, which need not sum to 1; `difficulty` is
    empty where any will do. `examples` are questions whose form a writer imitates. `unfit` has by document the ranges that
    people call unfit to be asked about, `sound` the keys of passages that they call fit, `rejected` wordings of questions that
    they rejected."""

    count: int
    seed: int = 0
    kinds: Mapping[str, float] = field(default_factory=lambda: dict(KINDS))
    styles: Mapping[str, float] = field(default_factory=lambda: dict(styles.SHARES))
    difficulty: Mapping[str, float] = field(default_factory=lambda: dict(DIFFICULTY))
    at_most: float = AT_MOST
    quotas: tuple[Quota, ...] = ()
    audience: str = ""
    examples: tuple[str, ...] = ()
    named: float = NAMED
    headings_only: bool = False
    unfit: Mapping[str, Sequence[Range]] = field(default_factory=dict)
    sound: frozenset[str] = frozenset()
    rejected: tuple[str, ...] = ()

    def against(self, doc: str, start: int) -> bool:
        """Whether people say that nothing is to be asked at a place of a document."""
        return any(left <= start < right for left, right in self.unfit.get(doc, ()))


def kinds_of(brief: Brief, offered: Mapping[str, int]) -> dict[str, int]:
    """How many questions of each kind are wanted, by the shares and by what is offered of the single kinds."""
    shares = {kind: share for kind, share in brief.kinds.items() if kind != "single"}
    single = brief.kinds.get("single", 0.0)
    supply = {kind: float(offered.get(kind, 0)) for kind in SINGLE}
    others = supply["passage"] + supply["one-fact"]
    if others:
        supply["table"] = min(supply["table"], others * TABLES / (1 - TABLES))
    whole = sum(supply.values())
    for kind, count in supply.items():
        if single and whole:
            shares[kind] = shares.get(kind, 0.0) + single * count / whole
    if single and not whole:
        shares["passage"] = shares.get("passage", 0.0) + single
    return portions(brief.count, shares)


def portions(count: int, shares: Mapping[str, float]) -> dict[str, int]:
    """Whole numbers that sum to `count`, in proportion to the shares: largest remainders (Hamilton's method)."""
    whole = sum(shares.values())
    if whole <= 0:
        return dict.fromkeys(shares, 0)
    exact = {name: count * share / whole for name, share in shares.items()}
    found = {name: math.floor(value) for name, value in exact.items()}
    left = count - sum(found.values())
    for name in sorted(exact, key=lambda name: (found[name] - exact[name], name))[:left]:
        found[name] += 1
    return found
