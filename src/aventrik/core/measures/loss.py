"""Where the evidence was lost: for each need the first stage at which it disappeared."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from .evidence import Needs

# Each with what it tells, in the order of the stages.
STAGES: dict[str, str] = {
    "not in the documents": "no document of the corpus holds its evidence",
    "left out by vetting": "the document that holds it was left out",
    "cut apart by chunking": "no single chunk holds it whole, and the pieces were not found together",
    "not among the candidates": "a chunk holds it, but search did not return that chunk",
    "dropped by reranking": "search returned it, a reranking step dropped it",
    "pushed out of the context": "it was ranked too low to be shown to the answering model",
    "ignored by the answer": "it was in the context, but the answer does not state it",
    "not judged": "it was in the context, but whether the answer states it could not be judged",
    "in the context": "it was in the context, and no answer was made",
    "answered": "found, shown and stated in the answer",
}
DROPPED = "dropped by reranking"
KEPT = ("answered", "in the context")  # nothing was lost


@dataclass(frozen=True)
class Losses:
    """For each need of a question an entry of `STAGES`; of one that a known reranking step has dropped, that entry with
    the step behind a colon (see `stage_of`)."""

    lost: tuple[str, ...] = ()


@dataclass(frozen=True)
class Reached:
    """Of each need of a question whether some single served unit holds an alternative whole, and whether the candidates
    and the refined list meet it."""

    whole: tuple[bool, ...]
    candidates: tuple[bool, ...]
    refined: tuple[bool, ...]


@dataclass(frozen=True)
class StagesHeld:
    """Which needs each stage of a question held.

    `context`: what the answering model was shown meets it; `stated`: the answer states the fact, None where that is
    not known: no answer was made (`answered` is False), or its judgement failed. `steps`: which needs the list behind
    each reranking step meets; `names`: what these steps are called.
    """

    reached: Reached
    context: Sequence[bool]
    stated: Sequence[bool | None]
    answered: bool = True
    steps: Sequence[Sequence[bool]] = ()
    names: Sequence[str] = ()


def stage_of(lost: str) -> str:
    """The entry of `STAGES` of a loss, whichever step it names."""
    return lost.partition(":")[0]


def step_of(lost: str) -> str:
    """The step that a loss names; "" for none."""
    return lost.partition(": ")[2]


def why(lost: str) -> str:
    """What a loss tells, in a sentence."""
    step = step_of(lost)
    return f"search returned it, and {step} dropped it" if step else STAGES.get(lost, "")


def lost_at(needs: Needs, held: StagesHeld, standing: Mapping[str, str]) -> Losses:
    """For each need where it was lost; `standing` says of each document of its evidence "in", "left out" or "gone"."""
    found: list[str] = []
    for place, need in enumerate(needs):
        if held.context[place]:
            found.append(_after_context(held.stated[place], held.answered))
        elif held.reached.refined[place]:
            found.append("pushed out of the context")
        elif held.reached.candidates[place]:
            step = next((name for name, met in reversed(list(zip(held.names, _last_held(held, place)))) if met), "")
            found.append(f"{DROPPED}: {step}" if step else DROPPED)
        else:
            there = {standing.get(alternative.doc, "gone") for alternative in need if alternative.ink}
            if "in" in there:
                found.append("not among the candidates" if held.reached.whole[place] else "cut apart by chunking")
            else:
                found.append("left out by vetting" if "left out" in there else "not in the documents")
    return Losses(tuple(found))


def _last_held(held: StagesHeld, place: int) -> list[bool]:
    """Of each step whether it is the one behind which a need that the candidates met is no longer met, to the end."""
    after = [bool(met[place]) for met in held.steps]
    return [
        not now and before and not any(after[number:])
        for number, (before, now) in enumerate(zip([True, *after], after))
    ]


def _after_context(stated: bool | None, answered: bool) -> str:
    if not answered:
        return "in the context"
    if stated is None:
        return "not judged"
    return "answered" if stated else "ignored by the answer"
