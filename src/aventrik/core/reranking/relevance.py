"""Puts candidates first that a language model calls relevant: yes or no, or by grades; equal ones keep their order."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ..protocols import Task
from . import Item, Refined, StepMeans


def apply(
    questions: Sequence[str], items: Sequence[Sequence[Item]], means: StepMeans, keep: int, scale: str
) -> list[Refined]:
    """Asks about the first `keep` candidates of each question; those behind keep their order behind the rest.

    With the scale "yes-no" a score is 2 for relevant and 0 for not relevant; "graded" asks how far the passage answers,
    and a score is that level, 0 to 3. A reply that failed counts as no opinion: 1. One that was not asked about has −1.
    """
    asked = [(place, item) for place, row in enumerate(items) for item in row[:keep]]
    graded = scale == "graded"
    make = _graded if graded else _yes_no
    tasks = [make(questions[place], item, means.wording) for place, item in asked]
    assert means.language is not None
    replies = iter(means.language.perform(tasks))
    ranked: list[Refined] = []
    for place, row in enumerate(items):
        scored = []
        for item in row[:keep]:
            reply = next(replies)
            if reply.value is None:
                means.failures[place] = reply.failure
                score = 1.0
            else:
                score = float(reply.value["level"]) if graded else 2.0 * bool(reply.value["relevant"])
            scored.append(replace(item, score=score))
        scored.sort(key=lambda item: -item.score)
        ranked.append(scored + [replace(item, score=-1.0) for item in row[keep:]])
    return ranked


def _yes_no(question: str, item: Item, wording: str) -> Task:
    return Task("relevance", {"question": question, "passage": item.text}, wording)


def _graded(question: str, item: Item, wording: str) -> Task:
    title, *headings = item.source.split(" › ")
    fields = {"question": question, "title": title, "headings": headings, "passage": item.text}
    return Task("answered", fields, wording)
