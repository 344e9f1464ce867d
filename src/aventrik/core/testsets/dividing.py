"""Test sets taken apart and put together: halves without a document in common, samples, unions without repeats."""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import replace

from . import Question


def split(questions: Sequence[Question], share: float, seed: int = 0) -> tuple[list[Question], list[Question]]:
    """Two parts, the first of about `share` (0 to 1) of the questions. All questions that rest on a document go to the
    same part, so that nothing learnt on the one is asked again on the other."""
    parent: dict[str, str] = {}

    def root(name: str) -> str:
        while parent.setdefault(name, name) != name:
            parent[name] = parent[parent[name]]
            name = parent[name]
        return name

    for question in questions:
        names = [question.id + "\0", *(quoted.doc for need in question.needs for quoted in need.spans)]
        for name in names[1:]:
            parent[root(name)] = root(names[0])
    groups: dict[str, list[Question]] = {}
    for question in questions:
        groups.setdefault(root(question.id + "\0"), []).append(question)
    order = list(groups.values())
    random.Random(f"split {seed}").shuffle(order)
    order.sort(key=len, reverse=True)
    wanted = share * len(questions)
    first: set[str] = set()
    for group in order:
        if abs(len(first) + len(group) - wanted) <= abs(len(first) - wanted):
            first.update(question.id for question in group)
    return [q for q in questions if q.id in first], [q for q in questions if q.id not in first]


def sample(questions: Sequence[Question], count: int, seed: int = 0) -> list[Question]:
    """`count` of the questions by lot, in their order; all where there are no more."""
    chosen = set(random.Random(f"sample {seed}").sample(range(len(questions)), min(count, len(questions))))
    return [question for place, question in enumerate(questions) if place in chosen]


def merged(sets: Sequence[Sequence[Question]]) -> list[Question]:
    """All questions of several sets, each once (by its key); an id that is taken gets a number behind it."""
    found: list[Question] = []
    keys: set[str] = set()
    names: set[str] = set()
    for questions in sets:
        for question in questions:
            if question.key in keys:
                continue
            name, number = question.id, 2
            while name in names:
                name, number = f"{question.id}-{number}", number + 1
            keys.add(question.key)
            names.add(name)
            found.append(replace(question, id=name))
    return found
