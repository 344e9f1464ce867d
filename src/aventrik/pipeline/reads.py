"""What stages read of a configuration: for each the settings that stand in its key, the models that it uses, and whether
it is there at all."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from ..core.embedding import MODELS
from ..core.indexing.approximate import Nearness, Reach
from ..core.indexing.compact import Coding
from ..core.indexing.keyword import Scoring
from ..core.indexing.texts import KINDS
from ..core.reranking import STEPS
from ..core.searching import Searching, depth
from ..core.searching.words import WordSearch
from ..core.text.languages import AUTO
from ..core.text.rulers import ESTIMATE
from .judges import TASKS
from .resolved import Resolved, WantedModel
from .stages import corpus, retrieval
from .stages.database import AtDatabase, LoadSettings


def here(resolved: Resolved) -> bool:
    """Whether search is done in the program's own indexes."""
    return resolved.configuration.search.place == "here"


def by_words(resolved: Resolved) -> bool:
    """Whether search looks at words."""
    return resolved.configuration.search.method != "vector"


def by_vectors(resolved: Resolved) -> bool:
    """Whether search looks at vectors."""
    return resolved.configuration.search.method != "keyword"


def fits(resolved: Resolved) -> bool:
    """Whether the embedding model learns from the corpus."""
    return MODELS.get(resolved.configuration.embedding.model, False)


def rarity(resolved: Resolved) -> bool:
    """Whether something asks how rare a term is."""
    return any(STEPS[step["step"]].rarity for step in resolved.configuration.reranking) or rewrites(resolved)


def ranks_words(resolved: Resolved) -> bool:
    """Whether an index of words is wanted here: for search, or for how rare a term is."""
    return (by_words(resolved) and here(resolved)) or rarity(resolved)


def rewrites(resolved: Resolved) -> bool:
    """Whether questions are rewritten."""
    return bool(resolved.configuration.rewriting)


def learnt(resolved: Resolved) -> str:
    """The embedding model that learns from the corpus, of the search or of a reranking step; "" for none."""
    steps = [step.get("model", "") for step in resolved.configuration.reranking if embeds(step)]
    own = [resolved.configuration.embedding.model] if by_vectors(resolved) else []
    return next((name for name in (*own, *steps) if MODELS.get(name)), "")


def embeds(step: Mapping[str, Any]) -> bool:
    """Whether a reranking step uses an embedding model."""
    return STEPS[step["step"]].model == "embedding" and STEPS[step["step"]].asks(step)


def fitter(resolved: Resolved) -> Mapping[str, WantedModel]:
    """The embedding model that learns from the corpus."""
    return {
        "embedder": WantedModel(
            "embedding", learnt(resolved), ("passage",), resolved.configuration.embedding.dimensions
        )
    }


def embedder(use: str) -> Callable[[Resolved], Mapping[str, WantedModel]]:
    """The embedding model of the search, for passages or for queries."""

    def wanted(resolved: Resolved) -> Mapping[str, WantedModel]:
        settings = resolved.configuration.embedding
        dimensions = settings.dimensions if fits(resolved) else 0
        return {"embedder": WantedModel("embedding", settings.model, (use,), dimensions)}

    return wanted


def tokenizer(resolved: Resolved) -> Mapping[str, WantedModel]:
    """The tokenizer, where chunks are measured in its tokens."""
    chunking = resolved.configuration.chunking
    if chunking.unit != "tokens" or chunking.tokenizer == ESTIMATE:
        return {}
    return {"tokenizer": WantedModel("tokenizer", chunking.tokenizer)}


def cutting(resolved: Resolved) -> Any:
    """Where chunks begin and end; the tokenizer is a model, and counts by its identity."""
    return replace(resolved.configuration.chunking.cutting, tokenizer=ESTIMATE)


def serving(resolved: Resolved) -> Any:
    """What is served for a chunk; the tokenizer as above."""
    serving = resolved.configuration.chunking.serving
    larger = replace(serving.larger, tokenizer=ESTIMATE) if serving.larger else None
    return replace(serving, around=serving.around if serving.way == "neighbours" else 1, larger=larger)


@dataclass(frozen=True)
class Matching:
    """Whether headings stand in front of what is matched."""

    headings: bool = True


@dataclass(frozen=True)
class Writing:
    """What a model writes about a chunk."""

    text: str


@dataclass(frozen=True)
class Language:
    """See `language`."""

    language: str = "auto"


@dataclass(frozen=True)
class Keeping:
    """See `keeping`."""

    keep: int = 5
    budget: int = 1200


def matching(resolved: Resolved) -> Matching:
    """What is matched for a chunk by vectors."""
    return Matching(resolved.configuration.index.headings)


def in_body(resolved: Resolved) -> Matching:
    """Headings stand in front of a text for keyword search, unless they are a field of their own."""
    index = resolved.configuration.index
    return Matching(index.headings and index.title_weight == 0)


def weighing(resolved: Resolved) -> Scoring:
    """What counts for a scoring; the rest stays at its default, and counts for no key."""
    index = resolved.configuration.index
    made = Scoring(index.scoring)
    if index.title_weight > 0:
        made = replace(made, title_weight=index.title_weight)
    if index.scoring == "dirichlet":
        return replace(made, mu=index.mu)
    made = replace(made, k1=index.k1, b=index.b)
    if index.title_weight > 0:
        made = replace(made, title_b=index.title_b)
    return replace(made, delta=index.delta) if index.scoring == "bm25+" else made


def language(resolved: Resolved) -> Language:
    """By whose stemmer words are matched."""
    return Language(resolved.configuration.index.language)


def writer(resolved: Resolved) -> Mapping[str, WantedModel]:
    """The model that writes index texts."""
    index = resolved.configuration.index
    return {"writer": WantedModel("language", index.model, (KINDS[index.text],))}


def searching(resolved: Resolved) -> Searching:
    """What joins the lists; what joins nothing stays at its default, and counts for no key."""
    search = resolved.configuration.search
    both = search.method == "both"
    rewriting = resolved.configuration.rewriting
    if not both and not rewriting:
        return Searching(search.top, least=search.least)
    scaling = search.scaling if search.blend == "scores" else "min-max"
    weights = tuple(float(each.get("weight", 1.0)) for each in rewriting)
    return Searching(
        search.top, search.blend, scaling, search.weight if both else 0.5, search.least,
        weights if any(weight != 1 for weight in weights) else (),
    )  # fmt: skip


def drifting(resolved: Resolved) -> retrieval.Drifting:
    """The least likeness of rewrites, and whether vectors tell of it."""
    least = tuple(float(each.get("least", 0.0)) for each in resolved.configuration.rewriting)
    return retrieval.Drifting(least, by_vectors(resolved) and not fits(resolved))


def by_terms(resolved: Resolved) -> retrieval.ByWords:
    """How queries are read by keyword search."""
    search = resolved.configuration.search
    how = WordSearch(search.stop_words)
    if search.feedback:
        how = replace(
            how, feedback=search.feedback, feedback_terms=search.feedback_terms, feedback_weight=search.feedback_weight
        )
    return retrieval.ByWords(looked_up(resolved), how)


def looked_up(resolved: Resolved) -> int:
    """How many chunks a query looks up."""
    return depth(resolved.configuration.search.top)


def keeping(resolved: Resolved) -> Keeping:
    """What of the list the answering model is shown."""
    context = resolved.configuration.context
    return Keeping(context.keep, context.budget)


def coding(resolved: Resolved) -> Coding:
    """In how little room vectors are kept."""
    return Coding(resolved.configuration.embedding.keep, resolved.configuration.embedding.bits)


def nearing(resolved: Resolved) -> corpus.Nearing:
    """How near vectors are looked for."""
    search, embedding = resolved.configuration.search, resolved.configuration.embedding
    if search.nearest != "exact":
        return corpus.Nearing(search.reach.in_use(search.nearest))
    return corpus.Nearing(rescore=embedding.rescore if coding(resolved) != Coding() else 0)


def database(resolved: Resolved) -> Mapping[str, WantedModel]:
    """The database that searches."""
    return {"database": WantedModel("database", "postgres")}


def loading(resolved: Resolved) -> LoadSettings:
    """How index texts are laid out in the database; what is not searched counts for no key."""
    search = resolved.configuration.search
    near = search.nearness.in_use() if by_vectors(resolved) else Nearness()
    words = by_words(resolved)
    language = resolved.configuration.index.language if words else AUTO
    return LoadSettings(
        way=near.way,
        links=near.links,
        build_effort=near.build_effort,
        lists=near.lists,
        words=words,
        vectors=by_vectors(resolved),
        language=language,
        metadata=resolved.metadata,
    )


def at_database(resolved: Resolved) -> AtDatabase:
    """How thoroughly the database is searched, and what documents must meet."""
    search = resolved.configuration.search
    way = search.nearest if by_vectors(resolved) else "exact"
    reach = search.reach.in_use(way) if way != "exact" else Reach()
    return AtDatabase(way, reach.effort, reach.probes, search.match, search.where)


def answerer(resolved: Resolved, tasks: tuple[str, ...] = ("answer",)) -> Mapping[str, WantedModel]:
    """The model that answers."""
    return {"answerer": WantedModel("language", resolved.configuration.answering.model, tasks)}


def judge(resolved: Resolved, tasks: tuple[str, ...] = TASKS) -> Mapping[str, WantedModel]:
    """The first judge."""
    return {"judge": WantedModel("language", resolved.judges[0], tasks)}


def asks_again(resolved: Resolved) -> bool:
    """Whether questions are asked again in other wordings."""
    return resolved.answers and resolved.configuration.answering.again > 0
