"""Rewriting: several ways of it joined, what the documents say that terms mean, and how far a rewrite has drifted."""

from __future__ import annotations

from collections.abc import Sequence

import pytest

from aventrik.core.documents import Document
from aventrik.core.protocols import TASKS, Reply, Task
from aventrik.core.reading import read
from aventrik.core.rewriting import METHODS, MOST_LETTERS, Posed, Queries, joined, rewrite, settings_of
from aventrik.core.rewriting.drift import QueriesFound, changes, likenesses
from aventrik.core.rewriting.glossary import Glossary, GlossaryEntry, abbreviations, definitions, lines
from aventrik.core.searching import Searching, fuse
from aventrik.core.text.names import names_in
from aventrik.english import OfflineModel


class Saying:
    """A language model that says the same to every task."""

    name = "saying"

    def __init__(self, value: dict | None, failure: str = "") -> None:
        self.value, self.failure = value, failure
        self.tasks: list[Task] = []

    def identity(self, task: str) -> str:
        return "saying"

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        self.tasks.extend(tasks)
        return [Reply(self.value, self.failure) for _ in tasks]


def test_every_method_has_a_task_whose_fields_it_gives() -> None:
    posed = Posed("What does a key cost?", ("And a licence?",), ("key: a bridge key",))
    for name, method in METHODS.items():
        model = OfflineModel()
        [queries] = rewrite([posed], name, method.count, model)
        assert queries.texts[0] == posed.question
        speaker = Saying(None, "no reply")
        [failed] = rewrite([posed], name, method.count, speaker)
        assert failed == Queries((posed.question,), "no reply")
        assert set(speaker.tasks[0].fields) == set(TASKS[method.task])


def test_a_conversation_without_turns_and_a_question_outside_the_glossary_ask_nobody() -> None:
    speaker = Saying({"question": "x"})
    assert rewrite(["q"], "conversation", 0, speaker) == [Queries(("q",))]
    assert rewrite(["q"], "expanded", 0, speaker) == [Queries(("q",))]
    assert speaker.tasks == []


def test_rewrites_are_kept_once_without_the_question_and_a_long_one_is_cut_behind_a_word() -> None:
    speaker = Saying({"paraphrases": ["q", " a ", "a", "", "b", "c"]})
    [queries] = rewrite(["q"], "paraphrases", 2, speaker, "own $question $count")
    assert queries.texts == ("q", "a", "b")
    assert speaker.tasks[0].wording == "own $question $count"
    [long] = rewrite(["q"], "hypothetical", 0, Saying({"passage": "word " * 2000}))
    assert len(long.texts[1]) <= MOST_LETTERS
    assert long.texts[1].endswith("word")
    [unbroken] = rewrite(["q"], "hypothetical", 0, Saying({"passage": "x" * 10_000}))
    assert len(unbroken.texts[1]) == MOST_LETTERS


def test_several_rewritings_are_joined_in_order_each_text_once() -> None:
    made = joined(
        "q", [Queries(("q", "a", "b")), Queries(("q", "b", "c"), "no reply"), Queries(("x", "q"), "no reply")]
    )
    assert made == Queries(("q", "a", "b", "c"), "no reply", (0, 1, 1, 2))
    assert [made.origin(n) for n in range(4)] == [0, 1, 1, 2]
    assert [Queries(("q", "a", "b")).origin(n) for n in range(3)] == [0, 1, 1]


def test_settings_have_their_defaults() -> None:
    assert settings_of({"method": "paraphrases", "weight": 2}) == {"count": 3, "weight": 2, "least": 0.0}
    assert settings_of({"method": "broader"}) == {"weight": 1.0, "least": 0.0}


def test_offline_the_question_behind_the_question_loses_the_case_and_keywords_lose_the_asking() -> None:
    model = OfflineModel()
    [broader] = rewrite(["how long can my 14 m boat moor at Oxmere?"], "broader", 0, model)
    assert "14" not in broader.texts[1]
    assert "Oxmere" not in broader.texts[1]
    assert "moor" in broader.texts[1]
    [words] = rewrite(["could you tell me what a bridge key costs"], "keywords", 0, model)
    assert words.texts[1] == "bridge key costs"
    [nothing] = rewrite(["what is it?"], "keywords", 0, model)
    assert len(nothing.texts) <= 2


def doc(text: str, name: str = "a.md") -> Document:
    return read(name, text.encode())


@pytest.mark.parametrize(
    ("sentence", "short", "long"),
    [
        ("The Water Balance Deficit (WBD) is told daily.", "WBD", "Water Balance Deficit"),
        ("It is set by the mooring warden of the arm (MWA).", "MWA", "mooring warden of the arm"),
        ("A boat (see below) may stay.", "", ""),
        ("Nothing here fits (XQZ) at all.", "", ""),
        ("Call us (A) now.", "", ""),
    ],
)
def test_long_forms_of_abbreviations(sentence: str, short: str, long: str) -> None:
    found = list(abbreviations(sentence))
    assert [(entry.term, entry.meaning) for entry in found] == ([(short, long)] if short else [])


def test_definitions_of_a_document() -> None:
    found = {entry.term: entry.meaning for entry in definitions(doc(
        "# Rules\n\nA winding hole means a place where a long boat can turn. Small boats are also called punts.\n\n"
        "## Glossary\n\npound: the water between two locks\n\nStoppage – a closure for repairs\n\n"
        "| Term | Meaning |\n|---|---|\n| cill | the sill under the upper gate |\n"
    ))}  # fmt: skip
    assert found["winding hole"] == "a place where a long boat can turn"
    assert found["pound"] == "the water between two locks"
    assert found["Stoppage"] == "a closure for repairs"
    assert found["cill"] == "the sill under the upper gate"
    assert found["punts"] == "Small boats"
    assert definitions(Document("a.md", "")) == []
    assert definitions(doc("This means that it is late. It: a thing.")) == []


def test_a_glossary_is_asked_by_the_words_of_a_question() -> None:
    glossary = Glossary(
        [
            GlossaryEntry("WBD", "Water Balance Deficit", True),
            GlossaryEntry("winding hole", "a place where a boat can turn"),
        ]
        * 2
        + [GlossaryEntry("wbd", "something said once", True)]
    )
    assert [entry.term for entry in glossary.about("what is the wbd at the winding holes")] == ["WBD", "winding hole"]
    assert [entry.term for entry in glossary.about("how is the water balance deficit reckoned")] == ["WBD"]
    assert glossary.about("a hole for winding") == []
    assert lines("what is the WBD?", glossary.about("what is the WBD?")) == ["WBD: Water Balance Deficit"]
    [queries] = rewrite([Posed("what is the WBD?", (), ("WBD: Water Balance Deficit",))], "expanded", 0, OfflineModel())
    assert queries.texts[1] == "what is the WBD? (Water Balance Deficit)"
    [short] = rewrite(
        [Posed("the water balance deficit?", (), ("WBD: Water Balance Deficit",))], "expanded", 0, OfflineModel()
    )
    assert short.texts[1] == "the water balance deficit? (WBD)"


def test_names_and_figures_that_a_rewrite_loses_and_adds() -> None:
    assert changes("Can a 14.0 m boat pass Hexley Lock?", "may a boat of 14 m pass hexley lock on 3 June") == (
        (),
        ("June", "3"),
    )
    assert changes("Fee at Oxmere for 2 boats", "mooring fee") == (("Oxmere", "2"), ())
    assert names_in("The gate. Open at Oxmere, says WBD-2") == ["Oxmere", "WBD"]


PASSAGES = {
    0: frozenset("heron weir swan reed".split()),
    1: frozenset("weir swan".split()),
    2: frozenset("piano swan melodi".split()),
}


def test_likeness_by_hand() -> None:
    """Every term weighs 1. 'weir swan' is wholly at home in the question and its passages, and one passage holds it
    whole; of 'piano swan melody' one term of three is at home, and passage 2 holds it whole."""
    texts = ["heron swan weir", "weir swan", "piano swan melody"]
    found = QueriesFound([[0, 1], [1], [2]], None)
    one, other = likenesses(texts, found, PASSAGES.__getitem__, lambda term: 1.0)
    assert one == pytest.approx((1 + 1) / 2)
    assert other == pytest.approx((1 / 3 + 1) / 2, abs=1e-4)
    near = QueriesFound([[0, 1], [1], [2]], [0.8, 0.9, 0.2])
    one, other = likenesses(texts, near, PASSAGES.__getitem__, lambda term: 1.0)
    assert one == pytest.approx(1.0)  # its nearest is nearer than the question's: at most 1
    assert other == pytest.approx((1 / 3 + 1 + 0.25) / 3, abs=1e-4)
    named = likenesses(
        ["the Oxmere swan", "an Oxmere piano"], QueriesFound([[], []]), PASSAGES.__getitem__, lambda term: 1.0
    )
    assert named == [pytest.approx(1.5 / 2.5 / 2)]  # a name weighs half as much more


def test_likeness_of_nothing() -> None:
    found = QueriesFound([[0], [], []], [0.0, 0.0, 0.0])
    assert likenesses(["heron", "the of", "piano"], found, PASSAGES.__getitem__, lambda term: 1.0) == [0.0, 0.0]
    assert likenesses(["heron"], QueriesFound([[0]]), PASSAGES.__getitem__, lambda term: 1.0) == []


def test_lists_are_weighed_and_those_of_dropped_rewrites_left_out() -> None:
    """Ranks, constant 60: chunk 1 has 1/61 from the question, chunk 2 has w/61 from the rewrite."""
    words = [[(1, 9.0)], [(2, 9.0)]]
    even = fuse(words, [], Searching(), [1.0, 1.0]).found
    assert [each.chunk for each in even] == [1, 2]
    heavy = fuse(words, [], Searching(), [1.0, 3.0]).found
    assert [(each.chunk, each.score) for each in heavy] == [(2, round(3 / 61, 6)), (1, round(1 / 61, 6))]
    assert heavy[1].keyword_rank == 1  # ranks are those of the question
    assert heavy[0].keyword_rank is None
    alone = fuse(words, [], Searching(), [1.0, 0.0]).found
    assert [(each.chunk, each.score) for each in alone] == [(1, 9.0)]
    both = fuse(words, [[(3, 0.5)], [(4, 0.5)]], Searching(weight=0.25), [1.0, 2.0]).found
    assert {each.chunk: each.score for each in both} == pytest.approx(
        {1: 1.5 / 61, 2: 3 / 61, 3: 0.5 / 61, 4: 1 / 61}, abs=1e-6
    )
    assert Searching(weights=(2.0, 0.5)).of_origin(2) == 0.5
    assert Searching().of_origin(2) == 1.0
