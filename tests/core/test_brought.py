"""What another system gave: texts found again in documents, answers that decline, grades by criteria, spreads."""

from __future__ import annotations

import random

import pytest

from aventrik.core.answering import Answer
from aventrik.core.brought import Brought, BroughtItem, answer_of, items_of
from aventrik.core.brought.recognising import recognised, repeated_names
from aventrik.core.comparing.sides import Side, best_of, kind_of, less_is_better
from aventrik.core.comparing.spread import moved, spreads
from aventrik.core.context import Served
from aventrik.core.criteria import Criterion, Grade, Level, grade, joined
from aventrik.core.judging import Reference
from aventrik.core.measures import Measure
from aventrik.core.reading import read
from aventrik.core.wording.refusals import declines
from aventrik.english import OfflineModel
from aventrik.english.judging import patterns

LOCKS = "# Locks\n\nThe gate at Hexley is open from 8 am to 6 pm.\nBoats over 12 m wind in the basin — always.\n"
FEES = "A berth costs £12 a night in the summer, and £8 in the winter, at every mooring of the Navigation.\n"


def places(text: str, *documents: str) -> list[str]:
    [found] = recognised([text], [(f"d{n}", each) for n, each in enumerate(documents)])
    return [] if found is None else [documents[int(found.doc[1:])][start:end] for start, end in found.ranges]


def test_a_text_is_found_whatever_was_done_to_its_white_space_case_and_marks() -> None:
    told = "THE GATE AT HEXLEY is   open from 8 am\n\nto 6 pm. Boats over 12 m wind in the basin - always"
    assert places(told, FEES, LOCKS) == [LOCKS[9:-1]]
    assert places("Opening\n\nThe gate at Hexley is open from 8 am to 6 pm.", LOCKS) == [LOCKS[9:54]]


def test_a_text_with_something_left_out_in_the_middle_is_found_in_two_ranges() -> None:
    told = "A berth costs £12 a night in the summer, … every mooring of the Navigation."
    assert places(told, FEES) == ["A berth costs £12 a night in the summer,", "every mooring of the Navigation."]


def test_what_stands_nowhere_or_for_less_than_half_is_not_found() -> None:
    assert places("Nothing of this was ever written in any document of theirs", LOCKS, FEES) == []
    assert places("The gate at Hexley is open from 8 " + "and much more that nobody has said " * 3, LOCKS) == []
    assert places("", LOCKS) == []
    assert places("8 am to 6 pm", FEES, LOCKS) == ["8 am to 6 pm."]


def test_of_two_copies_the_better_one_is_taken() -> None:
    documents = [("old", LOCKS), ("new", LOCKS)]
    [plain] = recognised([LOCKS], documents)
    [better] = recognised([LOCKS], documents, lambda number, doc: doc == "new")
    assert plain is not None
    assert better is not None
    assert (plain.doc, better.doc) == ("old", "new")
    assert better.share == 1.0
    documents = [("whole", LOCKS), ("said", LOCKS[:40] + " and something else " + LOCKS[44:])]
    [said] = recognised([LOCKS], documents, lambda number, doc: 2 * (doc == "said"))
    assert said is not None
    assert said.doc == "said"  # where it is said to be from, even if another holds a little more of it
    assert said.share < 1


def test_the_rows_of_a_table_are_found_though_another_reader_wrote_them_otherwise() -> None:
    rows = "".join(f"| Lock number {n} | {n * 3 + 10}.5 | {n + 2}.1 |\n" for n in range(1, 9))
    document = read("a.md", f"# Sizes\n\n| Lock | Length in metres | Beam in metres |\n|---|---|---|\n{rows}".encode())
    told = "Lock Length in metres Beam in metres Lock number 3 19.5 5.1 Lock number 4 22.5 6.1 Lock number 5 25.5 7.1"
    assert recognised([told], [("a", document.text)]) == [None]
    names = repeated_names(document)
    assert [document.text[start:end] for start, end in names[:3]] == [
        "Lock: ",
        "; Length in metres: ",
        "; Beam in metres: ",
    ]
    [found] = recognised([told], [("a", document.text)], without=lambda doc: names)
    assert found is not None
    [(start, end)] = found.ranges
    assert document.text[start:end].startswith("Lock number 3; Length in metres: 19.5")
    assert document.text[start:end].endswith("Length in metres: 25.5; Beam in metres: 7.1")
    assert repeated_names(read("b.md", b"# No table\n\nText.")) == []


def test_any_stretch_of_random_texts_is_found_where_it_was_taken_from() -> None:
    draw = random.Random(5)
    documents = [(f"d{n}", "".join(draw.choice("abcdefgh é.\n") for _ in range(3000))) for n in range(5)]
    for _ in range(40):
        name, text = draw.choice(documents)
        start = draw.randrange(2500)
        wanted = text[start : start + draw.randrange(60, 400)]
        [found] = recognised([wanted], documents)
        assert found is not None
        assert found.doc == name
        letters = "".join(filter(str.isalnum, wanted))
        got = "".join(filter(str.isalnum, "".join(text[a:b] for a, b in found.ranges)))
        assert letters in got


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("The documents do not say.", True),
        ("I'm sorry, I could not find anything about that.", True),
        ("I don't know. Please ask the office.", True),
        ("It costs £12. The documents do not say from when.", False),
        ("48 hours.", False),
        ("…", True),
    ],
)
def test_an_answer_that_only_says_that_it_can_not_tell_declines(text: str, expected: bool) -> None:
    assert declines(text) is expected


def test_answers_as_they_are_judged() -> None:
    assert answer_of(Brought("  ")).declined
    assert not answer_of(Brought("48 hours.")).declined
    assert answer_of(Brought("48 hours.", declined=True)).declined
    assert not answer_of(Brought("I don't know.", declined=False)).declined
    assert answer_of(Brought(failure="no reply")).failure == "no reply"
    ranked, context = (BroughtItem(doc="a"),), (BroughtItem("b"),)
    assert items_of(Brought("x", context=context)) == context
    assert items_of(Brought("x", context=context, ranked=ranked)) == ranked


SCALE = Criterion(
    "dated", "Is a day named?", "answer",
    (Level(0, "no", 0.0), Level(1, "a month", 0.5, "june|july"), Level(2, "a day", 1.0, r"\d+ (june|july)")),
)  # fmt: skip


def grades(criterion: Criterion, *answers: Answer, context: bool = True) -> list[Grade]:
    shown = [[Served(1, "a", "Open from 3 June.", 5)] if context else None for _ in answers]
    return grade(criterion, ["q"] * len(answers), answers, shown, [Reference()] * len(answers), OfflineModel())


def test_the_built_in_judge_goes_by_the_patterns_of_the_levels() -> None:
    found = grades(SCALE, Answer("From 3 June on."), Answer("In July."), Answer("Always."), Answer("", True))
    assert [each.value for each in found] == [1.0, 0.5, 0.0, None]
    assert found[0].quotes == ("3 June",)
    of_context = Criterion("dated", "?", "context", SCALE.levels)
    assert grades(of_context, Answer("", True))[0].level == 2
    assert grades(of_context, Answer("x"), context=False)[0] == Grade()
    no_patterns = Criterion("dated", "?", "answer", (Level(0, "no", 0.0), Level(1, "yes", 1.0)))
    assert "patterns" in grades(no_patterns, Answer("x"))[0].failure
    against = Criterion("dated", "?", "answer and reference", SCALE.levels)
    assert grades(against, Answer("3 June"))[0].value is None  # there is no reference


def test_a_pattern_that_runs_away_is_stopped(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(patterns, "SECONDS", 0.05)
    slow = Criterion("slow", "?", "answer", (Level(0, "no", 0.0), Level(1, "yes", 1.0, "(a|a|aa)+b")))
    [found] = grades(slow, Answer("a" * 60))
    assert "takes more than 0.05 s" in found.failure


def test_the_grades_of_several_judges_are_joined_by_their_mean() -> None:
    found = joined(SCALE, [Grade(2, 1.0, ("3 June",), "a day"), Grade(0, 0.0, (), "none")])
    assert (found.value, found.level) == (0.5, 1)
    assert found.reason == "a day / none"
    assert joined(SCALE, [Grade(failure="down"), Grade(2, 1.0)]).failure == "down"
    assert joined(SCALE, [Grade(), Grade()]) == Grade()


def test_a_measure_of_the_users_own_has_its_direction() -> None:
    own = {"waffle": Measure("waffle", True, "score", "answer")}
    assert less_is_better("waffle", own)
    assert not less_is_better("waffle")
    assert kind_of("groundedness:house") == "score"
    assert less_is_better("hallucinated:house")
    one, other = (Side(n, {}, {"q": {"waffle": v}}, own=own) for n, v in (("a", 0.2), ("b", 0.7)))
    from aventrik.core.comparing.sides import means

    assert best_of(means([one, other], ["waffle"]), "waffle", own) == {0}
    assert [each.better for each in moved(one, other, "waffle")] == [False]


def test_scores_are_counted_in_tenths_and_what_moved_is_listed_worst_first() -> None:
    first = Side("a", {}, {"p": {"hit@5": 1.0}, "q": {"hit@5": 0.0}, "r": {"hit@5": 1.0}, "s": {}})
    second = Side("b", {}, {"p": {"hit@5": 0.0}, "q": {"hit@5": 1.0}, "r": {"hit@5": 1.0}, "s": {"hit@5": 1.0}})
    [one, other] = spreads([first, second], "hit@5")
    assert one is not None
    assert other is not None
    assert one.counts == (1, 0, 0, 0, 0, 0, 0, 0, 0, 2)
    assert one.quantiles[2] == 1.0
    assert other.n == 4
    assert [(each.key, each.better) for each in moved(first, second, "hit@5")] == [("p", False), ("q", True)]
    assert spreads([first], "nothing") == [None]
    tokens = [Side("a", {}, {"p": {"tokens@5": 100.0}, "q": {"tokens@5": 300.0}})]
    [spread] = spreads(tokens, "tokens@5")
    assert spread is not None
    assert (spread.low, spread.high, sum(spread.counts)) == (100.0, 300.0, 2)
