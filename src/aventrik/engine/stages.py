"""The stages of a run and their content keys.

A stage's key is made from its version, its own settings and the keys of its inputs, so what was computed once
is found again by any configuration that would compute the same. Raise a version when a stage's code changes
what it returns.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from ..core.keys import content_key
from ..core.questions import Question
from ..core.reranking import settings_of
from ..workspace.configuration import Configuration

VERSIONS = {
    "chunks": 2,
    "served": 1,
    "texts": 1,
    "keyword": 2,
    "fitted": 2,
    "vectors": 2,
    "nearest": 2,
    "queries": 1,
    "candidates": 2,
    "refined": 2,
    "context": 2,
    "answer": 1,
    "verdicts": 1,
    "scores": 2,
}
# Stages of the corpus, made once for all questions, in their order.
CORPUS_STAGES = ("chunks", "served", "texts", "keyword", "fitted", "vectors", "nearest")
QUESTION_STAGES = ("queries", "candidates", "refined", "context", "answer", "verdicts", "scores")


def _key(stage: str, *pieces: Any) -> str:
    return content_key(stage, VERSIONS[stage], *pieces)


@dataclass(frozen=True)
class CorpusKeys:
    """Keys of what a configuration makes of the corpus, before any question. `served`, `texts` and `nearest` are
    empty where a chunk is served as it is, is its own index text, and is searched for exactly."""

    chunks: str
    served: str
    texts: str
    keyword: str
    fitted: str
    vectors: str
    nearest: str

    @classmethod
    def of(cls, configuration: Configuration, documents: str, embedder: str, writer: str = "") -> CorpusKeys:
        """`documents` is the content key of all documents that take part, `embedder` and `writer` the models'
        identities."""
        cutting = configuration.chunking.cutting
        how = (cutting.method, cutting.size, cutting.unit, cutting.overlap)
        chunks = _key("chunks", *how, cutting.tokenizer if cutting.unit == "tokens" else "", documents)
        serving = configuration.chunking.serving
        served = ""
        if serving.way != "chunk":
            around = serving.around if serving.way == "neighbours" else 0
            served = _key("served", serving.way, around, asdict(serving.larger) if serving.larger else None, chunks)
        index = configuration.index
        texts = "" if index.text == "chunk" else _key("texts", index.text, writer, chunks)
        matched = (texts or chunks, index.headings)
        fields = (index.title_weight, index.title_b) if index.title_weight > 0 else ()
        keyword = _key("keyword", index.k1, index.b, *fields, *matched)
        fitted = _key("fitted", embedder, *matched)
        vectors = _key("vectors", fitted)
        near = configuration.search.nearness
        laid_out = {"graph": (near.links, near.build_effort), "lists": (near.lists,)}
        nearest = "" if near.way == "exact" else _key("nearest", near.way, *laid_out[near.way], vectors)
        return cls(chunks, served, texts, keyword, fitted, vectors, nearest)


@dataclass(frozen=True)
class Judging:
    """What scoring needs beside the configuration: cut-offs, cover, and the judge's identity."""

    cut_offs: tuple[int, ...]
    cover: float
    judge: str

    @property
    def deepest(self) -> int:
        """The rank beyond which nothing is measured but reciprocal rank."""
        return max(self.cut_offs)


@dataclass(frozen=True)
class Identities:
    """What the model stages of a configuration hang on: rewriter, answerer, and a model for each reranking step."""

    rewriter: str
    answerer: str
    steps: tuple[str, ...]


def question_keys(
    configuration: Configuration,
    corpus: CorpusKeys,
    question: Question,
    judging: Judging,
    models: Identities,
    allowed: str = "",
) -> dict[str, str]:
    """The key of each of `QUESTION_STAGES`; `allowed` is the content key of the documents that a filter lets pass."""
    rewriting = configuration.rewriting
    how = ("none",) if rewriting.method == "none" else (rewriting.method, rewriting.count, models.rewriter)
    queries = _key("queries", question.question, *how)
    candidates = _key("candidates", queries, *_searched(configuration, corpus, allowed))
    steps = [(step["step"], settings_of(step)) for step in configuration.reranking]
    refined = _key("refined", candidates, steps, corpus.keyword if steps else "", list(models.steps))
    kept = configuration.context
    context = _key("context", refined, kept.keep, kept.budget, corpus.served or corpus.chunks)
    answer = _key("answer", context, configuration.answering.style, models.answerer)
    verdicts = _key("verdicts", answer, question.key, judging.judge)
    scores = _key("scores", verdicts, list(judging.cut_offs), judging.cover)
    return dict(zip(QUESTION_STAGES, (queries, candidates, refined, context, answer, verdicts, scores)))


def _searched(configuration: Configuration, corpus: CorpusKeys, allowed: str) -> list[Any]:
    """What the candidates hang on beside the queries: only settings that the search makes use of."""
    search = configuration.search
    found: list[Any] = [search.method, search.top, search.least, allowed]
    if search.method != "vector":
        found.append(corpus.keyword)
    if search.method != "keyword":
        reach = {"exact": 0, "graph": search.effort, "lists": search.probes}[search.nearest]
        found.extend([corpus.vectors, corpus.nearest, reach])
    if search.method == "both" or configuration.rewriting.method != "none":
        found.append(search.blend)
        found.append(search.scaling if search.blend == "scores" else "")
        found.append(search.weight if search.method == "both" else "")
    return found
