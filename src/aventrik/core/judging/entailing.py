"""A claim against a context by a model of entailment: which texts are put to it, and what its probabilities come to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
import numpy.typing as npt

from ..text import content_terms, sentence_texts

LABELS = ("entailment", "contradiction", "neutral")
SURE = 0.5  # probability from which a label counts
_AT_ONCE = 3  # sentences that are put to the model as one premise
_MOST = 12  # premises of one claim, those that share most words with it


class Entailment(Protocol):
    """A model that says of pairs (premise, hypothesis) how likely it is that the one entails the other, denies it, or neither."""

    def probabilities(self, pairs: Sequence[tuple[str, str]]) -> npt.NDArray[np.float64]:
        """Shape (pairs, 3), each row summing to 1, in the order of `LABELS`."""
        ...


@dataclass(frozen=True)
class Premise:
    """A stretch of an item of a context: its number and its sentences."""

    item: int
    sentences: tuple[str, ...]

    @property
    def text(self) -> str:
        """Its sentences in a row."""
        return " ".join(self.sentences)


def premises_of(question: str, claim: str, context: Sequence[Mapping[str, Any]]) -> list[Premise]:
    """Stretches of one to three sentences that share most with the question and the claim, the nearest first, and the whole stretch
    over items where a claim may rest on several: the first of each of the two nearest items together."""
    wanted = set(content_terms(f"{question} {claim}"))
    found: list[tuple[float, Premise]] = []
    for item in context:
        sentences = sentence_texts(str(item["text"]))
        for start in range(len(sentences)):
            for size in range(1, _AT_ONCE + 1):
                some = tuple(sentences[start : start + size])
                if len(some) < size:
                    break
                shared = len(wanted & set(content_terms(" ".join(some))))
                if shared:
                    found.append((shared - 0.3 * size, Premise(int(item["number"]), some)))
    found.sort(key=lambda row: -row[0])
    return [premise for _, premise in found[:_MOST]]


def hypothesis_of(question: str, claim: str) -> str:
    """What is put to the model: the claim, behind its question where it is no sentence that could stand alone."""
    return claim if not question or len(claim.split()) > 8 else f"{question.rstrip()} {claim}"


def entailed(
    question: str, claims: Sequence[str], context: Sequence[Mapping[str, Any]], model: Entailment
) -> list[dict[str, Any]]:
    """The verdict on each claim by the model alone: supported where a premise entails it; contradicted where one denies it and none
    entails it; not found where every premise is neutral; too far to tell where no label is likelier than the others together, or
    nothing shares a word with it."""
    premises = [premises_of(question, claim, context) for claim in claims]
    pairs = [
        (premise.text, hypothesis_of(question, claim)) for claim, some in zip(claims, premises) for premise in some
    ]  # fmt: skip
    whole = model.probabilities(pairs) if pairs else np.zeros((0, len(LABELS)))
    made, at = [], 0
    for some in premises:
        rows, at = whole[at : at + len(some)], at + len(some)
        made.append(_verdict(some, rows))
    return made


def _verdict(premises: Sequence[Premise], rows: npt.NDArray[np.float64]) -> dict[str, Any]:
    if not premises:
        return _said("too far to tell", 0.5, "no sentence of the context shares a word with it", None)
    yes, no = int(rows[:, 0].argmax()), int(rows[:, 1].argmax())
    if rows[yes, 0] >= SURE:
        return _said("supported", float(rows[yes, 0]), "the model says that the passage entails it", premises[yes])
    if rows[no, 1] >= SURE:
        return _said("contradicted", float(rows[no, 1]), "the model says that the passage denies it", premises[no])
    neutral = float(rows[:, 2].min())
    if neutral >= SURE:
        return _said("not found", neutral, "the model says that no passage tells", premises[0])
    return _said("too far to tell", 0.5, "the model can't tell", premises[0])


def _said(verdict: str, sure: float, reason: str, premise: Premise | None) -> dict[str, Any]:
    quotes = [{"item": premise.item, "quote": text} for text in premise.sentences] if premise else []
    return {"verdict": verdict, "confidence": round(sure, 3), "reason": reason, "quotes": quotes}
