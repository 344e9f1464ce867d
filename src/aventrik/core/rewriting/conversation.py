"""The last question of a conversation, written so that it stands alone; nothing where nothing was asked before."""

from __future__ import annotations

from typing import Any

from . import Posed


def fields(posed: Posed, count: int) -> dict[str, Any] | None:
    """Fields of the task `standalone`; None without turns before."""
    return {"question": posed.question, "before": list(posed.before)} if posed.before else None


def queries(value: dict[str, Any]) -> list[str]:
    """The question in its reply."""
    return [str(value["question"])]
