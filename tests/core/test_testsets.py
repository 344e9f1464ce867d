"""Hiding, dividing and merging test sets, and how like real questions a draft is."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from scipy.stats import kendalltau
from sklearn.metrics import roc_auc_score

from aventrik.core.chunking import METHODS, Cutting, chunk
from aventrik.core.comparing.orders import orders, tau_b
from aventrik.core.comparing.sides import Side
from aventrik.core.documents.spans import text_of
from aventrik.core.reading import read
from aventrik.core.testsets import Need, Question, Quoted
from aventrik.core.testsets.dividing import merged, sample, split
from aventrik.core.testsets.drafting.difficulty import copied, level
from aventrik.core.testsets.drafting.passages import ranks_of
from aventrik.core.testsets.hiding import hidden
from aventrik.core.testsets.likeness import _area, form_of, matching, opening, told_apart

TEXT = "# Moorings of the line\n\n## How long may I stay?\n\nA boat may stay for 48 hours.\n\n## Fees\n\nAn overstay costs £25 a day.\n"


def test_hidden_words_are_blank_and_nothing_else_moves() -> None:
    document = read("a.md", TEXT.encode())
    heading = document.headings[1]
    without = hidden(document, [(heading.start, heading.end)])
    assert len(without.text) == len(document.text)
    assert "How long" not in without.text
    at = document.text.index("48 hours")
    assert without.text[at : at + 8] == "48 hours"
    assert without.heading_path(at) == ("Moorings of the line",)
    assert document.heading_path(at) == ("Moorings of the line", "How long may I stay?")
    assert without.key != document.key


@pytest.mark.parametrize("method", METHODS)
def test_no_chunk_of_any_method_holds_hidden_words_or_is_blank(method: str) -> None:
    document = read("a.md", TEXT.encode())
    without = hidden(document, [(heading.start, heading.end) for heading in document.headings[1:]])
    texts = [text_of(without.text, ranges) for ranges in chunk(without, Cutting(method, 60, overlap=0))]
    assert texts
    assert all(text.strip() for text in texts)
    assert "How long" not in "".join(texts)
    assert "Fees" not in "".join(texts)
    assert "48 hours" in "".join(texts)


def test_a_title_that_says_what_is_hidden_loses_it() -> None:
    document = read("a.md", b"# Gate stuck at Hexley Lock\n\nThe gate is stuck.\n")
    assert document.title == "Gate stuck at Hexley Lock"
    start, end = document.headings[0].start, document.headings[0].end
    assert hidden(document, [(start, end)]).title == ""
    assert hidden(document, [(len(document.text) - 10, len(document.text))]).title == document.title


def question(name: str, *docs: str, text: str = "How deep is it?", quote: str = "It is deep.") -> Question:
    needs = tuple(Need("", (Quoted(doc, 0, len(quote), quote),)) for doc in docs)
    return Question(name, text, "", needs, "one-fact" if docs else "unanswerable")


def test_a_split_puts_no_document_into_both_parts() -> None:
    draw = np.random.default_rng(3)
    questions = [question(f"q{n}", *{f"d{draw.integers(12)}" for _ in range(draw.integers(1, 3))}) for n in range(40)]
    first, second = split(questions, 0.5, seed=1)
    documents = [{quoted.doc for q in part for need in q.needs for quoted in need.spans} for part in (first, second)]
    assert len(first) + len(second) == 40
    assert not documents[0] & documents[1]
    alone = [question(f"q{n}", f"d{n}") for n in range(10)]
    assert [len(part) for part in split(alone, 0.3)] == [3, 7]


def test_merging_keeps_each_question_once_and_each_id_once() -> None:
    ours = [question("q1", "a"), question("q2", "b")]
    theirs = [question("q1", "c"), question("q9", "a")]  # q9 asks what q1 of ours asks
    assert [(q.id, q.needs[0].spans[0].doc) for q in merged([ours, theirs])] == [
        ("q1", "a"),
        ("q2", "b"),
        ("q1-2", "c"),
    ]


def test_a_sample_is_drawn_by_lot_and_keeps_the_order() -> None:
    questions = [question(f"q{n}", "a") for n in range(20)]
    drawn = [q.id for q in sample(questions, 5, seed=2)]
    assert len(set(drawn)) == 5
    assert drawn == sorted(drawn, key=lambda name: int(name[1:]))
    assert drawn == [q.id for q in sample(questions, 5, seed=2)] != [q.id for q in sample(questions, 5, seed=3)]
    assert len(sample(questions, 99)) == 20


def test_tau_b_is_scipys_with_and_without_ties() -> None:
    draw = np.random.default_rng(0)
    for n, kinds in itertools.product((2, 5, 11), (3, 50)):
        a, b = draw.integers(0, kinds, n).astype(float), draw.integers(0, kinds, n).astype(float)
        ours, theirs = float(tau_b(a, b)), float(kendalltau(a, b).statistic)
        assert (np.isnan(ours) and np.isnan(theirs)) or ours == pytest.approx(theirs, abs=1e-12)


def sides(rows: dict[str, list[float]]) -> list[Side]:
    return [Side(name, {}, {f"q{n}": {"hit@5": value} for n, value in enumerate(row)}) for name, row in rows.items()]


def test_orders_that_agree_and_that_are_turned_round() -> None:
    good, middle, bad = [1.0] * 60, [1.0] * 40 + [0.0] * 20, [1.0] * 10 + [0.0] * 50
    ours = sides({"a": good, "b": middle, "c": bad})
    found = orders(ours, ours, "hit@5")
    assert (found.tau, found.real, found.same, found.wrong, found.easier) == (1.0, 3, 3, 0, 0.0)
    turned = orders(sides({"a": bad, "b": middle, "c": good}), ours, "hit@5")
    assert (turned.tau, turned.real, turned.same, turned.wrong) == (-1.0, 3, 0, 3)
    assert found.correlation > 0.5 > -0.5 > turned.correlation
    assert found.worse < 0.02  # the draft picks the best one
    assert turned.worse > 0.98  # and here the worst
    assert found.by_lot == pytest.approx(2 / 3, abs=0.05)  # two of three are worse by more than 0.05
    with pytest.raises(ValueError, match="two configurations"):
        orders(ours[:1], ours[:1], "hit@5")
    with pytest.raises(ValueError, match="ndcg"):
        orders(ours, ours, "ndcg@5")


def test_an_order_of_equals_is_none() -> None:
    flat = sides({"a": [1.0] * 20, "b": [1.0] * 20})
    assert orders(flat, sides({"a": [1.0] * 20, "b": [0.0] * 20}), "hit@5").tau is None


def test_the_area_under_the_curve_is_scikit_learns_with_ties() -> None:
    draw = np.random.default_rng(1)
    label, scores = draw.integers(0, 2, 80), draw.integers(0, 9, 80).astype(float)
    assert _area(scores, label) == pytest.approx(roc_auc_score(label, scores), abs=1e-12)


def test_sets_of_another_form_are_told_apart_and_of_the_same_are_not() -> None:
    words = "lock gate boat weir pond keeper bridge winch rope paddle".split()
    plain = [question(f"p{n}", "a", text=f"What is the {words[n % 10]} of {words[n // 10]}?") for n in range(60)]
    typed = [question(f"t{n}", "a", text=f"{words[n % 10]} {words[n // 10]} cost") for n in range(60)]
    none: dict[str, int] = {}
    apart = told_apart(plain, typed, [none, none])
    alike = told_apart(plain[::2], plain[1::2], [none, none])
    assert apart.area > 0.99
    assert apart.low > 0.95
    assert alike.low < 0.5 < alike.high or alike.area < 0.65
    with pytest.raises(ValueError, match="fewer than"):
        told_apart(plain[:5], typed, [none, none])


def test_the_matching_subset_has_the_form_of_the_real_ones() -> None:
    plain = [question(f"p{n}", "a", text=f"What is the size of thing number {n} here?") for n in range(30)]
    typed = [question(f"t{n}", "a", text=f"thing {n} size") for n in range(30)]
    real = [question(f"r{n}", "a", text=f"gate {n} width") for n in range(20)]
    none: dict[str, int] = {}
    found = matching([*plain, *typed], real, [none, none])
    assert len(found) == 20
    assert {q.id[0] for q in found} == {"t"}


def test_the_form_of_a_set_is_told_by_shares_and_means() -> None:
    rows = [
        question("a", "d", text="How deep is the lock?", quote="The lock is deep."),
        question("b", "d", text="lock depth", quote="The lock is deep."),
        question("c", text="Who owns the moon of the lock?"),
    ]
    form = form_of(rows, {"a": 1, "b": 3})
    assert form.questions == 3
    assert form.words == pytest.approx((5 + 2 + 7) / 3)
    assert form.levels == {"easy": 0.5, "middle": 0.5}
    assert form.kinds == {"one-fact": 2 / 3, "unanswerable": 1 / 3}
    assert form.copied == pytest.approx((1.0 + 0.5) / 2)  # 'deep', 'lock' both; 'lock' of 'lock', 'depth'
    with pytest.raises(ValueError, match="without questions"):
        form_of([], {})


def test_what_is_copied_is_a_share_of_different_terms() -> None:
    assert copied("How deep is the deep lock?", ["The lock is shallow."]) == 0.5
    assert copied("how is it", ["it is"]) == 0.0


def test_levels_are_ranks_under_plain_keyword_search() -> None:
    assert [level(rank) for rank in (1, 2, 5, 6, 0)] == ["easy", "middle", "middle", "hard", "hard"]


def test_ranks_are_of_what_is_left_when_titles_are_hidden() -> None:
    body = "Ring the bell twice and wait for the keeper at the upper gate."
    texts = {
        "a.md": f"# Calling somebody at night\n\n{body}\n",
        "b.md": "# Nights\n\nAt night somebody may be calling.\n",
    }
    documents = {name: read(name, text.encode()) for name, text in texts.items()}
    start = documents["a.md"].text.index(body)
    heading = documents["a.md"].headings[0]
    need = Need("", (Quoted("a.md", start, start + len(body), body),))
    asked = Question("q", "Calling somebody at night?", "", (need,), "passage")
    hide = (Quoted("a.md", heading.start, heading.end, "Calling somebody at night"),)
    plain = ranks_of([asked], documents, documents.__getitem__)
    without = ranks_of(
        [Question("q", asked.question, "", (need,), "passage", hide=hide)], documents, documents.__getitem__
    )
    assert plain == {"q": 1}
    assert without == {"q": 2}


def test_openings_are_grouped() -> None:
    asked = ["May I?", "Does it?", "boat fee", "How long?", ""]
    assert [opening(text) for text in asked] == ["can", "is", "other", "how", "other"]
