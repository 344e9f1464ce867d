"""From the items that are handed on to an answer and the verdicts on it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ...core.answering import Answer, answer
from ...core.context import Context, Served, within_budget
from ...core.criteria import Grade, grade
from ...core.criteria import joined as join_grades
from ...core.documents.spans import text_of
from ...core.judging import Agreement, Judgement, agreements, judge
from ...core.judging.joining import joined
from ...core.rewriting import rewrite
from ..inputs import Given
from .lists import named_source


@dataclass(frozen=True)
class AskingAgain:
    """In how many other wordings a question is asked again, and the style of the answers."""

    again: int
    style: str


@dataclass(frozen=True)
class Again:
    """(wording, answer) of other wordings of a question; and why there are none, if the wording failed."""

    answers: tuple[tuple[str, Answer], ...]
    failure: str = ""


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
    style, time = (
        (given.settings, 1) if isinstance(given.settings, str) else (given.settings.style, given.settings.time)
    )
    return answer(texts, contexts, style, given.models["answerer"], time)


def again(given: Given) -> list[Again]:
    """Answers to other wordings of each question, from the context that it has itself."""
    texts = [wording.text for wording in given["wording"]]
    how: AskingAgain = given.settings
    found = rewrite(texts, "paraphrases", how.again, given.models["answerer"])
    contexts = [each.items for each in given["context"]]
    rows = [(place, text) for place, queries in enumerate(found) for text in queries.texts[1:]]
    answers_ = answer(
        [text for _, text in rows], [contexts[place] for place, _ in rows], how.style, given.models["answerer"]
    )
    made: list[list[tuple[str, Answer]]] = [[] for _ in texts]
    for (place, text), each in zip(rows, answers_):
        made[place].append((text, each))
    return [Again(tuple(few), queries.failure) for few, queries in zip(made, found)]


def agreement(given: Given) -> list[Agreement]:
    """How far those answers agree with the answer to the question itself."""
    others = [each.answers for each in given["again"]]
    texts = [wording.text for wording in given["wording"]]
    return agreements(texts, given["answer"], others, given.models["judge"])


def verdicts(given: Given) -> list[Judgement]:
    """The judge's verdicts on each answer."""
    return judge(
        [wording.text for wording in given["wording"]],
        given["answer"],
        [found.items for found in given["context"]],
        given["reference"],
        given.models["judge"],
        given.inputs.get("first") or (),
    )


def grades(given: Given) -> list[Grade]:
    """What a judge gives each answer, or its context, by a criterion of the user's."""
    contexts = [found.items for found in given["context"]]
    return graded(given, contexts)


def graded(given: Given, contexts: Sequence[Sequence[Served] | None]) -> list[Grade]:
    """Grades by the criterion of the settings; where no answers are made, of contexts alone."""
    texts = [wording.text for wording in given["wording"]]
    answers_ = list(given["answer"]) if given["answer"] is not None else [Answer()] * len(texts)
    for at, judgement in enumerate(given["verdicts"] or ()):
        if judgement.declining == "wholly":
            answers_[at] = replace(answers_[at], declined=True)
    return grade(given.settings, texts, answers_, contexts, given["reference"], given.models["judge"])


def joined_verdicts(given: Given) -> list[Judgement]:
    """The judgements of several judges as one."""
    rows = zip(*given.inputs.values())
    return [joined(judgements, given.settings.way) for judgements in rows]


def joined_grades(given: Given) -> list[Grade]:
    """The grades of several judges as one."""
    return [join_grades(given.settings, some) for some in zip(*given.inputs.values())]
