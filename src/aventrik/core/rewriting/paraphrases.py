"""Other wordings of the question, searched for beside it."""

from __future__ import annotations

from typing import Any

from . import Posed


def fields(posed: Posed, count: int) -> dict[str, Any]:
    """Fields of the task `paraphrases`."""
    return {"question": posed.question, "count": count}


def queries(value: dict[str, Any]) -> list[str]:
    """The queries in its reply."""
    return list(value["paraphrases"])
