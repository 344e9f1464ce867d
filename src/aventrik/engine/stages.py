"""The stages of a run and their content keys.

A stage's key is made from its version, its own settings and the keys of its inputs, so what was computed once
is found again by any configuration that would compute the same. Raise a version when a stage's code changes
what it returns.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..core.keys import content_key
from ..core.questions import Question
from ..core.reranking import settings_of
from ..workspace.configuration import Configuration

VERSIONS = {
    "chunks": 1,
    "keyword": 1,
    "fitted": 1,
    "vectors": 1,
    "queries": 1,
    "candidates": 1,
    "refined": 1,
    "context": 1,
    "answer": 1,
    "verdicts": 1,
    "scores": 1,
}
QUESTION_STAGES = ("queries", "candidates", "refined", "context", "answer", "verdicts", "scores")


def _key(stage: str, *pieces: Any) -> str:
    return content_key(stage, VERSIONS[stage], *pieces)


@dataclass(frozen=True)
class CorpusKeys:
    """Keys of what a configuration makes of the corpus, before any question."""

    chunks: str
    keyword: str
    fitted: str
    vectors: str

    @classmethod
    def of(cls, configuration: Configuration, documents: str, embedder: str) -> CorpusKeys:
        """`documents` is the content key of all documents that take part, `embedder` the model's identity."""
        cutting = configuration.chunking
        chunks = _key("chunks", cutting.method, cutting.size, cutting.unit, cutting.overlap, documents)
        index = configuration.index
        texts = (index.text, index.headings, chunks)
        fitted = _key("fitted", embedder, *texts)
        return cls(chunks, _key("keyword", index.k1, index.b, *texts), fitted, _key("vectors", fitted))


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
    configuration: Configuration, corpus: CorpusKeys, question: Question, judging: Judging, models: Identities
) -> dict[str, str]:
    """The key of each of `QUESTION_STAGES`."""
    rewriting, search = configuration.rewriting, configuration.search
    how = ("none",) if rewriting.method == "none" else (rewriting.method, rewriting.count, models.rewriter)
    queries = _key("queries", question.question, *how)
    used = {"keyword": (corpus.keyword,), "vector": (corpus.vectors,), "both": (corpus.keyword, corpus.vectors)}
    blend = search.blend if search.method == "both" or rewriting.method != "none" else ""
    candidates = _key("candidates", queries, search.method, search.top, blend, *used[search.method])
    steps = [(step["step"], settings_of(step)) for step in configuration.reranking]
    refined = _key("refined", candidates, steps, corpus.keyword if steps else "", list(models.steps))
    kept = configuration.context
    context = _key("context", refined, kept.keep, kept.budget, configuration.chunking.serve)
    answer = _key("answer", context, configuration.answering.style, models.answerer)
    verdicts = _key("verdicts", answer, question.key, judging.judge)
    scores = _key("scores", verdicts, list(judging.cut_offs), judging.cover)
    return dict(zip(QUESTION_STAGES, (queries, candidates, refined, context, answer, verdicts, scores)))
