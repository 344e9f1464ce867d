"""Drafting: from documents to checked questions."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from aventrik.core.documents import Document
from aventrik.core.documents.relocating import relocated
from aventrik.core.reading import read
from aventrik.core.testsets import Quoted
from aventrik.core.testsets.drafting import draft
from aventrik.core.testsets.drafting.brief import Brief
from aventrik.core.testsets.drafting.material import Material
from aventrik.core.testsets.drafting.sampling import spread
from aventrik.english import EnglishRules, OfflineModel

FILLER = "\n\n".join(
    f"Notice {n} tells of works near distance post {n * 7} on the {word} side of the basin."
    for n, word in enumerate("north south east west upper lower near far left right inner outer".split() * 3, 1)
)


def corpus(**texts: str) -> tuple[list[str], Callable[[str], Document]]:
    documents = {f"{name}.md": read(f"{name}.md", text.encode()) for name, text in texts.items()}
    return sorted(documents), documents.__getitem__


def test_questions_quote_their_evidence_and_are_numbered() -> None:
    names, fetch = corpus(a="Only the duty engineer may open the safety gates.", b=FILLER)
    made = draft(names, fetch, OfflineModel(), EnglishRules(), Brief(5, styles={"question": 1.0}))
    [question] = made.questions
    assert (question.id, question.question) == ("q0001", "Who may open the safety gates?")
    [quoted] = question.needs[0].spans
    assert fetch(quoted.doc).text[quoted.start : quoted.end] == quoted.quote


def test_the_same_fact_elsewhere_becomes_an_alternative_span() -> None:
    names, fetch = corpus(
        a="Only the duty engineer may open the safety gates.",
        b=FILLER + "\n\nIn a flood, only the duty engineer may open the safety gates.",
    )
    [question] = draft(names, fetch, OfflineModel(), EnglishRules(), Brief(1)).questions
    assert sorted(quoted.doc for quoted in question.needs[0].spans) == ["a.md", "b.md"]


def test_a_question_that_two_documents_answer_differently_is_dropped_and_told() -> None:
    names, fetch = corpus(
        a="The stay limit at Skelder Bridge is 48 hours.",
        b=FILLER + "\n\nThe stay limit at Skelder Bridge is 72 hours.",
    )
    made = draft(names, fetch, OfflineModel(), EnglishRules(), Brief(5, styles={"question": 1.0}))
    assert made.questions == []
    assert set(made.contested) <= {("a.md", "b.md"), ("b.md", "a.md")}
    assert sum(made.contested.values()) == 2


def test_the_same_seed_drafts_the_same_and_adding_asks_nothing_again() -> None:
    names, fetch = corpus(
        a="Only the duty engineer may open the safety gates.\n\nBooms are stored at Skelder and Oxmere.",
        b=FILLER + "\n\nThe chamber of Hexley Bottom Lock is 22 metres long.",
    )
    first = draft(names, fetch, OfflineModel(), EnglishRules(), Brief(2, seed=4))
    assert draft(names, fetch, OfflineModel(), EnglishRules(), Brief(2, seed=4)).questions == first.questions
    more = draft(names, fetch, OfflineModel(), EnglishRules(), Brief(5, seed=4), already=first.questions)
    assert [question.id for question in more.questions] == ["q0003"]
    assert {q.question for q in more.questions}.isdisjoint(q.question for q in first.questions)


def test_passages_are_spread_over_documents_before_any_gives_a_second() -> None:
    names, fetch = corpus(a=FILLER, b=FILLER, c="Short.")
    order = [passage.doc for passage in spread(names, fetch, seed=1)]
    assert sorted(order[:3]) == names
    assert len(order) > 4


def test_a_vague_question_is_dropped() -> None:
    names, fetch = corpus(a=FILLER)
    checker = Material.over(names, fetch).checker
    outcome = checker.check("What is the works notice?", "A notice.", Quoted("a.md", 0, 10, ""))
    assert "vague" in outcome.reason


@pytest.mark.parametrize(
    ("quote", "text", "where"),
    [
        ("the gate", "open the gate now", (5, 13)),
        ("the  gate", "open the\ngate now", (5, 13)),
        ("keeper’s hut", "the keeper's hut", (4, 16)),
        ("gone", "open the gate now", None),
    ],
)
def test_quotes_are_found_again(quote: str, text: str, where: tuple[int, int] | None) -> None:
    found = relocated(quote, -1, -1, text)
    assert (found.place if found else None) == where


def test_of_two_places_the_nearest_to_the_old_one_is_taken() -> None:
    text = "gate " * 10
    found = relocated("gate", 21, 25, text)
    assert found is not None
    assert found.place == (20, 24)
