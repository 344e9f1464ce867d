"""A configuration: the settings of every stage, from one TOML file; with a sweep it stands for many."""

from __future__ import annotations

import itertools
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

from ..core.chunking import Cutting
from ..core.errors import BadInput
from ..core.filters import parse
from ..core.indexing.approximate import Nearness, Reach
from ..core.reranking import STEPS
from ..core.searching import Searching
from ..core.serving import Serving
from .toml import line_of, load_toml, nearest, validated

MOST_COMBINATIONS = 500


class _Table(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, frozen=True)


class Chunking(_Table):
    """How documents are cut, and what is served for a chunk."""

    method: Literal["fixed", "sentence", "paragraph", "heading", "page", "topic"] = "paragraph"
    size: int = Field(800, ge=1, le=1_000_000)
    unit: Literal["chars", "words", "tokens"] = "chars"
    tokenizer: str = "estimate"
    overlap: int | None = Field(None, ge=0)
    serve: Literal["chunk", "neighbours", "section", "page", "document", "larger"] = "chunk"
    around: int = Field(1, ge=1, le=100)
    larger_method: Literal["fixed", "sentence", "paragraph", "heading", "page", "topic"] = "paragraph"
    larger_size: int | None = Field(None, ge=1, le=10_000_000)

    @model_validator(mode="after")
    def _sizes_fit_together(self) -> Chunking:
        if self.overlap is not None and self.overlap >= self.size:
            raise ValueError(f"overlap ({self.overlap}) must be smaller than size ({self.size})")
        if self.serve == "larger" and self.larger_size is not None and self.larger_size <= self.size:
            raise ValueError(f"larger_size ({self.larger_size}) must be greater than size ({self.size})")
        return self

    @property
    def cutting(self) -> Cutting:
        """The part that decides where chunks begin and end; an overlap that is not given is a tenth of the size."""
        overlap = self.size // 10 if self.overlap is None else self.overlap
        return Cutting(self.method, self.size, self.unit, overlap, self.tokenizer)

    @property
    def serving(self) -> Serving:
        """The part that decides what is handed on; a larger chunking that is not sized is three times as large."""
        larger = Cutting(self.larger_method, self.larger_size or 3 * self.size, self.unit, 0, self.tokenizer)
        return Serving(self.serve, self.around, larger if self.serve == "larger" else None)


class Index(_Table):
    """What is matched for a chunk."""

    text: Literal["chunk", "summary", "facts", "questions"] = "chunk"
    model: str = ""
    headings: bool = True
    k1: float = Field(1.2, ge=0, le=10, strict=False)
    b: float = Field(0.75, ge=0, le=1, strict=False)
    title_weight: float = Field(0.0, ge=0, le=100, strict=False)
    title_b: float = Field(0.75, ge=0, le=1, strict=False)


class Embedding(_Table):
    """Which model turns texts into vectors."""

    model: str = "lsa"
    dimensions: int = Field(192, ge=2, le=4096)


class Rewriting(_Table):
    """What a question is turned into before searching."""

    method: Literal["none", "paraphrases", "hypothetical", "parts"] = "none"
    count: int = Field(3, ge=1, le=20)
    model: str = ""


class Search(_Table):
    """How candidates are found."""

    method: Literal["keyword", "vector", "both"] = "both"
    top: int = Field(40, ge=1, le=10_000)
    least: float | None = Field(None, strict=False)
    where: str = ""
    blend: Literal["ranks", "scores"] = "ranks"
    scaling: Literal["min-max", "z-score"] = "min-max"
    weight: float = Field(0.5, ge=0, le=1, strict=False)
    nearest: Literal["exact", "graph", "lists"] = "exact"
    links: int = Field(32, ge=4, le=256)
    build_effort: int = Field(80, ge=4, le=10_000)
    effort: int = Field(256, ge=1, le=100_000)
    lists: int = Field(0, ge=0, le=1_000_000)
    probes: int = Field(20, ge=1, le=1_000_000)

    @field_validator("where")
    @classmethod
    def _understood(cls, condition: str) -> str:
        if condition.strip():
            try:
                parse(condition)
            except BadInput as error:
                raise ValueError(str(error).removeprefix("where, ")) from None
        return condition.strip()

    @property
    def nearness(self) -> Nearness:
        """How an approximate index is laid out."""
        return Nearness(self.nearest, self.links, self.build_effort, self.lists)

    @property
    def reach(self) -> Reach:
        """How thoroughly it is searched."""
        return Reach(self.effort, self.probes)

    @property
    def searching(self) -> Searching:
        """The part that says what is done with the lists."""
        return Searching(self.method, self.top, self.blend, self.scaling, self.weight, self.least)


class Context(_Table):
    """What the answering model is shown."""

    keep: int = Field(5, ge=1, le=1000)
    budget: int = Field(1200, ge=1)


class Answering(_Table):
    """Which model answers, and how."""

    model: str = ""
    style: Literal["quote", "short"] = "quote"


class Configuration(_Table):
    """The settings of every stage; each but the name has a default."""

    name: str = Field(min_length=1, max_length=200)
    note: str = ""
    chunking: Chunking = Chunking()
    index: Index = Index()
    embedding: Embedding = Embedding()
    rewriting: Rewriting = Rewriting()
    search: Search = Search()
    reranking: tuple[dict[str, Any], ...] = Field((), strict=False)
    context: Context = Context()
    answering: Answering = Answering()

    def with_settings(self, settings: dict[str, Any]) -> Configuration:
        """The configuration with some settings, given by dotted name, changed; raises `BadInput` for a wrong one."""
        try:
            return Configuration.model_validate(_with(self.model_dump(), settings), strict=False)
        except ValidationError as error:
            first = error.errors()[0]
            at = ".".join(str(part) for part in first["loc"])
            raise BadInput(f"{at}: {first['msg'].removeprefix('Value error, ')}") from None

    @field_validator("reranking")
    @classmethod
    def _known_steps(cls, steps: tuple[dict[str, Any], ...]) -> tuple[dict[str, Any], ...]:
        for step in steps:
            name = step.get("step")
            if name not in STEPS:
                near = nearest(str(name), list(STEPS))
                raise ValueError(f"step {name!r} is not a reranking step{near}")
            for key, value in step.items():
                if key != "step":
                    _check_step(name, key, value)
        return steps

    @model_validator(mode="after")
    def _vectors_have_a_model(self) -> Configuration:
        if self.search.method != "keyword" and self.embedding.model == "none":
            raise ValueError(
                f"search.method '{self.search.method}' needs an embedding model, and embedding.model is 'none'"
            )
        return self


def _check_step(step: str, key: str, value: Any) -> None:
    """Raises ValueError for a setting that a reranking step does not have, or of another type or range."""
    if key not in STEPS[step]:
        raise ValueError(f"step '{step}' has no setting '{key}'{nearest(key, list(STEPS[step]))}")
    default = STEPS[step][key]
    if isinstance(default, str):
        if not isinstance(value, str):
            raise ValueError(f"step '{step}', {key}: must be text in quotes, not {value!r}")
    elif isinstance(value, bool) or not isinstance(value, (int, float)):
        raise ValueError(f"step '{step}', {key}: must be a number, not {value!r}")
    elif isinstance(default, float) and not 0 <= value <= 1:
        raise ValueError(f"step '{step}', {key}: must be from 0 to 1, not {value!r}")
    elif isinstance(default, int) and (not isinstance(value, int) or value < 1):
        raise ValueError(f"step '{step}', {key}: must be a whole number of at least 1, not {value!r}")


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
    if mode not in ("every-combination", "one-at-a-time"):
        raise wrong("mode", f"'{mode}' is not one of every-combination, one-at-a-time")
    validated(Configuration, {**content}, path, text)
    settings = _flat(Configuration)
    for key, values in sweep.items():
        if key not in settings:
            raise wrong(key, "unknown setting" + nearest(key, settings))
        if not isinstance(values, list) or not values:
            raise wrong(key, f"must be a list of values, not {values!r}")
    found: list[Configuration] = []
    for choice in _choices(sweep, mode):
        merged = _with(content, choice)
        merged["name"] = f"{content.get('name', '')}/{_suffix(choice, sweep, mode)}"
        try:
            found.append(Configuration.model_validate(merged))
        except ValidationError as error:
            first = error.errors()[0]
            at = ".".join(str(part) for part in first["loc"])
            key = next((key for key in choice if key == at), next((k for k in choice if k.startswith(at)), ""))
            reason = first["msg"].removeprefix("Value error, ")
            raise wrong(key, f"{_short(choice.get(key))}: {reason}") from None
    if len(found) > MOST_COMBINATIONS:
        raise wrong("", f"stands for {len(found)} configurations; the most is {MOST_COMBINATIONS}")
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


def _with(content: dict[str, Any], choice: dict[str, Any]) -> dict[str, Any]:
    merged = {key: dict(value) if isinstance(value, dict) else value for key, value in content.items()}
    for key, value in choice.items():
        *tables, last = key.split(".")
        inner = merged
        for table in tables:
            inner = inner.setdefault(table, {})
        inner[last] = value
    return merged


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
