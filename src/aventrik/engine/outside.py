"""The stages of a run that was brought: what another system gave, found again in the documents, judged and scored. The
nodes have the names of their like in a run of our own, and the same records, so that what reads runs reads these too."""

from __future__ import annotations

from ..core.answering import Answer
from ..core.brought import Brought
from ..core.context import Context
from ..core.context.serving import ServedList
from ..core.criteria import Grade
from ..core.judging import Judgement
from ..core.measures import Scores
from ..core.measures.loss import Losses
from . import picked
from .judges import criterion_nodes, score_nodes, verdict_nodes
from .resolved import Resolved, Wanted
from .stage import QUESTION, Chain, Node, Stage, found
from .stages import database, outside, scoring

OUTSIDE: dict[str, Stage] = {
    # the name of the node: its stage
    "brought": Stage("asked", 1, QUESTION, ("wording",), outside.asked, record=Brought),
    "found again": Stage(
        "found again", 1, QUESTION, ("brought", "evidence", "documents"), outside.found_again,
        record=outside.FoundAgain, together=2000,
    ),
    "served": Stage(
        "brought list", 1, QUESTION, ("brought", "found again", "documents"), outside.listed, record=ServedList,
        together=1024,
    ),
    "retrieval scores": Stage(
        "brought list scores", 1, QUESTION, ("brought", "evidence", "served"), outside.retrieval, record=Scores,
        together=1024,
    ),
    "context": Stage(
        "brought context", 1, QUESTION, ("brought", "found again", "documents"), outside.context, record=Context,
        together=1024,
    ),
    "answer": Stage("brought answer", 1, QUESTION, ("brought",), outside.answers, record=Answer, together=1024),
    "verdicts": Stage(
        "brought verdicts", 1, QUESTION, ("wording", "reference", "context", "answer", "brought"), outside.verdicts,
        record=Judgement,
    ),
    "criterion": Stage(
        "brought criterion", 1, QUESTION, ("wording", "reference", "context", "answer", "brought"), outside.grades,
        record=Grade,
    ),
    "answer scores": Stage(
        "brought answer scores", 2, QUESTION, ("brought", "evidence", "context", "answer", "verdicts"),
        outside.answered, lambda resolved: scoring.Cuts(resolved.cover), record=Scores, together=1024,
    ),
    "losses": Stage(
        "brought losses", 1, QUESTION,
        ("brought", "evidence", "standing", "found again", "answer", "verdicts"), outside.losses, record=Losses,
        together=1024,
    ),
}  # fmt: skip
ROWS_FOUND = Stage("rows found", 1, QUESTION, ("wording",), database.rows_found, record=Brought)
_CUT = {
    "retrieval scores": lambda resolved: scoring.Cuts(resolved.cover, resolved.cut_offs),
    "losses": lambda resolved: scoring.Cuts(resolved.cover),
    "answer scores": lambda resolved: scoring.Cuts(resolved.cover),
}
_OF_ANSWERS = ("context", "answer", "verdicts", "criterion", "answer scores")


def outside_chain(resolved: Resolved) -> Chain:
    """The nodes of a brought run: without those of answers where it brought lists alone."""
    assert resolved.outside is not None
    nodes: Chain = {}
    if resolved.outside.table:
        nodes["brought"] = _of_table(resolved, resolved.outside.table)
    for name, stage in OUTSIDE.items():
        if name == "brought" and not resolved.outside.system:
            continue
        if name in _OF_ANSWERS and not resolved.outside.answers:
            continue
        inputs = {each: found(each, nodes) for each in stage.inputs}
        if name == "verdicts":
            nodes.update({node.name: node for node in verdict_nodes(stage, resolved, inputs)})
        elif name == "criterion":
            nodes.update({node.name: node for node in criterion_nodes(stage, resolved, inputs)})
        else:
            models = {"system": Wanted("system", resolved.outside.system)} if name == "brought" else {}
            settings = _CUT[name](resolved) if name in _CUT else None
            nodes[name] = Node(name, stage, inputs, settings, models)
        if name == "answer scores":
            nodes.update({node.name: node for node in score_nodes(stage, name, resolved, inputs)})
    return nodes


def _of_table(resolved: Resolved, state: str) -> Node:
    """The node that searches a table of the user's."""
    search = resolved.configuration.search
    table = tuple(sorted(search.table.model_dump().items()))
    how = database.TableSearch(
        table,
        search.method,
        picked.looked_up(resolved),
        picked.at_database(resolved),
        picked.searching(resolved),
        state,
    )
    models = dict(picked.database(resolved))
    if search.method != "keyword":
        models |= picked.embedder("query")(resolved)
    return Node("brought", ROWS_FOUND, {"wording": "wording"}, how, models)
