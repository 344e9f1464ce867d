"""A configuration: the settings of every stage."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

from pydantic import BaseModel, Field, ValidationError, field_validator, model_validator

from ..core.errors import BadInput
from ..core.reranking import STEPS, check_setting
from ..core.rewriting import METHODS as REWRITES
from ..core.rewriting import MOST, NUMBERS
from .stage_settings import (
    Answering,
    Chunking,
    ContextSettings,
    Embedding,
    Index,
    Search,
    about,
    settings_of,
)
from .toml import Table, nearest

NO_METHOD = "none"  # rewriting.method: questions are searched for as they are
MOST_STEPS = 100  # of a chain
LISTED = {"rewriting": "method", "reranking": "step"}  # tables that are lists: what names the kind of an entry


class Configuration(Table):
    """The settings of every stage; each but the name has a default."""

    name: str = Field(min_length=1, max_length=200)
    note: str = ""
    chunking: Chunking = Chunking()
    index: Index = Index()
    embedding: Embedding = Embedding()
    rewriting: tuple[dict[str, Any], ...] = Field((), strict=False)
    search: Search = Search()
    reranking: tuple[dict[str, Any], ...] = Field((), strict=False)
    context: ContextSettings = ContextSettings()
    answering: Answering = Answering()

    def with_settings(self, settings: dict[str, Any]) -> Configuration:
        """The configuration with some settings, given by dotted name, changed; raises `BadInput` for a wrong one."""
        try:
            return Configuration.model_validate(with_values(self.model_dump(), settings), strict=False)
        except ValidationError as error:
            first = error.errors()[0]
            at = ".".join(str(part) for part in first["loc"])
            raise BadInput(f"{at}: {first['msg'].removeprefix('Value error, ')}") from None

    @field_validator("rewriting", mode="before")
    @classmethod
    def _one_or_several(cls, value: Any) -> Any:
        """A single table stands for a list of one, and the method "none" for none."""
        if isinstance(value, dict):
            value = [{"method": "none", **value}]
        if not isinstance(value, (list, tuple)):
            return value
        known = [each for each in value if not (isinstance(each, dict) and each.get("method") == NO_METHOD)]
        return [_without_idle_count(each) for each in known] if len(value) == 1 else known

    @field_validator("rewriting")
    @classmethod
    def _known_methods(cls, rewritings: tuple[dict[str, Any], ...]) -> tuple[dict[str, Any], ...]:
        if len(rewritings) > MOST_STEPS:
            raise ValueError(f"{len(rewritings)} rewritings are too many; the most is {MOST_STEPS}")
        for each in rewritings:
            name = each.get("method")
            if not isinstance(name, str) or name not in REWRITES:
                raise ValueError(
                    f"method {name!r} is not one of {', '.join(REWRITES)}{nearest(str(name), list(REWRITES))}"
                )
            for key, value in each.items():
                if key != "method":
                    _check_rewriting(name, key, value)
        return rewritings

    @field_validator("reranking")
    @classmethod
    def _known_steps(cls, steps: tuple[dict[str, Any], ...]) -> tuple[dict[str, Any], ...]:
        if len(steps) > MOST_STEPS:
            raise ValueError(f"{len(steps)} steps are too many; the most is {MOST_STEPS}")
        for step in steps:
            name = step.get("step")
            if not isinstance(name, str) or name not in STEPS:
                near = nearest(str(name), list(STEPS))
                raise ValueError(f"step {name!r} is not a reranking step{near}")
            for key, value in step.items():
                if key != "step":
                    _check_step(name, key, value)
        return steps

    @classmethod
    def kept(cls, content: dict[str, Any]) -> Configuration:
        """A configuration that a run keeps: settings that this version no longer knows are passed over."""
        known = {
            name: {key: inner for key, inner in value.items() if key in part.model_fields}
            if isinstance(value, dict) and isinstance(part := cls.model_fields[name].annotation, type)
            and issubclass(part, BaseModel)
            else value
            for name, value in content.items()
            if name in cls.model_fields
        }  # fmt: skip
        return cls.model_validate(known, strict=False)

    def settings(self) -> dict[str, Any]:
        """Every setting by its dotted name, but for name and note. The steps of a reranking are named in order under
        "reranking", and a setting of one of them as "reranking.STEP.SETTING", of a step that stands there a second time
        as "reranking.STEP-2.SETTING"; rewritings in the same way."""
        flat: dict[str, Any] = {}
        for table, value in self.model_dump(exclude={"name", "note", "reranking", "rewriting"}).items():
            for key, inner in value.items():
                if isinstance(inner, dict):
                    flat.update({f"{table}.{key}.{last}": each for last, each in inner.items()})
                else:
                    flat[f"{table}.{key}"] = inner
        for table, entries, word in (("rewriting", self.rewriting, "method"), ("reranking", self.reranking, "step")):
            flat[table] = "+".join(entry[word] for entry in entries) or "none"
            for name, entry in zip(named_entries(entries, word), entries):
                known = settings_known(table, entry[word])
                flat.update({f"{table}.{name}.{key}": entry.get(key, default) for key, default in known.items()})
        return flat

    def used_settings(self) -> dict[str, Any]:
        """The settings by dotted name; None for one that another setting leaves without use."""
        idle = {name: None for name, field in settings_of(type(self)) if not about(field).when.holds(self)}
        return self.settings() | idle

    @model_validator(mode="after")
    def _place_fits(self) -> Configuration:
        search = self.search
        if search.place != "postgres":
            if search.table.name:
                raise ValueError("search.table is for search.place 'postgres'")
            return self
        if search.method != "keyword" and (self.embedding.bits != 32 or self.embedding.keep):
            raise ValueError("embedding.bits and embedding.keep are for search.place 'here'")
        if search.feedback:
            raise ValueError("search.feedback is for search.place 'here'")
        if search.table.name:
            if search.method != "keyword" and not search.table.vector:
                raise ValueError(
                    f"search.method '{search.method}' needs the table's column of vectors, in search.table.vector"
                )
            if self.rewriting or self.reranking:
                raise ValueError("search.table is measured as it is: without rewriting and reranking")
        return self

    @model_validator(mode="after")
    def _vectors_have_a_model(self) -> Configuration:
        if self.search.method != "keyword" and self.embedding.model == "none":
            raise ValueError(
                f"search.method '{self.search.method}' needs an embedding model, and embedding.model is 'none'"
            )
        if self.search.method != "keyword" and self.embedding.bits != 32 and self.search.nearest != "exact":
            raise ValueError(
                f"embedding.bits {self.embedding.bits} goes with search.nearest 'exact' alone, not '{self.search.nearest}'"
            )
        return self


def named_entries(entries: Sequence[Mapping[str, Any]], word: str) -> list[str]:
    """The name of each step or rewriting of a configuration: its kind, with -2, -3 … where it stands there again."""
    seen: Counter[str] = Counter()
    names = []
    for entry in entries:
        kind = str(entry.get(word))
        seen[kind] += 1
        names.append(kind if seen[kind] == 1 else f"{kind}-{seen[kind]}")
    return names


def settings_known(table: str, kind: str) -> dict[str, Any]:
    """The settings of a reranking step or a rewriting method with their defaults."""
    if table == "reranking":
        prompt = {"prompt": ""} if STEPS[kind].tasks else {}
        return {**STEPS[kind].settings, **prompt}
    method = REWRITES[kind]
    count = {"count": method.count} if method.count else {}
    return {**count, "model": "", "prompt": "", **{key: default for key, (default, _, _) in NUMBERS.items()}}


def _without_idle_count(rewriting: Any) -> Any:
    """A table of earlier versions, which had a count with every method."""
    if isinstance(rewriting, dict) and rewriting.get("method") in REWRITES and not REWRITES[rewriting["method"]].count:
        return {key: value for key, value in rewriting.items() if key != "count"}
    return rewriting


def _check_rewriting(method: str, key: str, value: Any) -> None:
    """Raises ValueError for a setting that a rewriting method does not have, or of another type or range."""
    known = settings_known("rewriting", method)
    if key not in known:
        raise ValueError(f"method '{method}' has no setting '{key}'{nearest(key, list(known))}")
    if isinstance(known[key], str):
        if not isinstance(value, str):
            raise ValueError(f"method '{method}', {key}: must be text in quotes, not {value!r}")
        return
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not math.isfinite(value):
        raise ValueError(f"method '{method}', {key}: must be a number, not {value!r}")
    if key == "count":
        if not isinstance(value, int) or not 1 <= value <= MOST:
            raise ValueError(f"method '{method}', count: must be a whole number from 1 to {MOST}, not {value!r}")
    elif not NUMBERS[key][1] <= value <= NUMBERS[key][2]:
        raise ValueError(
            f"method '{method}', {key}: must be from {NUMBERS[key][1]:g} to {NUMBERS[key][2]:g}, not {value!r}"
        )


def _check_step(step: str, key: str, value: Any) -> None:
    """Raises ValueError for a setting that a reranking step does not have, or of another type or range."""
    known = settings_known("reranking", step)
    if key not in known:
        raise ValueError(f"step '{step}' has no setting '{key}'{nearest(key, list(known))}")
    if key == "prompt":
        if not isinstance(value, str):
            raise ValueError(f"step '{step}', {key}: must be text in quotes, not {value!r}")
    else:
        check_setting(step, key, value)


def with_values(content: dict[str, Any], choice: dict[str, Any]) -> dict[str, Any]:
    """Content of a configuration with some settings, given by dotted name, set. Raises `BadInput` for a setting of a step
    or rewriting that the content does not have."""
    merged = {key: dict(value) if isinstance(value, dict) else value for key, value in content.items()}
    for key, value in sorted(
        choice.items(), key=lambda pair: pair[0].count(".")
    ):  # chains before the settings of a step
        table, *inner = key.split(".")
        if table in LISTED and inner:
            merged[table] = _with_entry(table, merged.get(table) or [], inner, value)
        elif len(inner) == 2:
            held = dict(merged.get(table, {}))
            merged[table] = {**held, inner[0]: {**held.get(inner[0], {}), inner[1]: value}}
        elif inner:
            merged.setdefault(table, {})[inner[0]] = value
        else:
            merged[table] = value
    return merged


def _with_entry(table: str, entries: Any, inner: list[str], value: Any) -> list[dict[str, Any]]:
    """Steps or rewritings with a setting of one of them set; "method" by itself stands for the whole list."""
    if inner == ["method"] and table == "rewriting":
        return [] if value == NO_METHOD else [{"method": value}]
    word = LISTED[table]
    changed = [dict(entry) for entry in ([entries] if isinstance(entries, dict) else entries)]
    names = named_entries(changed, word)
    if len(inner) != 2 or inner[0] not in names:
        here = f"it has {', '.join(names)}" if names else "it has none"
        raise BadInput(f"{table}.{'.'.join(inner)}: no such {word} in the configuration; {here}")
    changed[names.index(inner[0])][inner[1]] = value
    return changed
