"""Which settings of a configuration count for nothing, because another one leaves them without use."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..core.embedding import MODELS
from ..workspace.configuration import NO_MODEL, Configuration


def _by_words(made: Configuration) -> bool:
    return made.search.method != "vector"


def _by_vectors(made: Configuration) -> bool:
    return made.search.method != "keyword"


def _here(made: Configuration) -> bool:
    return made.search.place == "here"


def _rewritten(made: Configuration) -> bool:
    return bool(made.rewriting)


def _blended(made: Configuration) -> bool:
    return made.search.method == "both" or _rewritten(made)


def _answers(made: Configuration) -> bool:
    return made.answering.model != NO_MODEL


# For a setting that is not always used: when it is.
_USED: dict[str, Callable[[Configuration], bool]] = {
    "chunking.tokenizer": lambda made: made.chunking.unit == "tokens",
    "chunking.around": lambda made: made.chunking.serve == "neighbours",
    "chunking.larger_method": lambda made: made.chunking.serve == "larger",
    "chunking.larger_size": lambda made: made.chunking.serve == "larger",
    "index.model": lambda made: made.index.text != "chunk",
    "index.k1": lambda made: _by_words(made) and made.index.scoring != "dirichlet",
    "index.b": lambda made: _by_words(made) and made.index.scoring != "dirichlet",
    "index.scoring": _by_words,
    "index.delta": lambda made: _by_words(made) and made.index.scoring == "bm25+",
    "index.mu": lambda made: _by_words(made) and made.index.scoring == "dirichlet",
    "index.language": _by_words,
    "search.stop_words": lambda made: _by_words(made) and _here(made),
    "search.feedback": lambda made: _by_words(made) and _here(made),
    "search.feedback_terms": lambda made: _by_words(made) and made.search.feedback > 0,
    "search.feedback_weight": lambda made: _by_words(made) and made.search.feedback > 0,
    "index.title_weight": _by_words,
    "index.title_b": lambda made: _by_words(made) and made.index.title_weight > 0 and made.index.scoring != "dirichlet",
    "embedding.model": _by_vectors,
    "embedding.dimensions": lambda made: _by_vectors(made) and MODELS.get(made.embedding.model, False),
    "embedding.keep": _by_vectors,
    "embedding.bits": _by_vectors,
    "embedding.rescore": lambda made: (
        _by_vectors(made) and made.search.nearest == "exact" and (made.embedding.keep > 0 or made.embedding.bits != 32)
    ),
    "search.match": lambda made: made.search.place == "postgres" and _by_words(made),
    **{
        f"search.table.{name}": lambda made: bool(made.search.table.name)
        for name in ("id", "text", "source", "vector", "words", "language", "distance")
    },
    "search.blend": _blended,
    "search.scaling": lambda made: _blended(made) and made.search.blend == "scores",
    "search.weight": lambda made: made.search.method == "both",
    "search.nearest": _by_vectors,
    "search.links": lambda made: _by_vectors(made) and made.search.nearest == "graph",
    "search.build_effort": lambda made: _by_vectors(made) and made.search.nearest == "graph",
    "search.effort": lambda made: _by_vectors(made) and made.search.nearest == "graph",
    "search.lists": lambda made: _by_vectors(made) and made.search.nearest == "lists",
    "search.parts": lambda made: _by_vectors(made) and made.search.nearest != "exact" and _here(made),
    "search.probes": lambda made: _by_vectors(made) and made.search.nearest == "lists",
    "context.keep": _answers,
    "context.budget": _answers,
    "answering.style": _answers,
    "answering.again": _answers,
}


def used_settings(configuration: Configuration) -> dict[str, Any]:
    """The settings by dotted name; None for one that another setting leaves without use."""
    found = configuration.settings()
    return found | {name: None for name, used in _USED.items() if not used(configuration)}
