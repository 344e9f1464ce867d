"""A question to the queries that are searched for. A method is one module and one line in `METHODS`."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from importlib import import_module

from ..tasks import LanguageModel

METHODS = ("none", "paraphrases")

Rewritten = tuple[list[str], str]  # the queries, the first as asked; and why rewriting failed, if it did


def rewrite(questions: Sequence[str], method: str, count: int, model: LanguageModel) -> list[Rewritten]:
    """For each question its queries: itself first, then up to `count` rewrites. A failure leaves it alone."""
    if method == "none":
        return [([question], "") for question in questions]
    write: Callable[[Sequence[str], int, LanguageModel], list[Rewritten]]
    write = import_module(f"{__name__}.{method}").rewrite
    return write(questions, count, model)
