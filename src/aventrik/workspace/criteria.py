"""The user's own criteria: a TOML file each in criteria/."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Any, Literal

import regex
from pydantic import Field, field_validator, model_validator

from ..core.criteria import JUDGED, Case, Criterion, Level
from ..core.errors import BadInput
from ..core.measures import MEASURES
from ..models.prompts import check_wording
from .toml import Table, load_toml, nearest, one_of, place, validated

_Text = Annotated[str, Field(max_length=20_000)]


class _Level(Table):
    level: int = Field(ge=-1000, le=1000)
    means: _Text = Field(min_length=1)
    value: float | None = Field(None, ge=0, le=1, strict=False)
    pattern: _Text = ""

    @field_validator("pattern")
    @classmethod
    def _compiles(cls, pattern: str) -> str:
        try:
            regex.compile(pattern)
        except regex.error as error:
            raise ValueError(f"is no regular expression ({error})") from None
        return pattern


class _Case(Table):
    question: _Text = Field(min_length=1)
    material: _Text = Field(min_length=1)
    level: int
    reason: _Text = ""


class _Criterion(Table):
    about: _Text = Field(min_length=1)
    judges: Annotated[str, one_of(JUDGED)]
    better: Literal["more", "less"] = "more"
    declined: bool = False
    judge: str = ""
    prompt: _Text = ""
    levels: tuple[_Level, ...] = Field(strict=False, min_length=2, max_length=20)
    cases: tuple[_Case, ...] = Field((), strict=False, max_length=50)

    @model_validator(mode="after")
    def _scale(self) -> _Criterion:
        numbers = [each.level for each in self.levels]
        twice = next((each for each in numbers if numbers.count(each) > 1), None)
        if twice is not None:
            raise ValueError(f"levels: two of them are level {twice}")
        meanings = [" ".join(each.means.split()).lower() for each in self.levels]
        if len(set(meanings)) < len(meanings):
            raise ValueError("levels: two of them mean the same")
        given = [each.value is not None for each in self.levels]
        if any(given) and not all(given):
            raise ValueError("levels: give every level a value, or none")
        if all(given) and len({each.value for each in self.levels}) == 1:
            raise ValueError("levels: all have the same value")
        for case in self.cases:
            if case.level not in numbers:
                raise ValueError(f"cases: there is no level {case.level}")
        return self


def load_criteria(folder: Path, names: Sequence[str] | None = None) -> list[tuple[Path, Criterion]]:
    """The criteria of a folder, by name, with the file of each; raises `BadInput` with file, line and key."""
    paths = {path.stem: path for path in sorted(folder.glob("*.toml"))} if folder.is_dir() else {}
    for name in names or ():
        if name not in paths:
            near = nearest(name, list(paths)) if paths else ""
            raise BadInput(f"judging.criteria: {folder} holds no criterion '{name}'{near}")
    return [(path, _loaded(path)) for name, path in paths.items() if names is None or name in names]


def _loaded(path: Path) -> Criterion:
    name = path.stem
    if not regex.fullmatch(r"[a-z][a-z0-9-]{0,39}", name):
        raise BadInput(f"{path}: a criterion's file is named in small letters, figures and hyphens")
    if name in MEASURES:
        raise BadInput(f"{path}: '{name}' is a measure already; name the criterion otherwise")
    content, text = load_toml(path)
    if "levels" not in content:
        raise BadInput(f"{path}: has no levels; a criterion needs at least two [[levels]], each with what it means")
    found = validated(_Criterion, content, path, text)
    if found.prompt:
        needed = ["levels", *JUDGED[found.judges]]
        check_wording("criterion", found.prompt, f"{place(path, text, ('prompt',))}", needed)
    return Criterion(
        name=name,
        about=found.about,
        judges=found.judges,
        levels=_levels(found),
        less_is_better=found.better == "less",
        cases=tuple(Case(each.question, each.material, each.level, each.reason) for each in found.cases),
        wording=found.prompt,
        judge=found.judge,
        declined=found.declined,
    )


def _levels(found: _Criterion) -> tuple[Level, ...]:
    """The levels by their numbers; without values of their own they are evenly spread from 0 to 1."""
    ordered = sorted(found.levels, key=lambda each: each.level)
    last = len(ordered) - 1
    return tuple(
        Level(each.level, " ".join(each.means.split()), _value(each.value, number / last), each.pattern)
        for number, each in enumerate(ordered)
    )


def _value(given: Any, even: float) -> float:
    return even if given is None else float(given)
