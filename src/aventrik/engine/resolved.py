"""A configuration with everything filled in that a run depends on: roles, cut-offs and cover."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..core.reranking import STEPS
from ..core.rewriting import METHODS
from ..workspace.configuration import NO_MODEL, Configuration
from ..workspace.settings import Settings


@dataclass(frozen=True)
class Wanted:
    """A model that a stage uses: its kind (language, embedding, reranking, tokenizer), its name, and what for: the
    tasks of a language model, "passage" or "query" of an embedding model."""

    kind: str
    name: str
    use: tuple[str, ...] = ()
    dimensions: int = 0


@dataclass(frozen=True)
class Resolved:
    """What stages may read settings from; each says which of them it reads."""

    configuration: Configuration
    judge: str = "offline"
    cut_offs: tuple[int, ...] = (1, 3, 5, 10)
    cover: float = 0.9

    @property
    def answers(self) -> bool:
        """Whether answers are made."""
        return self.configuration.answering.model != NO_MODEL

    def as_made(self) -> dict[str, Any]:
        """What a run keeps of it."""
        return {
            "configuration": self.configuration.model_dump(mode="json"),
            "judge": self.judge if self.answers else NO_MODEL,
            "cut_offs": list(self.cut_offs),
            "cover": self.cover,
        }


def resolve(configuration: Configuration, settings: Settings) -> Resolved:
    """The configuration with a model named for each role that it leaves to the settings."""
    roles = settings.roles
    changes: dict[str, Any] = {}
    answering = configuration.answering
    if not answering.model:
        changes["answering"] = answering.model_copy(update={"model": roles.answerer})
    rewriting = configuration.rewriting
    if METHODS[rewriting.method] and not rewriting.model:
        changes["rewriting"] = rewriting.model_copy(update={"model": roles.rewriter})
    index = configuration.index
    if index.text != "chunk" and not index.model:
        changes["index"] = index.model_copy(update={"model": roles.writer})
    if configuration.reranking:
        changes["reranking"] = tuple({**STEPS[step["step"]].settings, **step} for step in configuration.reranking)
    found = configuration.model_copy(update=changes) if changes else configuration
    return Resolved(found, roles.judge, settings.cut_offs, settings.cover)
