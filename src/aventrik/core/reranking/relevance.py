"""Puts candidates first that a language model calls relevant: yes or no, with the old order inside each group."""

from __future__ import annotations

from collections.abc import Sequence

from ..protocols import Task
from . import Item, Means, Refined


def apply(questions: Sequence[str], items: Sequence[Sequence[Item]], means: Means, keep: int) -> list[Refined]:
    """Asks about the first `keep` candidates of each question; those behind keep their order behind the rest.

    A reply that failed counts as no opinion: the candidate stays between the two groups. Scores are 2 for
    relevant, 1 for no opinion, 0 for not relevant, and -1 for not asked.
    """
    asked = [(place, item) for place, row in enumerate(items) for item in row[:keep]]
    tasks = [Task("relevance", {"question": questions[place], "passage": item.text}) for place, item in asked]
    assert means.language is not None
    replies = iter(means.language.perform(tasks))
    ranked: list[Refined] = []
    for place, row in enumerate(items):
        scored = []
        for item in row[:keep]:
            reply = next(replies)
            if reply.value is None:
                means.failures[place] = reply.failure
            scored.append((item.chunk, 1.0 if reply.value is None else 2.0 * bool(reply.value["relevant"])))
        scored.sort(key=lambda pair: -pair[1])
        ranked.append(scored + [(item.chunk, -1.0) for item in row[keep:]])
    return ranked
