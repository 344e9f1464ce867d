"""Prompts of the user's own for single steps and rewritings of a configuration."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from ..core.reranking import STEPS
from ..core.rewriting import METHODS
from ..models.prompts import step_prompt
from ..workspace.configuration import Configuration


def with_prompts(configuration: Configuration, folder: Path) -> Configuration:
    """A configuration in which the wording of each prompt that it names stands in the place of its name, so that a run
    keeps what was asked; raises `BadInput` for a file that is missing or does not fit its task."""
    changes: dict[str, Any] = {}
    rewriting = [
        _worded(
            each,
            METHODS[each["method"]].task,
            folder,
            f"configuration '{configuration.name}', rewriting {each['method']}",
        )
        for each in configuration.rewriting
    ]
    reranking = [
        _worded(
            each,
            STEPS[each["step"]].task(each),
            folder,
            f"configuration '{configuration.name}', reranking {each['step']}",
        )
        for each in configuration.reranking
    ]
    for name, found, before in (
        ("rewriting", rewriting, configuration.rewriting), ("reranking", reranking, configuration.reranking)
    ):  # fmt: skip
        if found != list(before):
            changes[name] = tuple(found)
    return configuration.model_copy(update=changes) if changes else configuration


def _worded(entry: Mapping[str, Any], task: str, folder: Path, where: str) -> dict[str, Any]:
    name = entry.get("prompt", "")
    if not name or "\n" in name or "$" in name:  # none, or the wording itself, of a run that was made before
        return dict(entry)
    return {**entry, "prompt": step_prompt(name, task, folder, where)}
