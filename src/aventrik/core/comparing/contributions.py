"""What each setting contributed, over runs that agree in every other setting."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product
from typing import Any

from .differences import ALPHA, Difference, paired_difference
from .sides import Side, kind_of
from .significance import holm


@dataclass(frozen=True)
class Contribution:
    """A setting's value against its most frequent one, over all pairs of runs that agree in every other setting; `p` is
    corrected (Holm) over all settings and values."""

    setting: str
    value: str
    instead_of: str
    pairs: int
    difference: Difference
    p: float

    @property
    def real(self) -> bool:
        """Whether the corrected p-value is below 5 %."""
        return self.p < ALPHA


def contributions(sides: Sequence[Side], name: str, seed: int = 0, by_document: bool = False) -> list[Contribution]:
    """What each setting that varies contributed: the mean paired difference between its values.

    For each question the difference is averaged over the pairs of runs that differ in this setting alone; interval and
    test are over questions. Takes time in proportion to runs × settings that vary.
    """
    varying = _varying(sides)
    found: list[tuple[str, str, str, list[tuple[Side, Side]]]] = []
    for setting in varying:
        own = [each for each in varying if _belongs(each, setting, sides)]
        groups: dict[Any, dict[str, list[Side]]] = defaultdict(lambda: defaultdict(list))
        having = [side for side in sides if side.settings.get(setting) is not None]
        for side in having:
            rest = tuple(said(side.settings.get(each)) for each in varying if each not in own)
            groups[rest][said(side.settings[setting])].append(side)
        counts = Counter(said(side.settings[setting]) for side in having)
        usual = max(counts, key=lambda value: counts[value])
        for value in counts:
            pairs = [
                pair
                for group in groups.values()
                if value != usual and value in group and usual in group
                for pair in product(group[value], group[usual])
            ]
            if pairs:
                found.append((setting, value, usual, pairs))
    made = [(*each[:3], len(each[3]), _averaged(each[3], name, seed, by_document, len(found))) for each in found]
    kept = [each for each in made if each[4] is not None]
    corrected = holm([each[4].p for each in kept if each[4] is not None])
    return [
        Contribution(setting, value, usual, pairs, difference, p)
        for (setting, value, usual, pairs, difference), p in zip(kept, corrected)
        if difference is not None
    ]


def _varying(sides: Sequence[Side]) -> list[str]:
    """The settings with more than one value; one that a run does not have (of a step it lacks) is absent there."""
    names = sorted({name for side in sides for name in side.settings})
    return [name for name in names if len({said(side.settings.get(name)) for side in sides}) > 1]


def _belongs(name: str, setting: str, sides: Sequence[Side]) -> bool:
    """Whether a setting comes and goes with another one of its table, as those of a step do with the steps."""
    if name == setting:
        return True
    same = name.partition(".")[0] == setting.partition(".")[0]
    return same and any(side.settings.get(name) is None for side in sides)


def _averaged(
    pairs: Sequence[tuple[Side, Side]], name: str, seed: int, by_document: bool, together: int
) -> Difference | None:
    first = pairs[0][0]
    keys = [key for key in first.scores if all(name in side.scores.get(key, {}) for pair in pairs for side in pair)]
    if not keys:
        return None
    ours = [sum(pair[0].scores[key][name] for pair in pairs) / len(pairs) for key in keys]
    theirs = [sum(pair[1].scores[key][name] for pair in pairs) / len(pairs) for key in keys]
    kind = kind_of(name, first.own)
    if kind == "share" and len(pairs) > 1:  # a mean of several is a share no more
        kind = "score"
    clusters = [first.clusters.get(key) or f"question {key}" for key in keys] if by_document else None
    return paired_difference(ours, theirs, kind, clusters, seed, together, power=False)


def said(value: Any) -> str:
    """A setting's value as it is shown."""
    if isinstance(value, (list, tuple)):
        return (
            "+".join(str(step.get("step", step)) if isinstance(step, dict) else str(step) for step in value) or "none"
        )
    return "–" if value is None else str(value)
