"""Each thing that a question asks, searched for beside the whole."""

from __future__ import annotations

from typing import Any

from . import Posed


def fields(posed: Posed, count: int) -> dict[str, Any]:
    """Fields of the task `subquestions`."""
    return {"question": posed.question}


def queries(value: dict[str, Any]) -> list[str]:
    """The questions in its reply; a single one is the question itself and adds nothing."""
    found = list(value["questions"])
    return found if len(found) > 1 else []
