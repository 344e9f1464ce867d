"""Where the evidence was lost: for each need the first stage at which it disappeared."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..spans import Span
from .retrieval import COVER, Needs, Retrieved, needs_met

STAGES = (
    "not in the documents",
    "left out by vetting",
    "cut apart by chunking",
    "not among the candidates",
    "dropped by reranking",
    "pushed out of the context",
    "ignored by the answer",
    "answered",
)


@dataclass(frozen=True)
class Path:
    """What each stage of one question held; `stated` says for each need whether the answer states its fact."""

    candidates: Sequence[Retrieved]
    refined: Sequence[Retrieved]
    context: Sequence[Retrieved]
    stated: Sequence[bool]


def lost_at(
    needs: Needs, path: Path, present: set[str], left_out: set[str], whole: Sequence[bool], enough: float = COVER
) -> list[str]:
    """For each need an entry of `STAGES`.

    `present` are the documents of the corpus, `left_out` those that vetting took out of it, and `whole[n]` says
    whether some single served unit holds an alternative of need n.
    """
    among = needs_met(needs, path.candidates, enough)
    refined = needs_met(needs, path.refined, enough)
    context = needs_met(needs, path.context, enough)
    found: list[str] = []
    for place, need in enumerate(needs):
        if path.stated[place] and context[place]:
            found.append("answered")
        elif context[place]:
            found.append("ignored by the answer")
        elif refined[place]:
            found.append("pushed out of the context")
        elif among[place]:
            found.append("dropped by reranking")
        else:
            found.append(_before_search(need, present, left_out, whole[place]))
    return found


def _before_search(need: Sequence[Span], present: set[str], left_out: set[str], whole: bool) -> str:
    there = [span for span in need if span.doc in present and span.doc not in left_out]
    if there:
        return "not among the candidates" if whole else "cut apart by chunking"
    if any(span.doc in left_out for span in need):
        return "left out by vetting"
    return "not in the documents"
