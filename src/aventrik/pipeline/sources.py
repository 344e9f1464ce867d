"""What stages know of a question, each a record of its own, so that a stage reads no more of it than it declares."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from ..core.judging import Reference
from ..core.measures.evidence import Needs, evidence_of
from ..core.testsets import Question
from ..core.text.composing import composed


@dataclass(frozen=True)
class Wording:
    """The question as it is asked."""

    text: str


@dataclass(frozen=True)
class Turns:
    """The questions that were asked before it in its conversation, in order."""

    before: tuple[str, ...] = ()


@dataclass(frozen=True)
class Evidence:
    """Where the facts of the question stand; no needs where the documents do not answer it."""

    needs: Needs


@dataclass(frozen=True)
class Standing:
    """Of each document that holds evidence of the question: "in" the corpus, "left out", or "gone"."""

    documents: tuple[tuple[str, str], ...]


def reference_of(question: Question) -> Reference:
    """What an answer to a question is held against."""
    quotes = [composed(quoted.quote) for need in question.needs for quoted in need.spans if quoted.quote]
    facts = tuple(composed(need.fact or need.spans[0].quote) for need in question.needs)
    answer = composed(question.answer)
    texts = tuple(dict.fromkeys(text for text in (answer, *quotes) if text)) if question.needs else ()
    return Reference(facts, texts, answer if question.needs else "")


def sources_of(question: Question, standing: Callable[[str], str]) -> dict[str, Any]:
    """The record of each source; `standing` says of a document "in", "left out" or "gone"."""
    documents = sorted(
        {doc for need in question.needs for quoted in need.spans for doc in (quoted.doc, *quoted.copies)}
    )
    return {
        "wording": Wording(composed(question.question)),
        "turns": Turns(tuple(map(composed, question.before))),
        "reference": reference_of(question),
        "evidence": Evidence(evidence_of(question)),
        "standing": Standing(tuple((doc, standing(doc)) for doc in documents)),
    }
