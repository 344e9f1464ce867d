"""Configurations from files: one, or with `[sweep]` every combination of the values that it lists."""

from __future__ import annotations

import itertools
import math
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ValidationError

from ..core.errors import BadInput
from .configuration import Configuration, with_values
from .toml import line_of, load_toml, nearest, validated

MOST_COMBINATIONS = 500


def load_configurations(path: Path) -> list[Configuration]:
    """The configurations of a file: one, or with a `[sweep]` every combination, in the order of the file."""
    content, text = load_toml(path)
    sweep = content.pop("sweep", None)
    if sweep is None:
        return [validated(Configuration, content, path, text)]
    return _swept(content, sweep, path, text)


def _swept(content: dict[str, Any], sweep: Any, path: Path, text: str) -> list[Configuration]:
    def wrong(key: str, reason: str) -> BadInput:
        line = line_of(text, ("sweep", key)) or line_of(text, ("sweep",))
        return BadInput(f"{path}, line {line}, [sweep] {key}: {reason}")

    if not isinstance(sweep, dict):
        raise wrong("", "must be a table")
    mode = sweep.pop("mode", "every-combination")
    if not isinstance(mode, str) or mode not in ("every-combination", "one-at-a-time"):
        raise wrong("mode", f"{mode!r} is not one of every-combination, one-at-a-time")
    validated(Configuration, {**content}, path, text)
    settings = _flat(Configuration)
    for key, values in sweep.items():
        if key not in settings:
            raise wrong(key, "unknown setting" + nearest(key, settings))
        if not isinstance(values, list) or not values:
            raise wrong(key, f"must be a list of values, not {values!r}")
    counts = [len(values) for values in sweep.values()]
    total = math.prod(counts) if mode == "every-combination" else 1 + sum(counts) - len(counts)
    if total > MOST_COMBINATIONS:  # told before a list is made that might never end
        raise wrong("", f"stands for {total:,} configurations; the most is {MOST_COMBINATIONS}")
    found: list[Configuration] = []
    for choice in _choices(sweep, mode):
        merged = with_values(content, choice)
        merged["name"] = f"{content.get('name', '')}/{_suffix(choice, sweep, mode)}"
        try:
            found.append(Configuration.model_validate(merged))
        except ValidationError as error:
            first = error.errors()[0]
            at = ".".join(str(part) for part in first["loc"])
            key = next((key for key in choice if key == at), next((k for k in choice if k.startswith(at)), ""))
            reason = first["msg"].removeprefix("Value error, ")
            raise wrong(key, f"{_short(choice.get(key))}: {reason}") from None
    return found


def _choices(sweep: dict[str, list[Any]], mode: str) -> list[dict[str, Any]]:
    if mode == "every-combination":
        return [dict(zip(sweep, values)) for values in itertools.product(*sweep.values())]
    first = {key: values[0] for key, values in sweep.items()}
    others = [{**first, key: value} for key, values in sweep.items() for value in values[1:]]
    return [first, *others]


def _suffix(choice: dict[str, Any], sweep: dict[str, list[Any]], mode: str) -> str:
    """What a combination is called: the values that vary, or in 'one-at-a-time' the one that was changed."""
    told = {key: value for key, value in choice.items() if len(sweep[key]) > 1}
    if mode == "one-at-a-time":
        told = {key: value for key, value in told.items() if value != sweep[key][0]}
    return ",".join(f"{key.rsplit('.', 1)[-1]}={_short(value)}" for key, value in told.items()) or "base"


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
    if isinstance(value, list):
        return "+".join(_short(step) for step in value) or "none"
    if isinstance(value, dict):
        return str(value.get("step", value))
    return str(value)
