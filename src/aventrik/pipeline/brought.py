"""The stages of a run that was brought: what another system gave, found again in the documents, judged and scored. The
nodes have the names of their like in a run of our own, and the same records, so that what reads runs reads these too."""

from __future__ import annotations

from collections.abc import Mapping

from ..core.answering import Answer
from ..core.brought import Brought
from ..core.context import Context
from ..core.context.serving import ServedList
from ..core.criteria import Grade
from ..core.judging import Judgement
from ..core.measures import Scores
from ..core.measures.loss import Losses
from . import reads
from .judges import criterion_nodes, score_nodes, verdict_nodes
from .resolved import Resolved, WantedModel
from .stage import QUESTION, Stage
from .stages import brought as outside
from .stages import database, scoring


def _cuts(resolved: Resolved) -> scoring.Cuts:
    return scoring.Cuts(resolved.cover)


def _answered(resolved: Resolved) -> bool:
    """Whether answers came, and not lists alone."""
    return resolved.answers


def _asked(resolved: Resolved) -> str:
    """The system that is asked; "" where what it gave came from a file."""
    return resolved.outside.system if resolved.outside is not None else ""


def _table(resolved: Resolved) -> str:
    """The state of the table of the user's that is searched; "" for none."""
    return resolved.outside.table if resolved.outside is not None else ""


def _search_of_table(resolved: Resolved) -> database.TableSearch:
    search = resolved.configuration.search
    return database.TableSearch(
        tuple(sorted(search.table.model_dump().items())), search.method, reads.looked_up(resolved),
        reads.at_database(resolved), reads.searching(resolved), _table(resolved),
    )  # fmt: skip


def _models_of_table(resolved: Resolved) -> Mapping[str, WantedModel]:
    near = resolved.configuration.search.method != "keyword"
    return {**reads.database(resolved), **(reads.embedder("query")(resolved) if near else {})}


# `called`: the name of the node, that of its like in a run of our own.
OUTSIDE: tuple[Stage, ...] = (
    Stage(
        "rows found", 1, QUESTION, ("wording",), database.rows_found, _search_of_table, _models_of_table,
        used=lambda resolved: bool(_table(resolved)), record=Brought, called="brought",
    ),
    Stage(
        "asked", 1, QUESTION, ("wording",), outside.asked, record=Brought, called="brought",
        models=lambda resolved: {"system": WantedModel("system", _asked(resolved))},
        used=lambda resolved: bool(_asked(resolved)),
    ),
    Stage(
        "found again", 1, QUESTION, ("brought", "evidence", "documents"), outside.found_again, record=outside.FoundAgain,
        together=2000, called="found again",
    ),
    Stage(
        "brought list", 1, QUESTION, ("brought", "found again", "documents"), outside.listed, record=ServedList,
        together=1024, called="served",
    ),
    Stage(
        "brought list scores", 1, QUESTION, ("brought", "evidence", "served"), outside.retrieval,
        lambda resolved: scoring.Cuts(resolved.cover, resolved.cut_offs), record=Scores, together=1024,
        called="retrieval scores",
    ),
    Stage(
        "brought context", 1, QUESTION, ("brought", "found again", "documents"), outside.context, used=_answered,
        record=Context, together=1024, called="context",
    ),
    Stage(
        "brought answer", 2, QUESTION, ("brought",), outside.answers, used=_answered, record=Answer, together=1024,
        called="answer",
    ),
    Stage(
        "brought verdicts", 2, QUESTION, ("wording", "reference", "context", "answer", "brought"), outside.verdicts,
        used=_answered, record=Judgement, called="verdicts", build=verdict_nodes,
    ),
    Stage(
        "brought criterion", 2, QUESTION, ("wording", "reference", "context", "answer", "verdicts", "brought"), outside.grades,
        used=_answered, record=Grade, called="criterion", build=criterion_nodes,
    ),
    Stage(
        "brought answer scores", 3, QUESTION, ("brought", "evidence", "context", "answer", "verdicts"), outside.answered,
        _cuts, used=_answered, record=Scores, together=1024, called="answer scores", build=score_nodes,
    ),
    Stage(
        "brought losses", 1, QUESTION, ("brought", "evidence", "standing", "found again", "answer", "verdicts"),
        outside.losses, _cuts, record=Losses, together=1024, called="losses",
    ),
)  # fmt: skip
