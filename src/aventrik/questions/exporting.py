"""Test sets as tables, a line a question, and in the form of the Text Retrieval Conference (TREC)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..core.documents import Document
from ..core.testsets import Question, Quoted
from ..execution.corpus import Corpus

_AROUND = 600  # characters of the section around a quote that are given with it


def rows_of(questions: Sequence[Question], corpus: Corpus) -> list[dict[str, Any]]:
    """A row a question: the text around its evidence, question, answer, and where the first span of each need is."""
    known = set(corpus.names(left_out=True))
    held: dict[str, Document] = {}
    rows = []
    for question in questions:
        spans = [need.spans[0] for need in question.needs]
        places = [_place(quoted, held, known, corpus) for quoted in spans]
        rows.append(
            {
                "id": question.id,
                "context": "\n…\n".join(place["context"] for place in places),
                "question": question.question,
                "answer": question.answer,
                "quote": "\n".join(quoted.quote for quoted in spans),
                "document": "\n".join(dict.fromkeys(quoted.doc for quoted in spans)),
                "page": "\n".join(dict.fromkeys(place["page"] for place in places if place["page"])),
                "heading": "\n".join(dict.fromkeys(place["heading"] for place in places if place["heading"])),
                "kind": question.kind,
                "status": question.status,
                "by": question.by,
                "style": str(question.meta.get("style", "")),
                "tags": ", ".join(question.tags),
            }
        )
    return rows


def _place(quoted: Quoted, held: dict[str, Document], known: set[str], corpus: Corpus) -> dict[str, str]:
    if quoted.doc not in known or quoted.start < 0:
        return {"context": quoted.quote, "page": "", "heading": ""}
    if quoted.doc not in held:
        held[quoted.doc] = corpus.document(quoted.doc)
    document = held[quoted.doc]
    start, end = document.section(quoted.start)
    left, right = max(start, quoted.start - _AROUND), min(max(end, quoted.end), quoted.end + _AROUND)
    pages = [part.label for part in document.of_kind("page") if part.start <= quoted.start < part.end]
    return {
        "context": document.text[left:right].strip(),
        "page": pages[0] if pages else "",
        "heading": " > ".join(document.heading_path(quoted.start)),
    }


def topics_of(questions: Sequence[Question]) -> str:
    """The questions as TREC topics."""
    return "".join(
        f"<top>\n<num> Number: {question.id}\n<title> {' '.join(question.question.split())}\n"
        f"<desc> Description:\n{' '.join(question.question.split())}\n"
        f"<narr> Narrative:\n{' '.join(question.answer.split())}\n</top>\n\n"
        for question in questions
    )


def qrels_of(questions: Sequence[Question]) -> str:
    """TREC qrels: a line for each document that holds evidence of a question: topic, 0, document, 1. White space in a
    document's name becomes '_', since it parts the columns."""
    return "".join(
        f"{question.id} 0 {'_'.join(doc.split())} 1\n"
        for question in questions
        for doc in sorted({quoted.doc for need in question.needs for quoted in need.spans})
    )
