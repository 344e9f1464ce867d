"""`gate.toml`: the limits that `gate` holds a run against."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field, model_validator

from ..core.errors import BadInput
from ..core.testsets import FACETS
from .toml import Table, load_toml, one_of, place, validated

_Text = Annotated[str, Field(max_length=1000)]
_Figure = Annotated[float, Field(strict=False, ge=-(10**9), le=10**9)]


class Limit(Table):
    """One limit: the least or the greatest mean of a measure, or the largest drop against the baseline (in the measure's
    own units, or as text such as "10%" of the baseline's mean); over all questions, those of one group, or each group."""

    measure: _Text = Field(min_length=1)
    least: _Figure | None = None
    most: _Figure | None = None
    drop: Annotated[float, Field(strict=False, ge=0, le=10**9)] | str | None = None
    margin: float = Field(0.0, strict=False, ge=0, le=10**9)
    kind: _Text = ""
    style: _Text = ""
    difficulty: _Text = ""
    tag: _Text = ""
    document: _Text = ""
    writer: _Text = ""
    each: Annotated[str, one_of(FACETS)] | None = None

    @model_validator(mode="after")
    def _sound(self) -> Limit:
        if self.least is None and self.most is None and self.drop is None:
            raise ValueError("says nothing: give least, most or drop")
        if self.least is not None and self.most is not None and self.least > self.most:
            raise ValueError(f"least {self.least:g} is more than most {self.most:g}")
        if self.margin and self.least is None and self.most is None:
            raise ValueError("margin goes with least or most; a drop is its own margin")
        if isinstance(self.drop, str):
            share_of(self.drop)
        if len(self.group) > 1 or (self.group and self.each):
            raise ValueError(f"is of one group of questions: give one of {', '.join(FACETS)}, or each")
        return self

    @property
    def group(self) -> dict[str, str]:
        """The group of questions that is meant: its facet and label."""
        return {name: label for name in FACETS if (label := getattr(self, name))}


def share_of(text: str) -> float:
    """A share such as "10%" as 0.1; raises ValueError for any other text."""
    try:
        share = float(text.strip().removesuffix("%")) / 100 if text.strip().endswith("%") else -1.0
    except ValueError:
        share = -1.0
    if not 0 <= share <= 10:
        raise ValueError(f'drop is a figure, or a share of the baseline such as "10%", not "{text}"')
    return share


class GateSettings(Table):
    """What stands in the file. `unable` is what a limit counts as that so few questions could not have failed; `allow` has the
    kinds of things that may differ from the baseline without a setting that
    explains it; `failures` is the share of questions that may rest on a call that failed."""

    baseline: _Text = ""
    undecided: Literal["pass", "fail"] = "pass"
    unable: Literal["pass", "fail"] = "fail"
    judge: Literal["same", "any"] = "same"
    allow: tuple[Literal["models", "prompts", "program", "criteria", "filter"], ...] = Field((), strict=False)
    failures: float = Field(0.0, strict=False, ge=0, le=1)
    gone: float = Field(0.2, strict=False, ge=0, le=1)
    limit: tuple[Limit, ...] = Field(strict=False, min_length=1, max_length=200)


@dataclass(frozen=True)
class Gate:
    """The settings, the file that they stand in, and its text, by which a line is told."""

    path: Path
    settings: GateSettings
    text: str

    def where(self, number: int, key: str = "measure") -> str:
        """'gate.toml, line 7, [limit] measure' for a limit."""
        return place(self.path, self.text, ("limit", str(number), key))

    @property
    def measures(self) -> list[str]:
        """The measures that its limits name."""
        return list(dict.fromkeys(limit.measure for limit in self.settings.limit))


def load_gate(path: Path) -> Gate:
    """The limits of a file; raises `BadInput` with file, line and key, or where there is no such file."""
    if not path.is_file():
        raise BadInput(
            f"{path}: no such file; it holds what 'aventrik gate' holds a run against (see docs/reference.md)"
        )
    content, text = load_toml(path)
    content = _several(content)
    return Gate(path, validated(GateSettings, content, path, text), text)


def _several(content: dict[str, object]) -> dict[str, object]:
    """One `[limit]` is a list of one."""
    return content | {"limit": [content["limit"]]} if isinstance(content.get("limit"), dict) else content
