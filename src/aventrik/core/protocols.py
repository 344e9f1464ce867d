"""What models and searchers must do: the seams between the program and all that may stand behind it.

A language model does named tasks, with fields in and a record out.

A model gets a list of tasks and returns a reply to each, in order. The built-in offline model works from the
fields; a server gets a prompt made from them. No other code knows which of the two it talks to.

| task | fields | record of the reply |
|---|---|---|
| paraphrases | question, count | paraphrases: list of str |
| hypothetical | question | passage: str, what a passage that answers would say |
| subquestions | question | questions: list of str, one for each thing that is asked |
| broader | question | question: str, what is asked in general, without the case in hand |
| keywords | question | keywords: list of str, what a search box would be given |
| expanded | question, glossary | question: str, with what its terms mean; the glossary's lines are "term: meaning" |
| standalone | question, before | question: str, which can be understood without the questions before |
| questions | kind, count, audience, examples, avoid, title, headings, passage | problems, questions: list of {question, answer, …} |
| joined | kind, audience, examples, first, second | questions: list of {question, answer, firstquotes, secondquotes} |
| unanswered | audience, examples, title, headings, passage | said, questions: list of {question, missing}, not answered there |
| known | question | known: bool, answer: str, without any document |
| fitness | title, headings, passage | reason: str, grade: 0 to 3, whether users would ask what the passage tells |
| asked | title, headings, passage | questions: list of str that the passage answers, to be matched in its place |
| summary | title, headings, passage | summary: str |
| facts | title, headings, passage | facts: list of str, each of which stands by itself |
| relevance | question, passage | relevant: bool, reason: str |
| answered | question, title, headings, passage | quotes: list of str, reason: str, level: 0 to 3, how far it answers |
| extract | question, passage | quotes: list of str, the sentences that help to answer |
| answer | question, context, style | declined: bool, statements: list of {text, cites, quotes} |
| claims | question, answer | declining: "none", "in part" or "wholly", quote: str, claims: list of {text, cites: list of int} |
| verdict | context, question, claims | verdicts: one a claim, {claim: int, quotes: [{item, quote}], reason, verdict, confidence: 0 to 1} |
| stated | question, facts, reference, answer | stated: list of bool; the reference answer shows what a fact means |
| addressed | question, answer | reason, level: 0 to 3, how far the answer addresses the question |
| consistent | question, first, second | reason, level: 0 to 2, how far two answers agree |
| criterion | about, levels, cases, question, answer, context, reference | quotes: list of str, reason, level: int |

A verdict is "supported", "contradicted", "not found" or "too far to tell".
`context` is a list of {number, source, text}, numbered from 1; `cites` are such numbers.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, Protocol

import numpy as np
import numpy.typing as npt

if TYPE_CHECKING:
    from .searching.words import WordSearch

# task: its fields, in the order in which a prompt shows them
TASKS: dict[str, tuple[str, ...]] = {
    "paraphrases": ("question", "count"),
    "hypothetical": ("question",),
    "subquestions": ("question",),
    "broader": ("question",),
    "keywords": ("question",),
    "expanded": ("question", "glossary"),
    "standalone": ("question", "before"),
    "questions": ("kind", "count", "audience", "examples", "avoid", "title", "headings", "passage"),
    "joined": ("kind", "audience", "examples", "first", "second"),
    "unanswered": ("audience", "examples", "title", "headings", "passage"),
    "known": ("question",),
    "fitness": ("title", "headings", "passage"),
    "asked": ("title", "headings", "passage"),
    "summary": ("title", "headings", "passage"),
    "facts": ("title", "headings", "passage"),
    "relevance": ("question", "passage"),
    "answered": ("question", "title", "headings", "passage"),
    "extract": ("question", "passage"),
    "answer": ("question", "context", "style"),
    "claims": ("question", "answer"),
    "verdict": ("context", "question", "claims"),
    "stated": ("question", "facts", "reference", "answer"),
    "addressed": ("question", "answer"),
    "consistent": ("question", "first", "second"),
    "criterion": ("about", "levels", "cases", "question", "answer", "context", "reference"),
}


@dataclass(frozen=True)
class Task:
    """One piece of work for a language model."""

    name: str
    fields: Mapping[str, Any]
    wording: str = ""  # the user's own wording of this one, in place of that of the task
    time: int = 1  # which time the same is asked, of a model that may reply otherwise each time


@dataclass(frozen=True)
class Reply:
    """What came back: a record, or the reason why there is none.

    `notes` tell what was done to get it, such as material that was cut to fit the model's context.
    """

    value: dict[str, Any] | None
    failure: str = ""
    notes: tuple[str, ...] = field(default_factory=tuple)


class LanguageModel(Protocol):
    """Anything that does tasks."""

    name: str

    def identity(self, task: str) -> str:
        """What a reply to this task depends on beside its fields: model, settings, prompt. Part of content keys."""
        ...

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        """A reply to each task, in the same order; raises `Unavailable` when the model can't be used at all."""
        ...


State = dict[str, npt.NDArray]  # what an embedding model learnt from the corpus
Hit = tuple[int, float]  # a chunk's number and its score


class Embedder(Protocol):
    """What every embedding model does."""

    def fit(self, texts: Callable[[], Iterable[str]]) -> State:
        """What the model has to learn before it can embed, from texts spread over the corpus; empty for a ready-made
        one."""
        ...

    def embed(self, texts: Sequence[str], state: State, kind: str = "passage") -> npt.NDArray[np.float32]:
        """Unit vectors, shape (len(texts), d); a text with no known word is all zeros.

        `kind` is "passage" or "query", for models that want the two told apart.
        """
        ...


class Reranker(Protocol):
    """A model that scores passages against a question."""

    def score(self, pairs: Sequence[tuple[str, Sequence[str]]]) -> list[list[float]]:
        """For each (question, passages) a score a passage, higher is better."""
        ...


class Searcher(Protocol):
    """What can be searched, in memory or on a server; a part that it does not have finds nothing.

    `condition` names the documents that may be found, None when all may; lists are of chunks, best first.
    """

    @property
    def identity(self) -> str:
        """What its lists depend on beside the query: the content key of its index."""
        ...

    def by_words(
        self, queries: Sequence[str], top: int, condition: frozenset[str] | None, how: WordSearch = ...
    ) -> list[list[Hit]]:
        """For each query the `top` chunks by their words; `how` says how a query is read."""
        ...

    def by_vectors(
        self, queries: npt.NDArray[np.float32], top: int, condition: frozenset[str] | None
    ) -> list[list[Hit]]:
        """For each row of shape (q, d) the `top` chunks by nearness of their vectors."""
        ...

    def document_frequency(self, term: str) -> int:
        """In how many index texts a stemmed term occurs."""
        ...

    def rarity(self, term: str) -> float:
        """The weight of a stemmed term by itself: ln(1 + N ÷ (n + ½)) with n of N index texts."""
        ...
