"""The stage graph: every stage of the chain from documents to scores, as data.

A stage says what it is handed: its inputs, the settings that it reads, and its models. Nothing else reaches it, so
nothing else can be missing in the key of its result. Order, keys, what is kept, `run`, `ask`, `explain`, `--plan` and
costs all come from this list. Raise a stage's version when its code, or the default of a setting that it reads,
changes what it returns.
"""

from __future__ import annotations

from ..core.answering import Answer
from ..core.context import Context
from ..core.context.serving import ServedList
from ..core.criteria import Grade
from ..core.indexing.compact import Coding
from ..core.judging import Agreement, Judgement
from ..core.measures import Scores
from ..core.measures.loss import Losses, Reached
from ..core.reranking import Ranked
from ..core.rewriting import METHODS, Queries
from ..core.rewriting.drift import Drift
from ..core.searching import Candidates, Hits, QueryVectors
from . import reads
from .brought import OUTSIDE
from .judges import JOINED, criterion_nodes, score_nodes, stage_name, verdict_nodes
from .nodes import ALONE, account_nodes, drift_nodes, query_nodes, rewrite_nodes, searched_by, step_nodes
from .replicates import with_replicates
from .resolved import Resolved
from .stage import CORPUS, DOCUMENT, QUESTION, Chain, Stage, chained
from .stages import answers, corpus, database, retrieval, scoring

GRAPH: tuple[Stage, ...] = (
    Stage(
        "chunks", 6, DOCUMENT, ("documents",), corpus.chunks, reads.cutting, reads.tokenizer, open=corpus.open_chunks,
        together=256,
    ),
    Stage(
        "units", 4, DOCUMENT, ("documents", "chunks"), corpus.units, reads.serving, reads.tokenizer,
        used=lambda resolved: resolved.configuration.chunking.serve != "chunk", open=corpus.open_units, together=256,
    ),
    Stage(
        "written", 2, DOCUMENT, ("documents", "chunks"), corpus.written,
        lambda resolved: reads.Writing(resolved.configuration.index.text), reads.writer,
        used=lambda resolved: resolved.configuration.index.text != "chunk", open=corpus.open_written, together=8,
    ),
    Stage("matched", 1, DOCUMENT, ("documents", "chunks", "written"), corpus.matched, reads.matching, kept=False),
    Stage("body", 1, DOCUMENT, ("documents", "chunks", "written"), corpus.matched, reads.in_body, kept=False),
    Stage("titles", 1, DOCUMENT, ("documents", "chunks", "written"), corpus.titles, kept=False),
    Stage("terms", 2, DOCUMENT, ("body",), corpus.count_terms, reads.language, open=corpus.open_columns, together=512),
    Stage(
        "title terms", 2, DOCUMENT, ("titles",), corpus.count_terms, reads.language, open=corpus.open_columns, together=512,
        used=lambda resolved: resolved.configuration.index.title_weight > 0,
    ),
    Stage(
        "keyword", 5, CORPUS, ("terms", "title terms"), corpus.keyword_index, reads.weighing, open=corpus.open_keyword,
        used=reads.ranks_words,
    ),
    Stage(
        "fitted", 5, CORPUS, ("matched",), corpus.fitted, models=reads.fitter,
        used=lambda resolved: bool(reads.learnt(resolved)), open=corpus.open_arrays,
    ),
    Stage(
        "vectors", 4, DOCUMENT, ("matched", "fitted"), corpus.vectors, models=reads.embedder("passage"),
        used=reads.by_vectors, open=corpus.open_vectors, together=256,
    ),
    Stage(
        "codes", 1, DOCUMENT, ("vectors",), corpus.codes, reads.coding, open=corpus.open_codes, together=256,
        used=lambda resolved: reads.by_vectors(resolved) and reads.coding(resolved) != Coding(),
    ),
    Stage(
        "nearest", 5, CORPUS, ("vectors", "codes", "chunks", "written"), corpus.nearest_index,
        lambda resolved: resolved.configuration.search.nearness.in_use(), open=corpus.open_nearest,
        write=corpus.write_nearest,
        used=lambda resolved: (
            reads.by_vectors(resolved) and reads.here(resolved) and resolved.configuration.search.nearest != "exact"
        ),
    ),
    Stage(
        "words", 1, CORPUS, ("chunks", "written", "keyword", "documents"), corpus.word_searcher, kept=False,
        used=reads.ranks_words,
    ),
    Stage(
        "near", 3, CORPUS, ("chunks", "written", "vectors", "codes", "nearest"), corpus.vector_searcher, reads.nearing,
        kept=False, used=lambda resolved: reads.by_vectors(resolved) and reads.here(resolved),
    ),
    Stage(
        "loaded", 1, CORPUS, ("chunks", "written", "matched", "vectors", "metadata"), database.loaded, reads.loading,
        reads.database, kept=False, used=lambda resolved: not reads.here(resolved),
    ),
    Stage(
        "server", 1, CORPUS, ("loaded", "chunks", "written"), database.server, reads.at_database, reads.database,
        kept=False, used=lambda resolved: not reads.here(resolved),
    ),
    Stage(
        "definitions", 1, DOCUMENT, ("documents",), corpus.defined, open=corpus.open_defined,
        used=lambda resolved: any(METHODS[each["method"]].glossary for each in resolved.configuration.rewriting),
    ),
    Stage(
        "rewrite", 1, QUESTION, ("wording", "turns", "definitions"), retrieval.rewritten, record=Queries,
        build=rewrite_nodes,
    ),
    ALONE,
    Stage(
        "queries", 3, QUESTION, ("wording",), retrieval.queries, record=Queries, together=1024, build=query_nodes,
    ),
    Stage(
        "query vectors", 1, QUESTION, ("queries", "fitted"), retrieval.query_vectors, models=reads.embedder("query"),
        used=reads.by_vectors, record=QueryVectors,
    ),
    Stage(
        "keyword hits", 2, QUESTION, ("queries", "words", "condition"), retrieval.keyword_hits, reads.by_terms,
        used=reads.by_words, record=Hits, build=searched_by("words"),
    ),
    Stage(
        "vector hits", 1, QUESTION, ("query vectors", "near", "condition"), retrieval.vector_hits, reads.looked_up,
        used=reads.by_vectors, record=Hits, build=searched_by("near"),
    ),
    Stage(
        "drift", 1, QUESTION, ("queries", "keyword hits", "vector hits", "words", "chunks", "documents", "turns"), retrieval.drift,
        reads.drifting, used=reads.rewrites, record=Drift, build=drift_nodes,
    ),
    Stage(
        "candidates", 3, QUESTION, ("keyword hits", "vector hits", "drift"), retrieval.candidates, reads.searching,
        record=Candidates, together=1024,
    ),
    Stage(
        "gains", 1, QUESTION, ("evidence", "keyword hits", "vector hits", "drift", "chunks", "units"), retrieval.gains,
        lambda resolved: retrieval.Weighed(reads.searching(resolved), resolved.cover, resolved.configuration.context.keep),
        used=reads.rewrites, record=retrieval.Gains, together=256,
    ),
    Stage(
        "step", 2, QUESTION, ("wording", "ranked", "chunks", "units", "documents", "words", "fitted"), retrieval.step,
        record=Ranked, together=256, build=step_nodes,
    ),
    Stage(
        "chain", 1, QUESTION, ("evidence", "candidates", "chunks", "units", "documents"), retrieval.chain_account,
        lambda resolved: retrieval.Counting(resolved.cover, resolved.configuration.context.keep),
        used=lambda resolved: bool(resolved.configuration.reranking), record=retrieval.ChainAccount, together=256,
        build=account_nodes,
    ),
    Stage(
        "served", 1, QUESTION, ("ranked", "chunks", "units", "documents"), retrieval.served, record=ServedList,
        together=1024,
    ),
    Stage(
        "retrieval scores", 1, QUESTION, ("evidence", "served"), scoring.retrieval,
        lambda resolved: scoring.Cuts(resolved.cover, resolved.cut_offs), record=Scores, together=1024,
    ),
    Stage(
        "reached", 1, QUESTION, ("evidence", "candidates", "ranked", "chunks", "units"), scoring.reached,
        lambda resolved: scoring.Cuts(resolved.cover), record=Reached, together=1024,
    ),
    Stage(
        "context", 3, QUESTION, ("served", "chunks", "documents"), answers.context, reads.keeping, record=Context,
        together=1024,
    ),
    Stage(
        "answer", 3, QUESTION, ("wording", "context"), answers.answers,
        lambda resolved: resolved.configuration.answering.style, reads.answerer, used=lambda resolved: resolved.answers,
        record=Answer,
    ),
    Stage(
        "again", 1, QUESTION, ("wording", "context"), answers.again,
        lambda resolved: answers.AskingAgain(resolved.configuration.answering.again, resolved.configuration.answering.style),
        lambda resolved: reads.answerer(resolved, ("paraphrases", "answer")), used=reads.asks_again, record=answers.Again,
    ),
    Stage(
        "verdicts", 4, QUESTION, ("wording", "reference", "context", "answer"), answers.verdicts, models=reads.judge,
        used=lambda resolved: resolved.answers, record=Judgement, build=verdict_nodes,
    ),
    Stage(
        "criterion", 2, QUESTION, ("wording", "reference", "context", "answer", "verdicts"), answers.grades,
        used=lambda resolved: bool(resolved.criteria), record=Grade, build=criterion_nodes,
    ),
    Stage(
        "agreement", 1, QUESTION, ("wording", "answer", "again"), answers.agreement,
        models=lambda resolved: reads.judge(resolved, ("consistent",)), used=reads.asks_again, record=Agreement,
    ),
    Stage(
        "answer scores", 4, QUESTION, ("evidence", "context", "answer", "verdicts", "agreement"), scoring.answered,
        lambda resolved: scoring.Cuts(resolved.cover), record=Scores, together=1024, build=score_nodes,
    ),
    Stage(
        "losses", 2, QUESTION, ("evidence", "standing", "reached", "context", "answer", "verdicts", "chain"),
        scoring.losses, lambda resolved: scoring.Cuts(resolved.cover, steps=step_names(resolved)), record=Losses,
        together=1024,
    ),
)  # fmt: skip
STAGES = {stage.name: stage for stage in (*GRAPH, *JOINED, *OUTSIDE)}


def record_of(node: str) -> type | None:
    """What the stage of a question node returns, by the node's name, in a run of our own or a brought one; None for a
    name that no stage has."""
    stage = STAGES.get(stage_name(node)) or next((each for each in OUTSIDE if each.called == node), None)
    return stage.record if stage else None


def of_questions(node: str) -> bool:
    """Whether a node of that name works on questions, not on documents; so does one whose stage is not known."""
    return node not in STAGES or STAGES[node].scope == QUESTION


# Where a run may stop: what comes after is not made, nor what needs it.
STOPS = ("served", "context", "answer", "verdicts")
_LAST = {"served": "reached", "context": "context"}
_JUDGED = ("again", "verdicts", "criterion", "agreement", "answer scores", "losses")


def chain(resolved: Resolved, until: str = "") -> Chain:
    """The nodes of a configuration in their order, as far as the stage `until` (see `STOPS`) when it is given, with the
    scores that can be had from there."""
    if resolved.outside is not None:
        return chained(OUTSIDE, resolved, {})
    nodes = chained(GRAPH, resolved, {"ranked": "candidates", "wording": "wording"}, _LAST.get(until, ""))
    if until == "answer":
        nodes = {name: node for name, node in nodes.items() if stage_name(name) not in _JUDGED}
    return with_replicates(nodes, resolved.times)


def step_names(resolved: Resolved) -> tuple[str, ...]:
    """What the reranking steps of a configuration are called: "step 2, extract"."""
    return tuple(f"step {number}, {step['step']}" for number, step in enumerate(resolved.configuration.reranking, 1))
