"""The stage graph: every stage of the chain from documents to scores, as data.

A stage says what it is handed: its inputs, the settings that it reads, and its models. Nothing else reaches it, so
nothing else can be missing in the key of its result. Order, keys, what is kept, `run`, `ask`, `explain`, `--plan` and
costs all come from this list. Raise a stage's version when its code, or the default of a setting that it reads,
changes what it returns.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..core.answering import Answer
from ..core.context import Context
from ..core.context.serving import ServedList
from ..core.criteria import Grade
from ..core.embedding import MODELS
from ..core.indexing.compact import Coding
from ..core.judging import Agreement, Judgement
from ..core.measures import Scores
from ..core.measures.loss import Losses, Reached
from ..core.reranking import STEPS, Ranked, settings_of
from ..core.rewriting import METHODS, Queries
from ..core.rewriting.drift import Drift
from ..core.searching import Candidates, Hits, QueryVectors
from . import picked
from .judges import JOINED, criterion_nodes, score_nodes, stage_name, verdict_nodes
from .outside import OUTSIDE, ROWS_FOUND, outside_chain
from .resolved import Resolved, Wanted
from .sources import Wording
from .stage import CORPUS, DOCUMENT, QUESTION, Chain, Node, Stage, found
from .stages import answers, corpus, database, retrieval, scoring

GRAPH: tuple[Stage, ...] = (
    Stage(
        "chunks", 5, DOCUMENT, ("documents",), corpus.chunks, picked.cutting, picked.tokenizer, open=corpus.open_chunks,
        together=256,
    ),
    Stage(
        "units", 4, DOCUMENT, ("documents", "chunks"), corpus.units, picked.serving, picked.tokenizer,
        used=lambda resolved: resolved.configuration.chunking.serve != "chunk", open=corpus.open_units, together=256,
    ),
    Stage(
        "written", 2, DOCUMENT, ("documents", "chunks"), corpus.written,
        lambda resolved: picked.Writing(resolved.configuration.index.text), picked.writer,
        used=lambda resolved: resolved.configuration.index.text != "chunk", open=corpus.open_written, together=8,
    ),
    Stage("matched", 1, DOCUMENT, ("documents", "chunks", "written"), corpus.matched, picked.matching, kept=False),
    Stage("body", 1, DOCUMENT, ("documents", "chunks", "written"), corpus.matched, picked.in_body, kept=False),
    Stage("titles", 1, DOCUMENT, ("documents", "chunks", "written"), corpus.titles, kept=False),
    Stage("terms", 2, DOCUMENT, ("body",), corpus.count_terms, picked.language, open=corpus.open_columns, together=512),
    Stage(
        "title terms", 2, DOCUMENT, ("titles",), corpus.count_terms, picked.language, open=corpus.open_columns, together=512,
        used=lambda resolved: resolved.configuration.index.title_weight > 0,
    ),
    Stage(
        "keyword", 5, CORPUS, ("terms", "title terms"), corpus.keyword_index, picked.weighing, open=corpus.open_keyword,
        used=picked.ranks_words,
    ),
    Stage(
        "fitted", 4, CORPUS, ("matched",), corpus.fitted, models=picked.fitter,
        used=lambda resolved: bool(picked.learnt(resolved)), open=corpus.open_arrays,
    ),
    Stage(
        "vectors", 4, DOCUMENT, ("matched", "fitted"), corpus.vectors, models=picked.embedder("passage"),
        used=picked.by_vectors, open=corpus.open_vectors, together=256,
    ),
    Stage(
        "codes", 1, DOCUMENT, ("vectors",), corpus.codes, picked.coding, open=corpus.open_codes, together=256,
        used=lambda resolved: picked.by_vectors(resolved) and picked.coding(resolved) != Coding(),
    ),
    Stage(
        "nearest", 5, CORPUS, ("vectors", "codes", "chunks", "written"), corpus.nearest_index,
        lambda resolved: resolved.configuration.search.nearness.told(), open=corpus.open_nearest,
        write=corpus.write_nearest,
        used=lambda resolved: (
            picked.by_vectors(resolved) and picked.here(resolved) and resolved.configuration.search.nearest != "exact"
        ),
    ),
    Stage(
        "words", 1, CORPUS, ("chunks", "written", "keyword", "documents"), corpus.word_searcher, kept=False,
        used=picked.ranks_words,
    ),
    Stage(
        "near", 3, CORPUS, ("chunks", "written", "vectors", "codes", "nearest"), corpus.vector_searcher, picked.nearing,
        kept=False, used=lambda resolved: picked.by_vectors(resolved) and picked.here(resolved),
    ),
    Stage(
        "loaded", 1, CORPUS, ("chunks", "written", "matched", "vectors", "metadata"), database.loaded, picked.loading,
        picked.database, kept=False, used=lambda resolved: not picked.here(resolved),
    ),
    Stage(
        "server", 1, CORPUS, ("loaded", "chunks", "written"), database.server, picked.at_database, picked.database,
        kept=False, used=lambda resolved: not picked.here(resolved),
    ),
    Stage(
        "definitions", 1, DOCUMENT, ("documents",), corpus.defined, open=corpus.open_defined,
        used=lambda resolved: any(METHODS[each["method"]].glossary for each in resolved.configuration.rewriting),
    ),
    Stage("rewrite", 1, QUESTION, ("wording", "turns", "definitions"), retrieval.rewritten, record=Queries),
    Stage("alone", 1, QUESTION, ("wording", "rewrite"), retrieval.standing_alone, record=Wording, together=1024),
    Stage("queries", 3, QUESTION, ("wording",), retrieval.queries, record=Queries, together=1024),
    Stage(
        "query vectors", 1, QUESTION, ("queries", "fitted"), retrieval.query_vectors, models=picked.embedder("query"),
        used=picked.by_vectors, record=QueryVectors,
    ),
    Stage(
        "keyword hits", 2, QUESTION, ("queries", "words", "condition"), retrieval.keyword_hits, picked.by_terms,
        used=picked.by_words, record=Hits,
    ),
    Stage(
        "vector hits", 1, QUESTION, ("query vectors", "near", "condition"), retrieval.vector_hits, picked.looked_up,
        used=picked.by_vectors, record=Hits,
    ),
    Stage(
        "drift", 1, QUESTION, ("queries", "keyword hits", "vector hits", "words", "chunks", "documents", "turns"), retrieval.drift,
        picked.drifting, used=picked.rewrites, record=Drift,
    ),
    Stage(
        "candidates", 3, QUESTION, ("keyword hits", "vector hits", "drift"), retrieval.candidates, picked.searching,
        record=Candidates, together=1024,
    ),
    Stage(
        "gains", 1, QUESTION, ("evidence", "keyword hits", "vector hits", "drift", "chunks", "units"), retrieval.gains,
        lambda resolved: retrieval.Weighed(picked.searching(resolved), resolved.cover, resolved.configuration.context.keep),
        used=picked.rewrites, record=retrieval.Gains, together=256,
    ),
    Stage(
        "step", 2, QUESTION, ("wording", "ranked", "chunks", "units", "documents", "words", "fitted"), retrieval.step,
        record=Ranked, together=256,
    ),
    Stage(
        "chain", 1, QUESTION, ("evidence", "candidates", "chunks", "units", "documents"), retrieval.chain_account,
        lambda resolved: retrieval.Counting(resolved.cover, resolved.configuration.context.keep),
        used=lambda resolved: bool(resolved.configuration.reranking), record=retrieval.ChainAccount, together=256,
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
        "context", 3, QUESTION, ("served", "chunks", "documents"), answers.context, picked.keeping, record=Context,
        together=1024,
    ),
    Stage(
        "answer", 3, QUESTION, ("wording", "context"), answers.answers,
        lambda resolved: resolved.configuration.answering.style, picked.answerer, used=lambda resolved: resolved.answers,
        record=Answer,
    ),
    Stage(
        "again", 1, QUESTION, ("wording", "context"), answers.again,
        lambda resolved: answers.Asking(resolved.configuration.answering.again, resolved.configuration.answering.style),
        lambda resolved: picked.answerer(resolved, ("paraphrases", "answer")), used=picked.asks_again, record=answers.Again,
    ),
    Stage(
        "verdicts", 3, QUESTION, ("wording", "reference", "context", "answer"), answers.verdicts, models=picked.judge,
        used=lambda resolved: resolved.answers, record=Judgement,
    ),
    Stage(
        "criterion", 1, QUESTION, ("wording", "reference", "context", "answer"), answers.grades,
        used=lambda resolved: bool(resolved.criteria), record=Grade,
    ),
    Stage(
        "agreement", 1, QUESTION, ("wording", "answer", "again"), answers.agreement,
        models=lambda resolved: picked.judge(resolved, ("consistent",)), used=picked.asks_again, record=Agreement,
    ),
    Stage(
        "answer scores", 3, QUESTION, ("evidence", "context", "answer", "verdicts", "agreement"), scoring.answered,
        lambda resolved: scoring.Cuts(resolved.cover), record=Scores, together=1024,
    ),
    Stage(
        "losses", 2, QUESTION, ("evidence", "standing", "reached", "context", "answer", "verdicts", "chain"),
        scoring.losses, lambda resolved: scoring.Cuts(resolved.cover, steps=step_names(resolved)), record=Losses,
        together=1024,
    ),
)  # fmt: skip
STAGES = {stage.name: stage for stage in (*GRAPH, *JOINED, *OUTSIDE.values(), ROWS_FOUND)}


def record_of(node: str) -> type | None:
    """What the stage of a question node returns, by the node's name, in a run of our own or a brought one; None for a
    name that no stage has."""
    stage = STAGES.get(stage_name(node)) or OUTSIDE.get(node)
    return stage.record if stage else None


# Where a run may stop: what comes after is not made, nor what needs it.
STOPS = ("served", "context", "answer", "verdicts")
_BY_SERVER = {"keyword hits": "words", "vector hits": "near"}  # what searches, by what the stages call it
_LAST = {"served": "reached", "context": "context"}
_JUDGED = ("again", "verdicts", "criterion", "agreement", "answer scores", "losses")


def chain(resolved: Resolved, until: str = "") -> Chain:
    """The nodes of a configuration in their order, as far as the stage `until` (see `STOPS`) when it is given, with the
    scores that can be had from there."""
    if resolved.outside is not None:
        return outside_chain(resolved)
    nodes: Chain = {}
    given = {"ranked": "candidates", "wording": "wording"}  # what goes by these names at a place of the chain
    for stage in GRAPH:
        if stage.name == "step":
            for number, settings in enumerate(resolved.configuration.reranking, 1):
                name = f"step {number}"
                nodes[name] = _step(name, stage, settings, resolved, nodes, given)
                given["ranked"] = name
        elif stage.name == "rewrite":
            for number, settings in enumerate(resolved.configuration.rewriting, 1):
                nodes.update(_rewrite(number, stage, settings, nodes, given))
        elif stage.name != "alone" and stage.used(resolved):
            inputs = {name: found(given.get(name, name), nodes) for name in stage.inputs}
            if stage.name == "queries":
                inputs |= {"wording": "wording"} | {name: name for name in nodes if name.startswith("rewrite ")}
            if stage.name == "drift" and not any(
                METHODS[each["method"]].turns for each in resolved.configuration.rewriting
            ):
                inputs["turns"] = None
            if stage.name in _BY_SERVER and "server" in nodes:
                inputs[_BY_SERVER[stage.name]] = "server"
            if stage.name == "chain":
                inputs |= {name: name for name in nodes if name.startswith("step ")}
            if stage.name == "verdicts":
                made = verdict_nodes(stage, resolved, inputs)
            elif stage.name == "criterion":
                made = criterion_nodes(stage, resolved, inputs)
            else:
                made = iter([Node(stage.name, stage, inputs, stage.settings(resolved), stage.models(resolved))])
            nodes.update({node.name: node for node in made})
            if stage.name == "answer scores":
                nodes.update({node.name: node for node in score_nodes(stage, stage.name, resolved, inputs)})
        if stage.name == _LAST.get(until):
            break
    if until == "answer":
        nodes = {name: node for name, node in nodes.items() if stage_name(name) not in _JUDGED}
    return nodes


def step_names(resolved: Resolved) -> tuple[str, ...]:
    """What the reranking steps of a configuration are called: "step 2, extract"."""
    return tuple(f"step {number}, {step['step']}" for number, step in enumerate(resolved.configuration.reranking, 1))


def _rewrite(number: int, stage: Stage, settings: Mapping[str, Any], nodes: Chain, given: dict[str, str]) -> Chain:
    """The node of a way of rewriting, and behind one that reads the turns before what stands alone from there on."""
    method = METHODS[settings["method"]]
    inputs = {
        "wording": given["wording"],
        "turns": "turns" if method.turns else None,
        "definitions": found("definitions", nodes) if method.glossary else None,
    }
    how = retrieval.Rewriting(settings["method"], settings.get("count", method.count), settings.get("prompt", ""))
    models = {"rewriter": Wanted("language", settings.get("model", ""), (method.task,))}
    name = f"rewrite {number}"
    made = {name: Node(name, stage, inputs, how, models)}
    if method.turns:
        alone = f"alone {number}"
        made[alone] = Node(alone, STAGES["alone"], {"wording": given["wording"], "rewrite": name}, None)
        given["wording"] = alone
    return made


def _step(
    name: str, stage: Stage, settings: Mapping[str, Any], resolved: Resolved, nodes: Chain, given: Mapping[str, str]
) -> Node:
    kind = STEPS[settings["step"]]
    inputs = {each: found(given.get(each, each), nodes) for each in stage.inputs}
    if not kind.rarity:
        inputs["words"] = None
    if not kind.whole:
        inputs["units"] = None
    slots = {"language": "language", "reranking": "reranker", "embedding": "embedder"}
    models: dict[str, Wanted] = {}
    named = settings.get("model", kind.settings.get("model", ""))
    if kind.asks(settings):
        if kind.model == "embedding":
            fits = MODELS.get(named, False)
            dimensions = resolved.configuration.embedding.dimensions if fits else 0
            models["embedder"] = Wanted("embedding", named, ("passage", "query"), dimensions)
        else:
            models[slots[kind.model]] = Wanted(kind.model, named, (kind.task(settings),))
    if not (kind.model == "embedding" and kind.asks(settings) and MODELS.get(named)):
        inputs["fitted"] = None
    own = {key: value for key, value in settings_of(settings).items() if value != kind.settings[key]}
    return Node(name, stage, inputs, retrieval.StepSettings(settings["step"], own, settings.get("prompt", "")), models)
