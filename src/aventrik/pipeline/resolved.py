"""A configuration with everything filled in that a run depends on: roles, cut-offs and cover."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from ..core.criteria import Criterion
from ..workspace.configuration import Configuration, settings_known
from ..workspace.settings import Settings
from ..workspace.stage_settings import NO_MODEL


@dataclass(frozen=True)
class WantedModel:
    """A model that a stage uses: its kind (language, embedding, reranking, tokenizer, or a system that answers), its
    name, and what for: the tasks of a language model, "passage" or "query" of an embedding model."""

    kind: str
    name: str
    use: tuple[str, ...] = ()
    dimensions: int = 0


@dataclass(frozen=True)
class Outside:
    """What makes a run that was brought: the system that is asked ("": it came from a file), and whether it answers, or
    brings ranked lists alone; or the state of a `table` of the user's that is searched."""

    system: str = ""
    answers: bool = True
    table: str = ""


@dataclass(frozen=True)
class Resolved:
    """What stages may read settings from; each says which of them it reads. `together` says how the word of several
    judges is joined; `outside` is None for a run of a configuration."""

    configuration: Configuration
    judges: tuple[str, ...] = ("offline",)
    cut_offs: tuple[int, ...] = (1, 3, 5, 10)
    cover: float = 0.9
    together: str = "majority"
    criteria: tuple[Criterion, ...] = ()
    outside: Outside | None = None
    times: int = 1  # how often the answering model is asked each question
    metadata: str = ""  # of what a filter looks at, where a database does the filtering

    @property
    def answers(self) -> bool:
        """Whether there are answers."""
        if self.outside is not None:
            return self.outside.answers
        return self.configuration.answering.model != NO_MODEL

    def as_made(self) -> dict[str, Any]:
        """What a run keeps of it."""
        return {
            "configuration": self.configuration.model_dump(mode="json"),
            "judge": judges_in_words(self.judges, self.together) if self.answers else NO_MODEL,
            "judges": list(self.judges),
            "together": self.together,
            "criteria": [asdict(each) for each in self.criteria],
            "outside": None if self.outside is None else asdict(self.outside),
            "cut_offs": list(self.cut_offs),
            "cover": self.cover,
            **({"times": self.times} if self.times > 1 else {}),
            **({"metadata": self.metadata} if self.metadata else {}),
        }


def judges_in_words(judges: tuple[str, ...], together: str) -> str:
    """Who judged, in a few words."""
    return judges[0] if len(judges) == 1 else f"{' and '.join(judges)}, by {together}"


def resolve(configuration: Configuration, settings: Settings, criteria: tuple[Criterion, ...] = ()) -> Resolved:
    """The configuration with a model named for each role that it leaves to the settings, and what is judged beside."""
    roles = settings.roles
    changes: dict[str, Any] = {}
    answering = configuration.answering
    if not answering.model:
        changes["answering"] = answering.model_copy(update={"model": roles.answerer})
    if configuration.rewriting:
        changes["rewriting"] = tuple(
            {**settings_known("rewriting", each["method"]), **each, "model": each.get("model") or roles.rewriter}
            for each in configuration.rewriting
        )
    index = configuration.index
    if index.text != "chunk" and not index.model:
        changes["index"] = index.model_copy(update={"model": roles.writer})
    if configuration.reranking:
        changes["reranking"] = tuple(
            {**settings_known("reranking", step["step"]), **step} for step in configuration.reranking
        )
    found = configuration.model_copy(update=changes) if changes else configuration
    answerer = settings.models.get(found.answering.model)
    return Resolved(
        configuration=found,
        judges=roles.judges,
        cut_offs=settings.cut_offs,
        cover=settings.cover,
        together=settings.judging.together,
        criteria=criteria,
        times=answerer.replicates if answerer else 1,
    )
