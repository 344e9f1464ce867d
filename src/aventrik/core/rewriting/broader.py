"""The question behind the question: what is asked in general, without the case in hand."""

from __future__ import annotations

from typing import Any

from . import Posed


def fields(posed: Posed, count: int) -> dict[str, Any]:
    """Fields of the task `broader`."""
    return {"question": posed.question}


def queries(value: dict[str, Any]) -> list[str]:
    """The question in its reply."""
    return [str(value["question"])]
