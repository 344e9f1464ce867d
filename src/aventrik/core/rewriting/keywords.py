"""The words of a question that a search box would be given."""

from __future__ import annotations

from typing import Any

from . import Posed


def fields(posed: Posed, count: int) -> dict[str, Any]:
    """Fields of the task `keywords`."""
    return {"question": posed.question}


def queries(value: dict[str, Any]) -> list[str]:
    """The words of its reply, as one query."""
    return [" ".join(str(word).strip() for word in value["keywords"] if str(word).strip())]
