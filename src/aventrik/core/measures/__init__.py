"""Scores by their definitions, in one registry. A measure is one function and one line here.

`kind` chooses a measure's interval and test, never the values that happen to be seen: a share is 0 or 1 a question, a
score lies in 0…1, a count is a number of things, a cost is time or money.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from . import answers, retrieval
from .answers import Judged
from .evidence import Needs
from .retrieval import COVER, CUT_OFFS, Retrieved, walk

Kind = Literal["share", "score", "count", "cost"]


@dataclass(frozen=True)
class Measure:
    """What a measure is called, whether more or less of it is better, its kind, and its function. `of` is what it is
    taken of: "list" (at each cut-off), "ranking" (of the whole list), "answer", or "" for what is read off elsewhere."""

    name: str
    less_is_better: bool
    kind: Kind
    of: str
    function: Callable[..., Any] | None = None

    @property
    def bounds(self) -> tuple[float, float | None]:
        """The least and the greatest value there can be."""
        return (0.0, 1.0) if self.kind in ("share", "score") else (0.0, None)


_ALL = (
    Measure("hit", False, "share", "list", retrieval.hit),
    Measure("hit-any", False, "share", "list", retrieval.hit_any),
    Measure("need-recall", False, "score", "list", retrieval.need_recall),
    Measure("cover", False, "score", "list", retrieval.evidence_cover),
    Measure("ndcg", False, "score", "list", retrieval.ndcg),
    Measure("density", False, "score", "list", retrieval.density),
    Measure("tokens", True, "count", "list", retrieval.served_tokens),
    Measure("reciprocal-rank", False, "score", "ranking", retrieval.reciprocal_rank),
    Measure("context-tokens", True, "count", ""),
    Measure("needs-shown", False, "score", ""),
    Measure("groundedness", False, "score", "answer", answers.groundedness),
    Measure("grounded-answers", False, "score", "answer"),
    Measure("hallucinated", True, "share", "answer", answers.hallucinated),
    Measure("contradicted-claims", True, "score", "answer", answers.contradicted_claims),
    Measure("unfound-claims", True, "score", "answer", answers.unfound_claims),
    Measure("untold-claims", True, "score", "answer", answers.untold_claims),
    Measure("relevance", False, "score", "answer", answers.relevance),
    Measure("consistency", False, "score", "answer", answers.consistency),
    Measure("correctness", False, "score", "answer", answers.correctness),
    Measure("completeness", False, "score", "answer", answers.completeness),
    Measure("citation-precision", False, "score", "answer", answers.citation_precision),
    Measure("citation-recall", False, "score", "answer", answers.citation_recall),
    Measure("declined-rightly", False, "share", "answer", answers.declined_rightly),
    Measure("declined-wrongly", True, "share", "answer", answers.declined_wrongly),
    Measure("seconds", True, "cost", ""),
    Measure("calls", True, "cost", ""),
    Measure("model-tokens", True, "cost", ""),
    Measure("money", True, "cost", ""),
)
MEASURES = {measure.name: measure for measure in _ALL}


@dataclass(frozen=True)
class Scores:
    """The measures of one question by name, "hit@5" for one at a cut-off; one that does not apply is left out."""

    values: dict[str, float]


def plain(name: str) -> str:
    """The name of a measure without its cut-off ("hit@5") or the judge that it is by ("groundedness:house")."""
    return name.partition("@")[0].partition(":")[0]


def measure(name: str, own: Mapping[str, Measure] = {}) -> Measure | None:
    """The entry of a measure by its name, with or without a cut-off or a judge, among `own` ones too; None for none."""
    return own.get(plain(name)) or MEASURES.get(plain(name))


def retrieval_scores(
    needs: Needs, items: Sequence[Retrieved], cut_offs: Sequence[int] = CUT_OFFS, enough: float = COVER
) -> dict[str, float]:
    """All measures of a ranked list of a question with at least one need; `items` are ranked from 1."""
    if not needs:
        raise ValueError("an unanswerable question has no retrieval scores")
    walked = walk(needs, items, enough)
    scores: dict[str, float] = {}
    for each in _ALL:
        if each.of == "list" and each.function is not None:
            scores.update({f"{each.name}@{k}": each.function(walked, k) for k in cut_offs})
        elif each.of == "ranking" and each.function is not None:
            scores[each.name] = each.function(walked, 0)
    return scores


def answer_scores(judged: Judged) -> dict[str, float]:
    """All measures of an answer that apply; none where there is no answer, or its judgement failed."""
    if judged.answer.failure or judged.judgement.failure:
        return {}
    found = {each.name: each.function(judged) for each in _ALL if each.of == "answer" and each.function is not None}
    return {name: float(value) for name, value in found.items() if value is not None}
