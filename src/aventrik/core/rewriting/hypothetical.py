"""A passage that might answer, searched for beside the question (Gao and others, 2023)."""

from __future__ import annotations

from typing import Any

from . import Posed


def fields(posed: Posed, count: int) -> dict[str, Any]:
    """Fields of the task `hypothetical`."""
    return {"question": posed.question}


def queries(value: dict[str, Any]) -> list[str]:
    """The passage in its reply."""
    return [str(value["passage"])]
