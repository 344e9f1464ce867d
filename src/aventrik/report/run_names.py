"""What runs of a comparison are called: by their settings that vary, not by long names."""

from __future__ import annotations

from functools import lru_cache

from ..core.comparing.contributions import said
from ..results.comparison import Comparison
from ..workspace.configuration import Configuration

_VALUE = 12  # characters of a value
_NAME = 40
_SETTINGS = 3


def cut(text: str, width: int) -> str:
    """Text on one line, cut to a width with an ellipsis."""
    text = " ".join(text.split())
    return text if len(text) <= width else text[: max(1, width - 1)].rstrip() + "…"


def base_name(found: Comparison, place: int) -> str:
    """The name of a run, or of the sweep that it is one of."""
    run = found.runs[place]
    return run.name.partition("/")[0] if "/" in run.name and not run.made.get("outside") else run.name


@lru_cache(maxsize=4)
def settings_shown(found: Comparison) -> list[str]:
    """The settings that vary, in the order of the stages."""
    order = {name: place for place, name in enumerate(Configuration(name="x").settings())}
    values: dict[str, set[str]] = {}
    for side in found.sides:
        for name, value in side.settings.items():
            if value is not None:
                values.setdefault(name, set()).add(said(value))
    varying = [name for name, several in values.items() if len(several) > 1]
    return sorted(varying, key=lambda name: (order.get(name, len(order)), name))


@lru_cache(maxsize=4)
def by_weight(found: Comparison) -> list[str]:
    """The settings that vary, by how much they contributed at the most."""
    most: dict[str, float] = {}
    for each in found.contributions:
        most[each.setting] = max(most.get(each.setting, 0.0), abs(each.difference.mean))
    return sorted(most, key=lambda name: -most[name])


@lru_cache(maxsize=4)
def short_names(found: Comparison) -> dict[str, str]:
    """For each setting that varies the last part of its name, where that is the only such one."""
    names = settings_shown(found)
    last = [name.rpartition(".")[2] for name in names]
    return {name: short if last.count(short) == 1 else name for name, short in zip(names, last)}


def value_of(found: Comparison, place: int, name: str) -> str:
    """The value of a setting; where runs with other values came to the same, all of these."""
    places = [place, *found.folded(place)]
    values = list(dict.fromkeys(said(found.sides[each].settings.get(name)) for each in places))
    if len(values) == 1:
        return values[0]
    every = {said(side.settings[name]) for side in found.sides if side.settings.get(name) is not None}
    return "any" if every <= set(values) else "/".join(values)


def run_sentence(found: Comparison, place: int) -> str:
    """A run in a sentence: its number, and its settings that vary, the weightiest first."""
    run = found.runs[place]
    parts = settings_told(found, place)
    if base_name(found, place) == run.name or not parts:
        return f"run {run.id} ({cut(run.name, _NAME)})"
    return f"run {run.id} ({parts})"


def settings_told(found: Comparison, place: int, most: int = _SETTINGS) -> str:
    """The settings of a run that vary, the weightiest first, in a few words; or what its sweep calls it, where that is
    shorter."""
    short = short_names(found)
    order = by_weight(found)
    names = sorted(short, key=lambda name: order.index(name) if name in order else len(order))
    values = [(name, value_of(found, place, name)) for name in names]
    parts = [_said_of(short[name], cut(value, _VALUE)) for name, value in values if value != "–"]
    made = ", ".join(parts[:most])
    swept = found.runs[place].name.partition("/")[2].replace("=", " ").replace(",", ", ")
    return (
        swept
        if swept and made and len(swept) < len(made) and base_name(found, place) != found.runs[place].name
        else made
    )


def _said_of(name: str, value: str) -> str:
    """A setting in a sentence: a word speaks for itself, a figure or a yes or no does not."""
    if value in ("True", "False"):
        return name if value == "True" else f"no {name}"
    word = value.replace("-", "").replace("+", "").isalpha() and value not in ("any", "none")
    return value if word else f"{name} {value}"
