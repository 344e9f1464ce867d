"""Configurations from files: one, or with `[sweep]` all those that its values stand for."""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel, ValidationError

from ..core.errors import BadInput
from ..core.reranking import STEPS
from ..core.rewriting import METHODS as REWRITES
from .configuration import LISTED, Configuration, named_entries, settings_known, with_values
from .toml import line_of, load_toml, nearest, validated

MOST_COMBINATIONS = 500
MODES = ("every-combination", "one-at-a-time", "sample")
_MOST_LOOKED_AT = 200_000  # combinations, conditions not yet heeded
_TRIES = 200  # draws for each that is wanted
_SPACINGS = ("even", "ratio")
_AXIS = ("values", "from", "to", "steps", "spacing", "only", "unless")

Choice = dict[str, Any]
Wrong = Callable[[str, str], BadInput]


@dataclass(frozen=True)
class SweptSetting:
    """A setting that is swept: its values, or from where to where it is drawn, and under which values of other settings
    it counts at all (`only`: where all of these hold, `unless`: where none of these does)."""

    key: str
    values: tuple[Any, ...] = ()
    span: tuple[float, float] | None = None
    ratio: bool = False
    only: tuple[tuple[str, tuple[Any, ...]], ...] = ()
    unless: tuple[tuple[str, tuple[Any, ...]], ...] = ()

    def holds(self, settings: Mapping[str, Any]) -> bool:
        """Whether the setting counts, beside others."""
        return all(_plain(settings.get(key)) in allowed for key, allowed in self.only) and not any(
            _plain(settings.get(key)) in excluded for key, excluded in self.unless
        )

    def drawn(self, lot: np.random.Generator) -> Any:
        """A value by lot."""
        if self.span is None:
            return self.values[int(lot.integers(len(self.values)))]
        low, high = self.span
        value = low * (high / low) ** float(lot.random()) if self.ratio else float(lot.uniform(low, high))
        return _rounded(value, all(isinstance(end, int) for end in self.span))


def load_configurations(path: Path) -> list[Configuration]:
    """The configurations of a file: one, or those that its `[sweep]` stands for, in the order of the file."""
    content, text = load_toml(path)
    chains = _chains(content.pop("chains", {}), path, text)
    if isinstance(content.get("reranking"), str):
        content["reranking"] = _of_name(
            content["reranking"], chains, lambda said: BadInput(f"{path}: reranking: {said}")
        )
    sweep = content.pop("sweep", None)
    if sweep is None:
        return [validated(Configuration, content, path, text)]
    return _swept(content, sweep, path, text, chains)


def _chains(content: Any, path: Path, text: str) -> dict[str, list[dict[str, Any]]]:
    """The chains of reranking steps that a file names."""
    line = line_of(text, ("chains",))
    if not isinstance(content, dict) or not all(isinstance(steps, list) for steps in content.values()):
        raise BadInput(f"{path}, line {line}, [chains]: must be a table of names, each with a list of steps")
    for name, steps in content.items():
        try:
            Configuration.model_validate({"name": name or "chain", "reranking": steps})
        except ValidationError as error:
            reason = error.errors()[0]["msg"].removeprefix("Value error, ")
            line = line_of(text, ("chains", name)) or line
            raise BadInput(f"{path}, line {line}, [chains] {name}: {reason}") from None
    return content


class NamedChain(list[dict[str, Any]]):
    """The steps of a chain that has a name in `[chains]`."""

    def __init__(self, name: str, steps: list[dict[str, Any]]) -> None:
        super().__init__(steps)
        self.name = name


def _with_chains(axis: SweptSetting, chains: Mapping[str, list[dict[str, Any]]], wrong: Wrong) -> SweptSetting:
    """An axis of chains with the steps of those that it names."""
    values = [
        NamedChain(each, _of_name(each, chains, lambda said: wrong("reranking", said)))
        if isinstance(each, str)
        else each
        for each in axis.values
    ]
    return replace(axis, values=tuple(values))


def _of_name(
    name: str, chains: Mapping[str, list[dict[str, Any]]], wrong: Callable[[str], BadInput]
) -> list[dict[str, Any]]:
    if name not in chains:
        raise wrong(f"no chain '{name}' in [chains]{nearest(name, list(chains))}")
    return chains[name]


def _swept(
    content: dict[str, Any], sweep: Any, path: Path, text: str, chains: Mapping[str, list[dict[str, Any]]]
) -> list[Configuration]:
    def wrong(key: str, reason: str) -> BadInput:
        line = line_of(text, ("sweep", key)) or line_of(text, ("sweep",))
        return BadInput(f"{path}, line {line}, [sweep] {key}: {reason}")

    if not isinstance(sweep, dict):
        raise wrong("", "must be a table")
    sweep = dict(sweep)
    mode = sweep.pop("mode", MODES[0])
    if not isinstance(mode, str) or mode not in MODES:
        raise wrong("mode", f"{mode!r} is not one of {', '.join(MODES)}")
    sampled = mode == "sample"
    count, seed = _whole(sweep, "count", 1, MOST_COMBINATIONS, wrong), _whole(sweep, "seed", 0, 2**32 - 1, wrong)
    if sampled and count is None:
        raise wrong("mode", "a sample needs a count")
    if not sampled and (count is not None or seed is not None):
        raise wrong("count" if count is not None else "seed", "is for mode 'sample'")
    base = validated(Configuration, {**content}, path, text).settings()
    axes = [_axis(key, value, sampled, wrong) for key, value in sweep.items()]
    axes = [_with_chains(axis, chains, wrong) if axis.key == "reranking" else axis for axis in axes]
    choices = _choices(axes, mode, base, count or 0, seed or 0, wrong)
    for axis in axes:
        if (axis.only or axis.unless) and not any(axis.key in choice for choice in choices):
            raise wrong(axis.key, "its condition holds in no configuration")
    many = {axis.key for axis in axes if len(axis.values) != 1}
    firsts = {axis.key: axis.values[0] for axis in axes if axis.values} if mode == "one-at-a-time" else {}
    return [_made(content, choice, many, firsts, wrong) for choice in choices]


def _made(
    content: dict[str, Any], choice: Choice, many: set[str], firsts: Mapping[str, Any], wrong: Wrong
) -> Configuration:
    told = {key: value for key, value in choice.items() if key in many and not (firsts and value == firsts[key])}
    suffix = ",".join(f"{key.rsplit('.', 1)[-1]}={_short(value)}" for key, value in told.items()) or "base"
    merged = with_values(content, choice)
    merged["name"] = f"{content.get('name', '')}/{suffix}"
    try:
        return Configuration.model_validate(merged)
    except ValidationError as error:
        first = error.errors()[0]
        at = ".".join(str(part) for part in first["loc"])
        key = next((key for key in choice if key == at), next((k for k in choice if k.startswith(at)), ""))
        reason = first["msg"].removeprefix("Value error, ")
        raise wrong(key, f"{_short(choice.get(key))}: {reason}") from None


def _axis(key: str, value: Any, sampled: bool, wrong: Wrong) -> SweptSetting:
    """What a line of `[sweep]` says of a setting."""
    settings = _flat(Configuration)
    if key not in settings and not _of_entry(key):
        raise wrong(key, "unknown setting" + nearest(key, [*settings, "mode", "count", "seed"]))
    if isinstance(value, list):
        value = {"values": value}
    if not isinstance(value, dict):
        raise wrong(key, f"must be a list of values, or a table with values or from and to, not {value!r}")
    for name in value:
        if name not in _AXIS:
            raise wrong(key, f"unknown word '{name}'{nearest(name, list(_AXIS))}")
    only, unless = (_condition(key, value.get(name, {}), settings, wrong) for name in ("only", "unless"))
    if ("values" in value) == ("from" in value or "to" in value):
        raise wrong(key, "needs either values, or from and to")
    if "values" in value:
        values = value["values"]
        if not isinstance(values, list) or not values:
            raise wrong(key, f"must be a list of values, not {values!r}")
        return SweptSetting(key, tuple(values), only=only, unless=unless)
    return _ranged(key, value, sampled, only, unless, wrong)


def _ranged(key: str, value: dict[str, Any], sampled: bool, only: Any, unless: Any, wrong: Wrong) -> SweptSetting:
    low, high, steps, spacing = (value.get(name) for name in ("from", "to", "steps", "spacing"))
    for name, each in (("from", low), ("to", high)):
        if isinstance(each, bool) or not isinstance(each, (int, float)) or not math.isfinite(each):
            raise wrong(key, f"{name} must be a number, not {each!r}")
    assert isinstance(low, (int, float))
    assert isinstance(high, (int, float))
    if low >= high:
        raise wrong(key, f"from ({low}) must be less than to ({high})")
    if spacing is not None and spacing not in _SPACINGS:
        raise wrong(key, f"spacing {spacing!r} is not one of {', '.join(_SPACINGS)}")
    ratio = spacing == "ratio"
    if ratio and low <= 0:
        raise wrong(key, "spacing 'ratio' needs a from greater than 0")
    if steps is None and sampled:
        return SweptSetting(key, (), (low, high), ratio, only, unless)
    if isinstance(steps, bool) or not isinstance(steps, int) or not 2 <= steps <= MOST_COMBINATIONS:
        raise wrong(key, f"steps must be a whole number from 2 to {MOST_COMBINATIONS}, not {steps!r}")
    whole = isinstance(low, int) and isinstance(high, int)
    shares = [step / (steps - 1) for step in range(steps)]
    values = [low * (high / low) ** share if ratio else low + (high - low) * share for share in shares]
    return SweptSetting(key, tuple(dict.fromkeys(_rounded(each, whole) for each in values)), only=only, unless=unless)


def _plain(value: Any) -> Any:
    """A value as conditions name it: the steps of a reranking by their names."""
    return _short(value) if isinstance(value, list) else value


def _rounded(value: float, whole: bool) -> float | int:
    return round(value) if whole else float(f"{value:.6g}")


def _condition(
    key: str, value: Any, settings: list[str], wrong: Wrong
) -> tuple[tuple[str, tuple[Any, ...]], ...]:  # fmt: skip
    if not isinstance(value, dict):
        raise wrong(key, f"only and unless must be tables of settings and their values, not {value!r}")
    for name in value:
        if name not in settings and not _of_entry(name):
            raise wrong(key, f"its condition names an unknown setting '{name}'{nearest(name, settings)}")
        if name == key:
            raise wrong(key, "its condition names the setting itself")
    return tuple((name, tuple(each) if isinstance(each, list) else (each,)) for name, each in value.items())


def _whole(sweep: dict[str, Any], key: str, low: int, high: int, wrong: Wrong) -> int | None:
    value = sweep.pop(key, None)
    if value is not None and (isinstance(value, bool) or not isinstance(value, int) or not low <= value <= high):
        raise wrong(key, f"must be a whole number from {low} to {high}, not {value!r}")
    return value


def _choices(
    axes: list[SweptSetting], mode: str, base: Mapping[str, Any], count: int, seed: int, wrong: Wrong
) -> list[Choice]:
    """The combinations, each once, without settings that do not count in them."""
    sizes = [len(axis.values) for axis in axes]
    finite = all(sizes)
    total = math.prod(sizes)
    if mode == "one-at-a-time":
        _few(1 + sum(sizes) - len(sizes), wrong)
        return list(_distinct(_one_at_a_time(axes), axes, base))
    if mode == "every-combination":
        _few(total, wrong, _MOST_LOOKED_AT)
        found = list(itertools.islice(_distinct(_combinations(axes), axes, base), MOST_COMBINATIONS + 1))
        if len(found) > MOST_COMBINATIONS:
            conditions = any(axis.only or axis.unless for axis in axes)
            raise _too_many(total, wrong, "up to " if conditions else "")
        return found
    lot = np.random.default_rng(seed)
    if finite and total <= _MOST_LOOKED_AT:
        every = list(_distinct(_combinations(axes), axes, base))
        places = lot.choice(len(every), size=min(count, len(every)), replace=False)
        return [every[place] for place in sorted(places.tolist())]
    draws = ({axis.key: axis.drawn(lot) for axis in axes} for _ in range(count * _TRIES))
    return list(itertools.islice(_distinct(draws, axes, base), count))


def _few(total: int, wrong: Wrong, most: int = MOST_COMBINATIONS) -> None:
    """Refuses what stands for too many, before a list is made that might never end."""
    if total > most:
        raise _too_many(total, wrong)


def _too_many(total: int, wrong: Wrong, about: str = "") -> BadInput:
    return wrong(
        "",
        f'stands for {about}{total:,} configurations; the most is {MOST_COMBINATIONS} (mode = "sample" with a count draws '
        "some of them)",
    )


def _combinations(axes: list[SweptSetting]) -> Iterator[Choice]:
    for values in itertools.product(*(axis.values for axis in axes)):
        yield dict(zip((axis.key for axis in axes), values))


def _one_at_a_time(axes: list[SweptSetting]) -> Iterator[Choice]:
    first = {axis.key: axis.values[0] for axis in axes}
    yield first
    for axis in axes:
        for value in axis.values[1:]:
            yield {**first, axis.key: value}


def _distinct(choices: Iterator[Choice], axes: list[SweptSetting], base: Mapping[str, Any]) -> Iterator[Choice]:
    seen: set[str] = set()
    for choice in choices:
        found = _counting(choice, axes, base)
        if (mark := repr(found)) not in seen:
            seen.add(mark)
            yield found


def _counting(choice: Choice, axes: list[SweptSetting], base: Mapping[str, Any]) -> Choice:
    """The settings of a choice whose conditions hold; one that is left out has the value of the file itself, on which
    other conditions may depend."""
    found = dict(choice)
    while True:
        settings = {**base, **found}
        lists = {table: _listed_of(table, settings.get(table)) for table in LISTED}
        gone = [
            axis.key for axis in axes
            if axis.key in found and not (axis.holds(settings) and _there(axis.key, lists))
        ]  # fmt: skip
        if not gone:
            return found
        for key in gone:
            del found[key]


def _of_entry(key: str) -> bool:
    """Whether a name is that of a setting of a step or rewriting, "reranking.floor.least", or "rewriting.method"."""
    table, *inner = key.split(".")
    if key == "rewriting.method":
        return True
    every: dict[str, Mapping[str, Any]] = {"reranking": STEPS, "rewriting": REWRITES}
    kinds = every.get(table, {})
    kind = re.sub(r"-\d+$", "", inner[0]) if inner else ""
    return len(inner) == 2 and kind in kinds and inner[1] in settings_known(table, kind)


def _listed_of(table: str, value: Any) -> list[str]:
    """The names of the steps or rewritings of a choice."""
    if isinstance(value, dict):
        value = [value]
    if isinstance(value, str):
        value = [] if value == "none" else [{LISTED[table]: kind} for kind in value.split("+")]
    return named_entries([each for each in value or () if isinstance(each, dict)], LISTED[table])


def _there(key: str, lists: Mapping[str, list[str]]) -> bool:
    """Whether what a setting belongs to stands in a configuration: a step's counts only where the step does."""
    table, *inner = key.split(".")
    return len(inner) < 2 or table not in lists or inner[0] in lists[table]


def _flat(model: type[BaseModel]) -> list[str]:
    """Every setting by its dotted name: 'chunking.size', 'reranking'."""
    names: list[str] = []
    for name, field in model.model_fields.items():
        inner = field.annotation
        if isinstance(inner, type) and issubclass(inner, BaseModel):
            names.extend(f"{name}.{key}" for key in inner.model_fields)
        elif name not in ("name", "note"):
            names.append(name)
    return names


def _short(value: Any) -> str:
    if isinstance(value, NamedChain):
        return value.name
    if isinstance(value, list):
        return "+".join(_short(step) for step in value) or "none"
    if isinstance(value, dict):
        return str(value.get("step", value.get("method", value)))
    return str(value)
