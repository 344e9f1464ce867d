"""A draft by a writer that is asked: what it is told, what of its replies is kept, and what it costs."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from typing import Any

from aventrik.core.documents import Document
from aventrik.core.protocols import Reply, Task
from aventrik.core.reading import read
from aventrik.core.testsets.drafting import Draft, draft
from aventrik.core.testsets.drafting.brief import Brief
from aventrik.english import EnglishRules

FACTS = {
    "stay": "A boat may stay at a visitor mooring for 48 hours in the summer months of the year.",
    "key": "A bridge key costs 12 pounds and is sold at the help desk to everybody who has a licence.",
    "dog": "Dogs must be on a lead within 100 metres of a lock or of a field with lambs in it.",
}


class Writer:
    """Answers each task by a function of its fields, and remembers what it was asked."""

    name = "asked"

    def __init__(self, **tasks: Callable[[dict[str, Any]], dict[str, Any] | None]) -> None:
        self.tasks = tasks
        self.asked: list[Task] = []

    def identity(self, task: str) -> str:
        return task

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        self.asked.extend(tasks)
        return [
            Reply(self.tasks[task.name](dict(task.fields)), "" if task.name in self.tasks else "no") for task in tasks
        ]

    def count(self) -> Counter[str]:
        return Counter(task.name for task in self.asked)


def corpus() -> tuple[list[str], Callable[[str], Document]]:
    documents = {
        f"{name}.md": read(f"{name}.md", f"# About a {name}\n\n{text}\n".encode()) for name, text in FACTS.items()
    }
    return sorted(documents), documents.__getitem__


def fit(fields: dict[str, Any]) -> dict[str, Any]:
    return {"reason": "it tells something", "grade": 2}


def questions(fields: dict[str, Any]) -> dict[str, Any]:
    text = fields["passage"].split("\n")[-1]
    first = {
        "question": f"somebody asks about the {fields['title'].split()[-1]} thing?",
        "answer": text,
        "quotes": [text],
        "kind": "passage",
    }
    return {"problems": ["a problem"], "questions": [first]}


def nothing(fields: dict[str, Any]) -> dict[str, Any]:
    return {"said": "", "questions": [], "known": False, "answer": "", "declined": True, "statements": []}


PLAIN: dict[str, Any] = {
    "fitness": fit, "questions": questions, "joined": nothing, "unanswered": nothing, "known": nothing, "answer": nothing,
}  # fmt: skip


def made(brief: Brief, judge: Any = None, **tasks: Any) -> tuple[Draft, Writer]:
    writer = Writer(**{**PLAIN, **tasks})
    return draft(*corpus(), writer, EnglishRules(), brief, judge=judge), writer


def test_the_writer_is_told_audience_examples_and_words_to_avoid() -> None:
    brief = Brief(3, audience="boaters", examples=tuple(f"example {n}?" for n in range(20)))
    found, writer = made(brief)
    assert len(found.questions) == 3
    assert {q.by for q in found.questions} == {"asked"}
    task = next(task for task in writer.asked if task.name == "questions")
    assert task.fields["audience"] == "boaters"
    assert len(task.fields["examples"]) == 8
    assert task.fields["kind"] == "any"
    assert task.fields["avoid"]
    assert set(task.fields["avoid"]) <= set(task.fields["passage"].replace(".", "").split())


def test_each_quote_is_a_need_at_its_place() -> None:
    found, _ = made(Brief(3))
    _names, fetch = corpus()
    for question in found.questions:
        [need] = question.needs
        assert fetch(need.spans[0].doc).text[need.spans[0].start : need.spans[0].end] == need.spans[0].quote
        assert question.meta["rule"] == "prompt"
        assert not question.hide


def test_passages_that_the_model_grades_low_are_not_asked_about() -> None:
    def low(fields: dict[str, Any]) -> dict[str, Any]:
        return {"reason": "only dogs", "grade": 0 if "Dogs" in fields["passage"] else 3}

    found, writer = made(Brief(5), fitness=low)
    assert {q.needs[0].spans[0].doc for q in found.questions} == {"key.md", "stay.md"}
    assert ("dog.md", 0, "graded 0 of 3: only dogs") in [(doc, 0, reason) for doc, _, reason in found.passed_over]
    assert [row[3] for row in found.grades].count(0) == 1
    assert writer.count()["questions"] == 2


def test_questions_that_lean_on_the_passage_or_add_a_figure_are_dropped_with_the_reason() -> None:
    def bad(fields: dict[str, Any]) -> dict[str, Any]:
        text = fields["passage"].split("\n")[-1]
        rows = [
            ("What does this section say about boats?", text, text),
            ("How long can I stay there with my boat?", "72 hours.", text),
            ("How long can I stay there with a barge?", "48 hours.", "This quote stands nowhere at all."),
        ]
        return {
            "questions": [{"question": q, "answer": a, "quotes": [quote], "kind": "one-fact"} for q, a, quote in rows]
        }

    found, _ = made(Brief(5), questions=bad)
    assert found.questions == []
    assert set(found.reasons) == {
        "it leans on a passage that is not there", "the figure 72 of its answer is not in its evidence",
        "its quote is not in the passage",
    }  # fmt: skip


def test_a_question_that_is_answered_without_documents_is_marked_known() -> None:
    def known(fields: dict[str, Any]) -> dict[str, Any]:
        return {"known": "dog" in fields["question"], "answer": "On a lead."}

    found, writer = made(Brief(3), known=known, stated=lambda fields: {"stated": [True]})
    assert [q.needs[0].spans[0].doc for q in found.questions if q.meta.get("known")] == ["dog.md"]
    assert writer.count()["stated"] == 1


def test_joined_questions_need_both_passages_and_unanswerable_ones_are_tried() -> None:
    def both(fields: dict[str, Any]) -> dict[str, Any]:
        first, second = (fields[name].split("\n")[-1] for name in ("first", "second"))
        return {
            "questions": [
                {
                    "question": f"what of {first[:9]} and of {second[:9]}?",
                    "answer": first,
                    "firstquotes": [first],
                    "secondquotes": [second],
                }
            ]
        }

    def near(fields: dict[str, Any]) -> dict[str, Any]:
        return {
            "said": "x",
            "questions": [{"question": f"who built the {fields['title'].split()[-1]} thing?", "missing": "who"}],
        }

    def answers(fields: dict[str, Any]) -> dict[str, Any]:
        assert fields["context"]
        return {"declined": "dog" not in fields["question"], "statements": []}

    brief = Brief(6, kinds={"joined": 0.5, "unanswerable": 0.5})
    found, _ = made(brief, joined=both, unanswered=near, answer=answers)
    kinds = {kind: [q for q in found.questions if q.kind == kind] for kind in ("joined", "unanswerable")}
    assert kinds["joined"]
    assert all(len({n.spans[0].doc for n in q.needs}) == 2 for q in kinds["joined"])
    assert kinds["unanswerable"]
    assert not any("dog" in q.question for q in kinds["unanswerable"])
    assert all(not q.needs and q.meta["near"] for q in kinds["unanswerable"])


def test_a_sentence_elsewhere_that_says_otherwise_drops_the_question_and_one_that_agrees_is_a_place_more() -> None:
    texts = {
        "a.md": FACTS["stay"],
        "b.md": FACTS["stay"].replace("48", "24"),
        "c.md": FACTS["key"],
        "d.md": "Note: " + FACTS["key"],
    }
    documents = {name: read(name, f"# {name[0]} notes\n\n{text}\n".encode()) for name, text in texts.items()}
    judge = Writer(
        verdict=lambda fields: {
            "verdicts": [
                {
                    "verdict": "contradicted"
                    if ("48" in fields["claims"][0]) != ("48" in fields["context"][0]["text"])
                    else "supported"
                }
            ]
        }
    )
    found = draft(sorted(documents), documents.__getitem__, Writer(**PLAIN), EnglishRules(), Brief(9), judge=judge)
    assert {q.needs[0].spans[0].doc for q in found.questions} <= {"c.md", "d.md"}
    assert {span.doc for q in found.questions for span in q.needs[0].spans} == {"c.md", "d.md"}
    assert [(each.doc, each.rival_doc) for each in found.dropped if each.rival] != []


def test_a_writer_that_fails_is_told_and_nothing_else_is_lost() -> None:
    def some(fields: dict[str, Any]) -> dict[str, Any] | None:
        return None if "Dogs" in fields["passage"] else questions(fields)

    found, _ = made(Brief(3), questions=some)
    assert len(found.questions) == 2
    assert found.reasons["the writer failed"] == 1
