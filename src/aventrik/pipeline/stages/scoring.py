"""Scores of each question, and where its evidence was lost."""

from __future__ import annotations

from dataclasses import dataclass

from ...core.context import Context
from ...core.documents.spans import Range, merge
from ...core.measures import Scores, answer_scores, retrieval_scores
from ...core.measures.answers import Judged
from ...core.measures.evidence import Needs, Ranges, best_cover, held_whole
from ...core.measures.loss import Losses, Reached, StagesHeld, lost_at
from ...core.measures.retrieval import Retrieved
from ..inputs import Given
from .lists import needs_met, pieces


@dataclass(frozen=True)
class Cuts:
    """From which cover on a need is met, at which ranks lists are cut, and the names of the reranking steps."""

    cover: float
    cut_offs: tuple[int, ...] = ()
    steps: tuple[str, ...] = ()


def retrieval(given: Given) -> list[Scores]:
    """Retrieval measures; none for a question that the documents do not answer."""
    how: Cuts = given.settings
    made = []
    for evidence, served in zip(given["evidence"], given["served"]):
        items = [Retrieved(item.doc, item.ranges, item.tokens) for item in served.items]
        made.append(Scores(retrieval_scores(evidence.needs, items, how.cut_offs, how.cover) if evidence.needs else {}))
    return made


def answered(given: Given) -> list[Scores]:
    """Measures of what the answering model was shown, and of its answer where it gave one."""
    made = []
    enough = given.settings.cover
    for place, (evidence, context) in enumerate(zip(given["evidence"], given["context"])):
        scores = {"context-tokens": float(context.tokens)}
        if evidence.needs:
            scores["needs-shown"] = needs_shown(evidence.needs, context, enough)
        if given["answer"] is not None:
            agreed = given["agreement"][place].value if given["agreement"] is not None else None
            judged = Judged(given["answer"][place], given["verdicts"][place], bool(evidence.needs), agreed)
            scores.update(answer_scores(judged))
        made.append(Scores(scores))
    return made


def needs_shown(needs: Needs, context: Context, enough: float) -> float:
    """The share of a question's needs that its context meets."""
    shown: dict[str, list[Range]] = {}
    for item in context.items:
        if item.ranges:
            shown.setdefault(item.doc, []).extend(item.ranges)
    return sum(met(needs, shown, enough)) / len(needs)


def reached(given: Given) -> list[Reached]:
    """Which needs some served unit holds whole, and which the candidates and the refined list meet."""
    how: Cuts = given.settings
    table, units = given["chunks"], given["units"]
    meets = needs_met(table, units, how.cover)
    made = []
    for evidence, candidates, ranked in zip(given["evidence"], given["candidates"], given["ranked"]):
        needs: Needs = evidence.needs
        lists = [[(number, ranges) for number, _, ranges in pieces(each)] for each in (candidates, ranked)]
        held = [meets(needs, items) for items in (lists if lists[0] != lists[1] else lists[:1])]
        whole = [held_whole(table if units is None else units.units, need, how.cover) for need in needs]
        made.append(Reached(tuple(whole), tuple(held[0]), tuple(held[-1])))
    return made


def losses(given: Given) -> list[Losses]:
    """Where each need was lost."""
    how: Cuts = given.settings
    made = []
    for place, (evidence, found) in enumerate(zip(given["evidence"], given["reached"])):
        shown: dict[str, list[Range]] = {}
        for item in given["context"][place].items:
            shown.setdefault(item.doc, []).extend(item.ranges)
        stated = _stated(given, place, len(evidence.needs))
        steps = [each.met for each in given["chain"][place].lists[1:]] if given["chain"] is not None else ()
        held = StagesHeld(
            found,
            met(evidence.needs, shown, how.cover),
            stated,
            given["verdicts"] is not None,
            steps,
            given.settings.steps,
        )
        made.append(lost_at(evidence.needs, held, dict(given["standing"][place].documents)))
    return made


def met(needs: Needs, served: dict[str, list[Range]], enough: float) -> list[bool]:
    """Which needs some ranges by document meet."""
    union: Ranges = {doc: merge(ranges) for doc, ranges in served.items()}
    return [best_cover(need, union) >= enough for need in needs]


def _stated(given: Given, place: int, needs: int) -> list[bool | None]:
    """Of each need whether the answer states it; None where no answer or no judgement says so."""
    if given["verdicts"] is None:
        return [None] * needs
    answer, judgement = given["answer"][place], given["verdicts"][place]
    if answer.failure or judgement.failure:
        return [None] * needs
    return list(judgement.stated) or [False] * needs
