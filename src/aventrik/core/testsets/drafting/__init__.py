"""A test set from a corpus: passages are sampled, questions written by a model, and each one checked."""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from ...documents import Document
from ...protocols import LanguageModel, Task
from ...text import content_terms
from .. import Need, Question, Quoted, placed
from .checking import Checker
from .sampling import Passage, spread

_BATCH = 16
_TABLE_SHARE = 0.25
_PER_PASSAGE = 2  # at first; the rest of what was written is used when the corpus gives no more


@dataclass
class Draft:
    """The questions kept, and how many were dropped for which reason."""

    questions: list[Question] = field(default_factory=list)
    dropped: Counter[str] = field(default_factory=Counter)
    passages: int = 0
    contested: Counter[tuple[str, str]] = field(default_factory=Counter)


def draft(
    names: Sequence[str],
    fetch: Callable[[str], Document],
    model: LanguageModel,
    count: int,
    seed: int = 0,
    already: Sequence[Question] = (),
    progress: Callable[[int], None] = lambda done: None,
) -> Draft:
    """Up to `count` checked questions from the documents `names`, spread over them; fewer when no more are good.

    `already` are questions of an earlier draft: none of them is asked again. Tables give at most a quarter.
    """
    made = Draft()
    checker = Checker.over(fetch(name) for name in names)
    asked = {_gist(question.question) for question in already}
    first = 1 + max((int(q.id[1:]) for q in already if q.id[:1] == "q" and q.id[1:].isdigit()), default=0)
    tables = 0

    def take(passage: Passage, offered: list[Mapping[str, str]], most: int) -> None:
        """Up to `most` good ones of the offered questions, which are taken off the list as they are looked at."""
        nonlocal tables
        taken = 0
        while offered and taken < most and len(made.questions) < count:
            item = offered.pop()
            if item["kind"] == "table" and tables >= max(1, _TABLE_SHARE * count):
                continue
            question = _checked(item, passage, fetch, checker, asked, made)
            if question is not None:
                made.questions.append(_finished(question, f"q{first + len(made.questions):04d}", model.name))
                asked.add(_gist(question.question))
                tables += question.kind == "table"
                taken += 1

    kept_back: list[tuple[Passage, list[Mapping[str, str]]]] = []
    for batch in _batches(spread(names, fetch, seed)):
        replies = model.perform([Task("questions", passage.fields) for passage in batch])
        for passage, reply in zip(batch, replies):
            made.passages += 1
            if reply.value is None:
                made.dropped["the writer failed"] += 1
                continue
            offered = list(reply.value["questions"])
            random.Random(f"{seed} {passage.doc} {passage.start}").shuffle(offered)
            take(passage, offered, _PER_PASSAGE)
            kept_back.append((passage, offered))
            progress(len(made.questions))
        if len(made.questions) >= count:
            return made
    for passage, offered in kept_back:
        take(passage, offered, len(offered))
    return made


def _gist(question: str) -> frozenset[str]:
    """What two wordings of one question share."""
    return frozenset(content_terms(question))


def _batches(passages: Iterator[Passage]) -> Iterator[list[Passage]]:
    batch: list[Passage] = []
    for passage in passages:
        batch.append(passage)
        if len(batch) == _BATCH:
            yield batch
            batch = []
    if batch:
        yield batch


def _checked(
    item: Mapping[str, str],
    passage: Passage,
    fetch: Callable[[str], Document],
    checker: Checker,
    asked: set[frozenset[str]],
    made: Draft,
) -> Question | None:
    """The question with its need and all its alternative spans, or None with the reason counted."""
    if _gist(item["question"]) in asked:
        made.dropped["asked already"] += 1
        return None
    text = fetch(passage.doc).text
    quoted = placed(Quoted(passage.doc, passage.start, passage.start + 1, item["quote"]), text)
    if quoted is None:
        made.dropped["its quote is not in the passage"] += 1
        return None
    outcome = checker.check(item["question"], item["answer"], quoted)
    if outcome.reason:
        made.dropped[outcome.reason] += 1
        if outcome.rival:
            made.contested[passage.doc, outcome.rival] += 1
        return None
    need = Need(item["quote"], (quoted, *outcome.alternatives))
    tags = passage.headings[-1:] if passage.headings else ()
    return Question("", item["question"], item["answer"], (need,), item["kind"], tags=tags)


def _finished(question: Question, number: str, by: str) -> Question:
    return Question(
        number, question.question, question.answer, question.needs, question.kind, "draft", by, question.tags
    )
