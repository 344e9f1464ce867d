"""Test sets from the corpus, by the model in the role of writer."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ..core.errors import BadInput
from ..core.testsets import Question
from ..core.testsets.drafting import Draft, draft
from ..workspace.toml import nearest
from .opened import Opened


def draft_questions(
    opened: Opened,
    count: int,
    seed: int | None = None,
    writer: str = "",
    already: Sequence[Question] = (),
    progress: Callable[[int], None] = lambda done: None,
) -> Draft:
    """Up to `count` checked questions beside those `already` there; raises `BadInput` for a writer that is no model."""
    settings = opened.workspace.settings
    known = ["offline", *settings.able("language")]
    if writer and writer not in known:
        raise BadInput(f"--writer: no such language model '{writer}'{nearest(writer, known)}")
    model = opened.models.role("writer", writer)
    corpus = opened.corpus
    chosen = settings.seed if seed is None else seed
    return draft(corpus.names(), corpus.document, model, count, chosen, already, progress)
