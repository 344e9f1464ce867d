"""What the offline answerer states of the needs of a test set, and how often it declines where it should.

    python benchmarks/answering.py WORKSPACE TESTSET [MODEL]

Each question is asked three times: of the passages that hold its evidence among the nearest others (five in all), of those that
hold it alone, and without them: of the five nearest others, and of five that are near to another question. A need is stated
where a quoted sentence holds its words, or the need 70 % of the sentence's. MODEL is the folder of an embedding model that
reads along (with the extra 'neural'). Prints one line.
"""

from __future__ import annotations

import random
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from aventrik.core.documents import Document
from aventrik.core.documents.spans import by_document
from aventrik.core.protocols import LanguageModel, Task
from aventrik.core.testsets import Need, Question
from aventrik.core.testsets.drafting.passages import Passages, places_of
from aventrik.core.testsets.hiding import hidden
from aventrik.english import OfflineModel
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.workspace.testsets import load_testset

ITEMS, LOOKED_AT, ENOUGH = 5, 30, 0.7
Contexts = tuple[list[dict[str, Any]], list[dict[str, Any]], list[dict[str, Any]]]


def main() -> None:
    """Asks, counts, prints."""
    folder, name = Path(sys.argv[1]), sys.argv[2]
    opened = OpenWorkspace(folder)
    questions = load_testset(opened.workspace.testset_path(name))
    rows = list(zip(questions, contexts(opened, questions)))
    model = _model(sys.argv[3]) if len(sys.argv) > 3 else OfflineModel()
    among, alone, needs = 0, 0, 0
    for question, (mixed, evidence, _) in rows:
        needs += len(question.needs)
        among += sum(_stated(need, _quotes(model, question, mixed)) for need in question.needs)
        alone += sum(_stated(need, _quotes(model, question, evidence)) for need in question.needs)
    near = sum(not _quotes(model, question, others) for question, (_, _, others) in rows)
    other = sum(
        not _quotes(model, question, rows[(place * 7 + 13) % len(rows)][1][2])
        for place, (question, _) in enumerate(rows)
    )
    print(
        f"{name}: states {among} of {needs} needs with the evidence among five passages, {alone} with it alone; declines "
        f"{near / len(rows):.0%} of the nearest passages without it, {other / len(rows):.0%} of those on another matter"
    )


def contexts(opened: OpenWorkspace, questions: Sequence[Question]) -> Iterator[Contexts]:
    """For each question the passages with its evidence among the nearest others, those alone, and the others."""
    names, fetch = sorted(opened.corpus.names()), opened.corpus.document
    places = [place for name in names for place in places_of(fetch(name))]
    hide = [quoted for question in questions for quoted in question.hide]
    masks = by_document(quoted.span for quoted in hide)
    passages = Passages.over(places, fetch, hide)
    kept: dict[str, Document] = {}

    def item(place: tuple[str, int, int]) -> dict[str, Any]:
        name, start, end = place
        if name not in kept:
            kept[name] = hidden(fetch(name), masks[name]) if name in masks else fetch(name)
        document = kept[name]
        source = " › ".join([document.title, *document.heading_path(start)])
        return {"source": source, "text": document.text[start:end]}

    def holds(place: tuple[str, int, int], need: Need) -> bool:
        return any(place[0] == q.doc and place[1] < q.end and q.start < place[2] for q in need.spans)

    for question in questions:
        hits = [places[number] for number, _ in passages.index.search(question.question, LOOKED_AT)]
        evidence: list[tuple[str, int, int]] = []
        for need in question.needs:
            if not any(holds(place, need) for place in evidence):
                evidence.extend([place for place in (*hits, *places) if holds(place, need)][:1])
        others = [place for place in hits if not any(holds(place, need) for need in question.needs)]
        mixed = [*evidence, *others[: max(0, ITEMS - len(evidence))]]
        random.Random(question.id).shuffle(mixed)
        yield tuple(_numbered([item(place) for place in few]) for few in (mixed, evidence, others[:ITEMS]))  # type: ignore[misc]


def _numbered(items: list[dict[str, Any]]) -> list[dict[str, Any]]:
    return [{"number": number, **item} for number, item in enumerate(items, 1)]


def _quotes(model: LanguageModel, question: Question, context: list[dict[str, Any]]) -> list[str]:
    [reply] = model.perform([Task("answer", {"question": question.question, "context": context, "style": "quote"})])
    return [quote for statement in (reply.value or {"statements": []})["statements"] for quote in statement["quotes"]]


def _stated(need: Need, quotes: Sequence[str]) -> bool:
    for wanted in (quoted.quote.lower().split() for quoted in need.spans):
        for quote in quotes:
            if len(set(wanted) & set(quote.lower().split())) >= ENOUGH * len(set(wanted)):
                return True
    return False


def _model(folder: str) -> LanguageModel:
    from aventrik.english.reading_model import ReadingModel
    from aventrik.models.local import LocalEmbedder

    return ReadingModel("reader", LocalEmbedder("reader", Path(folder), "", ""), lambda: folder)


if __name__ == "__main__":
    main()
