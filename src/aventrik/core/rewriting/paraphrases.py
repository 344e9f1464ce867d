"""Other wordings of the question, searched for beside it."""

from __future__ import annotations

from typing import Any


def fields(question: str, count: int) -> dict[str, Any]:
    """Fields of the task `paraphrases`."""
    return {"question": question, "count": count}


def queries(value: dict[str, Any]) -> list[str]:
    """The queries in its reply."""
    return list(value["paraphrases"])
