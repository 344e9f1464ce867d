"""The stage graph: every stage of the chain from documents to scores, as data.

A stage says what it is handed: its inputs, the settings that it reads, and its models. Nothing else reaches it, so
nothing else can be missing in the key of its result. Order, keys, what is kept, `run`, `ask`, `explain`, `--plan` and
costs all come from this list. Raise a stage's version when its code, or the default of a setting that it reads,
changes what it returns.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from ..core.answering import Answer
from ..core.context import Context
from ..core.context.serving import ServedList
from ..core.criteria import Grade
from ..core.embedding import MODELS
from ..core.indexing.compact import Coding
from ..core.indexing.keyword import Scoring
from ..core.indexing.texts import KINDS
from ..core.judging import Agreement, Judgement
from ..core.measures import Scores
from ..core.measures.loss import Losses, Reached
from ..core.reranking import STEPS, Ranked, settings_of
from ..core.rewriting import METHODS, Queries
from ..core.rewriting.drift import Drift
from ..core.searching import Candidates, Hits, QueryVectors, Searching, depth
from ..core.searching.words import WordSearch
from ..core.text.rulers import ESTIMATE
from .judges import JOINED, TASKS, criterion_nodes, score_nodes, stage_name, verdict_nodes
from .outside import OUTSIDE, outside_chain
from .resolved import Resolved, Wanted
from .sources import Wording
from .stage import CORPUS, DOCUMENT, QUESTION, Chain, Node, Stage, found
from .stages import answers, corpus, retrieval, scoring


def _by_words(resolved: Resolved) -> bool:
    return resolved.configuration.search.method != "vector"


def _by_vectors(resolved: Resolved) -> bool:
    return resolved.configuration.search.method != "keyword"


def _fits(resolved: Resolved) -> bool:
    """Whether the embedding model learns from the corpus."""
    return MODELS.get(resolved.configuration.embedding.model, False)


def _rarity(resolved: Resolved) -> bool:
    return any(STEPS[step["step"]].rarity for step in resolved.configuration.reranking) or _rewrites(resolved)


def _rewrites(resolved: Resolved) -> bool:
    return bool(resolved.configuration.rewriting)


def _learnt(resolved: Resolved) -> str:
    """The embedding model that learns from the corpus, of the search or of a reranking step; "" for none."""
    steps = [step.get("model", "") for step in resolved.configuration.reranking if _embeds(step)]
    own = [resolved.configuration.embedding.model] if _by_vectors(resolved) else []
    return next((name for name in (*own, *steps) if MODELS.get(name)), "")


def _embeds(step: Mapping[str, Any]) -> bool:
    return STEPS[step["step"]].model == "embedding" and STEPS[step["step"]].asks(step)


def _fitter(resolved: Resolved) -> Mapping[str, Wanted]:
    return {
        "embedder": Wanted("embedding", _learnt(resolved), ("passage",), resolved.configuration.embedding.dimensions)
    }


def _embedder(use: str) -> Callable[[Resolved], Mapping[str, Wanted]]:
    def wanted(resolved: Resolved) -> Mapping[str, Wanted]:
        settings = resolved.configuration.embedding
        dimensions = settings.dimensions if _fits(resolved) else 0
        return {"embedder": Wanted("embedding", settings.model, (use,), dimensions)}

    return wanted


def _tokenizer(resolved: Resolved) -> Mapping[str, Wanted]:
    chunking = resolved.configuration.chunking
    if chunking.unit != "tokens" or chunking.tokenizer == ESTIMATE:
        return {}
    return {"tokenizer": Wanted("tokenizer", chunking.tokenizer)}


def _cutting(resolved: Resolved) -> Any:
    return replace(resolved.configuration.chunking.cutting, tokenizer=ESTIMATE)


def _serving(resolved: Resolved) -> Any:
    serving = resolved.configuration.chunking.serving
    larger = replace(serving.larger, tokenizer=ESTIMATE) if serving.larger else None
    return replace(serving, around=serving.around if serving.way == "neighbours" else 1, larger=larger)


@dataclass(frozen=True)
class _Matching:
    headings: bool = True


@dataclass(frozen=True)
class _Writing:
    text: str


@dataclass(frozen=True)
class _Language:
    language: str = "auto"


@dataclass(frozen=True)
class _Keeping:
    keep: int = 5
    budget: int = 1200


def _matching(resolved: Resolved) -> _Matching:
    return _Matching(resolved.configuration.index.headings)


def _in_body(resolved: Resolved) -> _Matching:
    """Headings stand in front of a text for keyword search, unless they are a field of their own."""
    index = resolved.configuration.index
    return _Matching(index.headings and index.title_weight == 0)


def _weighing(resolved: Resolved) -> Scoring:
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


def _language(resolved: Resolved) -> _Language:
    return _Language(resolved.configuration.index.language)


def _writer(resolved: Resolved) -> Mapping[str, Wanted]:
    index = resolved.configuration.index
    return {"writer": Wanted("language", index.model, (KINDS[index.text],))}


def _searching(resolved: Resolved) -> Searching:
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


def _drifting(resolved: Resolved) -> retrieval.Drifting:
    least = tuple(float(each.get("least", 0.0)) for each in resolved.configuration.rewriting)
    return retrieval.Drifting(least, _by_vectors(resolved) and not _fits(resolved))


def _by_terms(resolved: Resolved) -> retrieval.ByWords:
    search = resolved.configuration.search
    how = WordSearch(search.stop_words)
    if search.feedback:
        how = replace(
            how, feedback=search.feedback, feedback_terms=search.feedback_terms, feedback_weight=search.feedback_weight
        )
    return retrieval.ByWords(_depth(resolved), how)


def _depth(resolved: Resolved) -> int:
    return depth(resolved.configuration.search.top)


def _keeping(resolved: Resolved) -> _Keeping:
    context = resolved.configuration.context
    return _Keeping(context.keep, context.budget)


def _coding(resolved: Resolved) -> Coding:
    return Coding(resolved.configuration.embedding.keep, resolved.configuration.embedding.bits)


def _nearing(resolved: Resolved) -> corpus.Nearing:
    search, embedding = resolved.configuration.search, resolved.configuration.embedding
    if search.nearest != "exact":
        return corpus.Nearing(search.reach.told(search.nearest))
    return corpus.Nearing(rescore=embedding.rescore if _coding(resolved) != Coding() else 0)


def _answerer(resolved: Resolved, tasks: tuple[str, ...] = ("answer",)) -> Mapping[str, Wanted]:
    return {"answerer": Wanted("language", resolved.configuration.answering.model, tasks)}


def _judge(resolved: Resolved, tasks: tuple[str, ...] = TASKS) -> Mapping[str, Wanted]:
    return {"judge": Wanted("language", resolved.judges[0], tasks)}


def _asks_again(resolved: Resolved) -> bool:
    return resolved.answers and resolved.configuration.answering.again > 0


GRAPH: tuple[Stage, ...] = (
    Stage("chunks", 5, DOCUMENT, ("documents",), corpus.chunks, _cutting, _tokenizer, open=corpus.open_chunks),
    Stage(
        "units", 4, DOCUMENT, ("documents", "chunks"), corpus.units, _serving, _tokenizer,
        used=lambda resolved: resolved.configuration.chunking.serve != "chunk", open=corpus.open_units,
    ),
    Stage(
        "written", 2, DOCUMENT, ("documents", "chunks"), corpus.written,
        lambda resolved: _Writing(resolved.configuration.index.text), _writer,
        used=lambda resolved: resolved.configuration.index.text != "chunk", open=corpus.open_written, together=8,
    ),
    Stage("matched", 1, DOCUMENT, ("documents", "chunks", "written"), corpus.matched, _matching, kept=False),
    Stage("body", 1, DOCUMENT, ("documents", "chunks", "written"), corpus.matched, _in_body, kept=False),
    Stage("titles", 1, DOCUMENT, ("documents", "chunks", "written"), corpus.titles, kept=False),
    Stage("terms", 2, DOCUMENT, ("body",), corpus.count_terms, _language, open=corpus.open_columns, together=512),
    Stage(
        "title terms", 2, DOCUMENT, ("titles",), corpus.count_terms, _language, open=corpus.open_columns, together=512,
        used=lambda resolved: resolved.configuration.index.title_weight > 0,
    ),
    Stage(
        "keyword", 4, CORPUS, ("terms", "title terms"), corpus.keyword_index, _weighing, open=corpus.open_keyword,
        used=lambda resolved: _by_words(resolved) or _rarity(resolved),
    ),
    Stage(
        "fitted", 4, CORPUS, ("matched",), corpus.fitted, models=_fitter,
        used=lambda resolved: bool(_learnt(resolved)), open=corpus.open_arrays,
    ),
    Stage(
        "vectors", 4, DOCUMENT, ("matched", "fitted"), corpus.vectors, models=_embedder("passage"),
        used=_by_vectors, open=corpus.open_vectors, together=256,
    ),
    Stage(
        "codes", 1, DOCUMENT, ("vectors",), corpus.codes, _coding, open=corpus.open_codes, together=256,
        used=lambda resolved: _by_vectors(resolved) and _coding(resolved) != Coding(),
    ),
    Stage(
        "nearest", 4, CORPUS, ("vectors", "codes"), corpus.nearest_index,
        lambda resolved: resolved.configuration.search.nearness.told(), open=corpus.open_nearest,
        write=corpus.write_nearest,
        used=lambda resolved: _by_vectors(resolved) and resolved.configuration.search.nearest != "exact",
    ),
    Stage(
        "words", 1, CORPUS, ("chunks", "written", "keyword", "documents"), corpus.word_searcher, kept=False,
        used=lambda resolved: _by_words(resolved) or _rarity(resolved),
    ),
    Stage(
        "near", 2, CORPUS, ("chunks", "written", "vectors", "codes", "nearest"), corpus.vector_searcher, _nearing,
        kept=False,
        used=_by_vectors,
    ),
    Stage(
        "definitions", 1, DOCUMENT, ("documents",), corpus.defined, open=corpus.open_defined,
        used=lambda resolved: any(METHODS[each["method"]].glossary for each in resolved.configuration.rewriting),
    ),
    Stage("rewrite", 1, QUESTION, ("wording", "turns", "definitions"), retrieval.rewritten, record=Queries),
    Stage("alone", 1, QUESTION, ("wording", "rewrite"), retrieval.standing_alone, record=Wording, together=1024),
    Stage("queries", 3, QUESTION, ("wording",), retrieval.queries, record=Queries, together=1024),
    Stage(
        "query vectors", 1, QUESTION, ("queries", "fitted"), retrieval.query_vectors, models=_embedder("query"),
        used=_by_vectors, record=QueryVectors,
    ),
    Stage(
        "keyword hits", 2, QUESTION, ("queries", "words", "condition"), retrieval.keyword_hits, _by_terms,
        used=_by_words, record=Hits,
    ),
    Stage(
        "vector hits", 1, QUESTION, ("query vectors", "near", "condition"), retrieval.vector_hits, _depth,
        used=_by_vectors, record=Hits,
    ),
    Stage(
        "drift", 1, QUESTION, ("queries", "keyword hits", "vector hits", "words", "chunks", "documents", "turns"), retrieval.drift,
        _drifting, used=_rewrites, record=Drift,
    ),
    Stage(
        "candidates", 3, QUESTION, ("keyword hits", "vector hits", "drift"), retrieval.candidates, _searching,
        record=Candidates, together=1024,
    ),
    Stage(
        "gains", 1, QUESTION, ("evidence", "keyword hits", "vector hits", "drift", "chunks", "units"), retrieval.gains,
        lambda resolved: retrieval.Weighed(_searching(resolved), resolved.cover, resolved.configuration.context.keep),
        used=_rewrites, record=retrieval.Gains, together=256,
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
        "context", 3, QUESTION, ("served", "chunks", "documents"), answers.context, _keeping, record=Context,
        together=1024,
    ),
    Stage(
        "answer", 3, QUESTION, ("wording", "context"), answers.answers,
        lambda resolved: resolved.configuration.answering.style, _answerer, used=lambda resolved: resolved.answers,
        record=Answer,
    ),
    Stage(
        "again", 1, QUESTION, ("wording", "context"), answers.again,
        lambda resolved: answers.Asking(resolved.configuration.answering.again, resolved.configuration.answering.style),
        lambda resolved: _answerer(resolved, ("paraphrases", "answer")), used=_asks_again, record=answers.Again,
    ),
    Stage(
        "verdicts", 3, QUESTION, ("wording", "reference", "context", "answer"), answers.verdicts, models=_judge,
        used=lambda resolved: resolved.answers, record=Judgement,
    ),
    Stage(
        "criterion", 1, QUESTION, ("wording", "reference", "context", "answer"), answers.grades,
        used=lambda resolved: bool(resolved.criteria), record=Grade,
    ),
    Stage(
        "agreement", 1, QUESTION, ("wording", "answer", "again"), answers.agreement,
        models=lambda resolved: _judge(resolved, ("consistent",)), used=_asks_again, record=Agreement,
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
STAGES = {stage.name: stage for stage in (*GRAPH, *JOINED, *OUTSIDE.values())}


def record_of(node: str) -> type | None:
    """What the stage of a question node returns, by the node's name, in a run of our own or a brought one; None for a
    name that no stage has."""
    stage = STAGES.get(stage_name(node)) or OUTSIDE.get(node)
    return stage.record if stage else None


# Where a run may stop: what comes after is not made, nor what needs it.
STOPS = ("served", "context", "answer", "verdicts")
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
