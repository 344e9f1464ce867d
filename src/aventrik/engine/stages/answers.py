"""From the items that are handed on to an answer and the verdicts on it."""

from __future__ import annotations

from ...core.answering import Answer, answer
from ...core.context import Context, Served, within_budget
from ...core.documents.spans import text_of
from ...core.judging import Judgement, judge
from ..given import Given
from .listed import named_source


def context(given: Given) -> list[Context]:
    """What the answering model is shown."""
    keep, budget = given.settings.keep, given.settings.budget
    table, documents = given["chunks"], given["documents"]
    made = []
    for served in given["served"]:
        first = served.items[:keep]
        kept = first[: within_budget([item.tokens for item in first], keep, budget)]
        made.append(
            Context(
                tuple(
                    Served(
                        number,
                        " › ".join(named_source(documents, item.doc, table.ranges(item.chunk))),
                        text_of(documents[item.doc].text, item.ranges),
                        item.tokens,
                        item.doc,
                        item.ranges,
                    )
                    for number, item in enumerate(kept, 1)
                )
            )
        )
    return made


def answers(given: Given) -> list[Answer]:
    """The answer to each question from its context."""
    texts = [wording.text for wording in given["wording"]]
    contexts = [found.items for found in given["context"]]
    return answer(texts, contexts, given.settings, given.models["answerer"])


def verdicts(given: Given) -> list[Judgement]:
    """The judge's verdicts on each answer."""
    return judge(
        [wording.text for wording in given["wording"]],
        given["answer"],
        [found.items for found in given["context"]],
        given["reference"],
        given.models["judge"],
    )
