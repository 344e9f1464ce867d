"""The question with what the documents themselves say that its abbreviations and house words mean."""

from __future__ import annotations

from typing import Any

from . import Posed


def fields(posed: Posed, count: int) -> dict[str, Any] | None:
    """Fields of the task `expanded`; None where the glossary holds nothing of the question."""
    return {"question": posed.question, "glossary": list(posed.glossary)} if posed.glossary else None


def queries(value: dict[str, Any]) -> list[str]:
    """The question in its reply."""
    return [str(value["question"])]
