"""Questions from what people wrote elsewhere: titles, captions, tables, pairs, and what is told nowhere."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable

import pytest

from aventrik.core.documents import Document
from aventrik.core.reading import read
from aventrik.core.testsets import Need, Quoted
from aventrik.core.testsets.drafting.brief import Brief, Quota, kinds_of, portions
from aventrik.core.testsets.drafting.choosing import GrowingSet
from aventrik.core.testsets.drafting.faults import fault
from aventrik.core.testsets.drafting.fitness import english, unfit
from aventrik.core.testsets.drafting.material import Material
from aventrik.core.testsets.drafting.naming import Subject, placed
from aventrik.core.testsets.drafting.offers import Offer
from aventrik.core.testsets.drafting.styles import shares_of, style_of
from aventrik.core.testsets.drafting.tables import tables
from aventrik.core.testsets.drafting.usage import Usage
from aventrik.english.rows import ask_cell
from aventrik.english.writing import absent
from aventrik.english.writing.captions import of_captions
from aventrik.english.writing.differences import difference, differences, figure
from aventrik.english.writing.pairs import compared, joined
from aventrik.english.writing.restyling import restyled
from aventrik.english.writing.sections import sections
from aventrik.english.writing.titles import cleaned, of_titles, question_of
from aventrik.english.writing.twins import in_other_words

BODY = "The keeper writes the level into the book twice a day, and tells the office by telephone when it falls."


def corpus(**texts: str) -> tuple[list[str], Callable[[str], Document]]:
    documents = {f"{name}.md": read(f"{name}.md", text.encode()) for name, text in texts.items()}
    return sorted(documents), documents.__getitem__


def usage(*texts: str) -> Usage:
    found = Usage()
    for text in texts:
        found.add(text)
    return found


SPOKEN = usage(
    "You must open the gates before you install a pump. To install a pump you measure the well. Do not make a fire.",
    "To make a fire is forbidden. The opening hours are on the door. A lock has two gates. Each lock is numbered.",
    "Boats on the Tarrowby pass. People at Tarrowby, and in Tarrowby too, install pumps. to measure a well",
)


@pytest.mark.parametrize(
    ("title", "question"),
    [
        ("1.6.6. Installing a pump", "How do I install a pump?"),
        ("Making Fire on the Bank", "How do I make fire on the bank?"),
        ("How to measure a well", "How do I measure a well?"),
        ("Opening hours", "What are opening hours?"),
        ("Where may I moor?", "Where may I moor?"),
        ("When a gate sticks", "What should I do when a gate sticks?"),
        ("Oxmere Bridge: works run late", "Oxmere Bridge works run late"),
        ("Chapter 3. An overview of water levels", "What are water levels?"),
        ("Introduction", ""),
        ("Further notes", ""),
        ("See the table below", ""),
        ("open_gate(lock, side)", ""),
        ("", ""),
    ],
)
def test_a_title_becomes_a_question_or_nothing(title: str, question: str) -> None:
    text = f"# Book\n\n## {title}\n\n{BODY}\n" if title else f"# Book\n\n{BODY}\n"
    document = read("a.md", text.encode())
    found = [
        question_of(section, document.text, SPOKEN)[0] for section in sections(document) if section.title != "Book"
    ]
    assert (found or [""])[0] == question


@pytest.mark.parametrize(
    ("opening", "question"),
    [
        ("Ice is what stops the boats first.", "What is ice in winter stoppages?"),
        ("Ice must be left alone. Ice must not be walked on.", "Which rules apply to ice in winter stoppages?"),
        ("Boats lie still for weeks on end.", ""),  # nobody asks what ice is, and the text does not tell either
    ],
)
def test_a_title_of_one_word_is_asked_for_with_the_heading_over_it(opening: str, question: str) -> None:
    document = read("a.md", f"# Winter stoppages\n\n## Ice\n\n{opening} {BODY}\n".encode())
    [section] = [section for section in sections(document) if section.title == "Ice"]
    assert question_of(section, document.text, SPOKEN)[0] == question


@pytest.mark.parametrize(
    ("title", "question"),
    [
        ("Installation of lock pumps", "How does the installation of lock pumps work?"),
        ("Quickly emptying a chamber", "How do I quickly empty a chamber?"),
        ("Opening and closing gates", "How do I open and close gates?"),
        ("Five keys of the trade", "What are the five keys of the trade?"),
        ("The long pound discussed", "long pound discussed"),
        ("Lock index", ""),
        ("Painting your boat", "How do I paint my boat?"),
    ],
)
def test_a_title_is_asked_as_people_would(title: str, question: str) -> None:
    usage = Usage()
    usage.add("They want to empty it, to open it, to close it, to paint it.")
    document = read("a.md", f"# Book\n\n## {title}\n\n{BODY}\n".encode())
    [section] = [section for section in sections(document) if section.title != "Book"]
    assert question_of(section, document.text, usage)[0] == question


@pytest.mark.parametrize(
    ("title", "plain"),
    [
        ("8.2.1 Gauges ¶", "Gauges"),
        ("Part 4: Swimming", "Swimming"),
        ("“Keys”", "Keys"),
        ("Permits (for anglers)", "Permits"),
        ("A guide to winding", "Winding"),
    ],
)
def test_a_title_loses_its_number_and_what_sort_of_text_it_heads(title: str, plain: str) -> None:
    assert cleaned(title) == plain


def test_a_question_from_a_title_hides_the_title_and_takes_any_sentence_of_the_body() -> None:
    document = read("a.md", f"# Water\n\n## Reading a gauge board\n\n{BODY} A gauge stands at each lock.\n".encode())
    [offer] = [
        offer for offer in of_titles(document, usage("to read a book, you must read it")) if "gauge" in offer.question
    ]
    [need] = offer.needs
    assert [document.text[quoted.start : quoted.end] for quoted in need.spans] == [BODY, "A gauge stands at each lock."]
    assert [quoted.quote for quoted in offer.hide] == ["Reading a gauge board"]
    assert document.text[offer.hide[0].start : offer.hide[0].end] == "Reading a gauge board"


TABLE = "<h1>Locks</h1><table><caption>Table 2. Lock keepers' houses</caption><tr><th>Lock</th><th>Length (m)</th></tr>" + "".join(
    f"<tr><td>{name}</td><td>{length}</td></tr>" for name, length in (("Hexley Lock", 21.3), ("Pellbeck Lock", 17.5), ("Anvil Lane", 18))
) + "</table>"  # fmt: skip


def test_a_caption_asks_which_there_are_with_any_row_as_evidence() -> None:
    document = read("a.html", TABLE.encode())
    [offer] = of_captions(document, SPOKEN)
    assert offer.question == "Which lock keepers' houses are there?"
    assert len(offer.needs[0].spans) == 3
    assert offer.hide[0].quote.endswith("Lock keepers' houses")


def test_two_rows_are_compared_and_the_difference_is_worked_out() -> None:
    found = list(tables(read("a.html", TABLE.encode())))
    [offer] = differences(found, SPOKEN, seed=0)
    lengths = {row.entity: float(row.cells["Length (m)"]) for row in found[0].rows}
    asked = [name for name in lengths if name in offer.question]
    longer, shorter = sorted(asked, key=lambda name: -lengths[name])
    assert offer.question.startswith("Which is longer, ")
    assert offer.answer.startswith(f"{longer}, by {round(lengths[longer] - lengths[shorter], 1):g} (m)")
    assert len(offer.needs) == 2


@pytest.mark.parametrize(
    ("cell", "value"), [("21.3 m", 21.3), ("£1,250", 1250.0), ("5 to 7", None), ("Main Line", None)]
)
def test_a_figure_is_a_cell_of_one_number(cell: str, value: float | None) -> None:
    assert figure(cell) == value


def test_a_difference_has_no_noise_of_binary_fractions() -> None:
    assert difference(1.18, 1.17) == "0.01"


def test_joined_questions_share_a_subject_and_neither_place_answers_both() -> None:
    far = "Nothing of that kind is told in this part, which is about other matters altogether. " * 25
    names, fetch = corpus(
        a=f"# Locks\n\n## Padlocking the staircase gates\n\n{BODY}\n\n## History\n\n{far}\n\n"
        "## Draining the staircase pond\n\nThe sluice by the weir is opened by two people who hold the same rope.\n",
        b="# Floods\n\n## Draining the staircase cellar\n\nThe pump in the mill is started by two people who hold a torch.\n",
        c="# Staff\n\n## Paying for training courses\n\nThe trust pays the fee of a course when the helper has passed it twice.\n",
    )
    words = usage("to padlock it, to drain it, to pay it, you must padlock and must drain and must pay")
    offers = [offer for name in names for offer in of_titles(fetch(name), words)]
    [offer] = joined(offers)
    assert offer.kind == "joined"
    assert offer.question == "How do I padlock the staircase gates, and how do I drain the staircase pond?"
    assert {need.spans[0].doc for need in offer.needs} == {"a.md"}  # not with another document's, of another matter


def test_an_option_is_asked_of_a_command_that_has_none_of_that_name() -> None:
    def option(name: str, command: str, doc: str) -> Offer:
        quoted = Quoted(doc, 0, 4, "text")
        return Offer(f"What does {name} do in {command}?", "It works.", "one-fact", (Need("it", (quoted,)),), "option")

    offers = [
        option("--slow", "raise-gate", "a"),
        option("--dry", "drain-pound", "b"),
        option("--all", "raise-gate", "a"),
    ]
    texts = {"a": "--slow goes slowly, --all goes all the way", "b": "--dry drains all, so that --slow is of no use"}
    found = {offer.question for seed in range(9) for offer in absent.of_options(offers, texts, seed)}
    assert found == {"What does --dry do in raise-gate?"}  # b names 'slow' and 'all'


def test_things_of_one_kind_under_one_heading_are_told_apart() -> None:
    text = f"# Keys\n\n## The bridge key\n\n{BODY}\n\n## The lock key\n\n{BODY} Twice.\n\n## Ice\n\n{BODY} Thrice.\n"
    offers = list(of_titles(read("a.md", text.encode()), SPOKEN))
    [offer] = compared(offers)
    assert offer.question == "What is the difference between the bridge key and the lock key?"
    assert [quoted.quote for quoted in offer.hide] == ["The bridge key", "The lock key"]


def test_a_property_is_asked_of_a_thing_of_which_no_row_tells_it() -> None:
    one = "# A\n\n| Lock | Depth |\n|---|---|\n| Hexley Lock | 1.5 |\n| Pellbeck Lock | 1.2 |\n\n" + BODY
    other = "# B\n\n| Lock | Keeper |\n|---|---|\n| Anvil Lane | Moss |\n| Stone Lock | Reed |\n\n" + BODY
    names, fetch = corpus(a=one, b=other)
    material = Material.over(names, fetch)
    found = {offer.question for offer in absent.of_rows(material.tables, material.passages, ask_cell, 0)}
    assert found
    assert found <= {
        "What is the depth of Anvil Lane?",
        "What is the depth of Stone Lock?",
        "What is the keeper for Hexley Lock?",
        "What is the keeper for Pellbeck Lock?",
    }


def test_nothing_is_called_absent_that_stands_in_one_passage() -> None:
    text = "# A\n\n| Lock | Depth |\n|---|---|\n| Hexley Lock | 1.5 |\n| Pellbeck Lock | 1.2 |\n\n"
    text += "The keeper of Hexley Lock and of Pellbeck Lock is Moss."
    other = "# B\n\n| Lock | Keeper |\n|---|---|\n| Anvil Lane | Moss |\n| Stone Lock | Reed |\n"
    names, fetch = corpus(a=text, b=other)
    material = Material.over(names, fetch)
    found = [offer.question for offer in absent.of_rows(material.tables, material.passages, ask_cell, 0)]
    assert not any("keeper" in question for question in found)


@pytest.mark.parametrize(
    ("question", "style", "told"),
    [
        ("How do I install a pump?", "indirect", "Can you tell me how to install a pump?"),
        ("How do I install a pump?", "first person", "I want to install a pump. How do I do that?"),
        ("What are tides?", "indirect", "Can you tell me what tides are?"),
        ("Which rules apply to dogs?", "first person", "I have a question about dogs. Which rules apply?"),
        ("Which permits are there?", "indirect", "Can you tell me which permits there are?"),
        ("How do I turn off the water?", "search", "turn off water"),
        ("Who may open it?", "indirect", ""),
    ],
)
def test_a_question_is_asked_in_other_styles(question: str, style: str, told: str) -> None:
    assert restyled(question, style, "seed") == told


def test_a_hurried_writer_slips_in_one_plain_word_and_never_in_a_name_or_figure() -> None:
    question = "How long may I stay at Oxmere with permit A-1250?"
    told = restyled("How do I register the boat at Oxmere with form A-1250?", "hurried", "1")
    assert told.startswith("how do I ")
    assert not told.endswith("?")
    assert "Oxmere" in told
    assert "A-1250" in told
    assert Counter(told.lower()) == Counter("how do i register the boat at oxmere with form a-1250")
    assert restyled(question, "hurried", "1") == restyled(question, "hurried", "1")


def test_styles_are_known_by_their_form() -> None:
    asked = ["How deep is it?", "boat licence fee", "can i moor here", "Can you tell me what a cill is?"]
    assert [style_of(question) for question in asked] == ["question", "search", "hurried", "indirect"]
    assert shares_of(asked) == {"question": 0.25, "indirect": 0.25, "search": 0.25, "hurried": 0.25}


def test_words_of_the_evidence_are_put_otherwise_but_terms_stay() -> None:
    held = frozenset(["remov", "penalti", "error", "messag"])
    told = in_other_words("How do I remove the penalty for error messages?", held, "s", lambda term: 0)
    assert "remove" not in told
    assert "penalty" not in told
    assert "error messages" in told  # a term of two words
    assert in_other_words("How do I frob the gate?", held, "s", lambda term: 0) == "How do I frob the gate?"


def test_what_the_corpus_is_about_is_named_with_its_own_preposition() -> None:
    subject = Subject()
    for text in (
        "boats on the Navigation, and",
        "moored on the Navigation.",
        "work on the Navigation and",
        "in Hexley.",
    ):
        subject.add(text)
    assert subject.phrase == "on the Navigation"
    assert placed("How do I moor?", ["on the Navigation"], 1.0, "s") == "How do I moor on the Navigation?"
    assert placed("How do I moor on the bank?", ["on the Navigation"], 1.0, "s") == "How do I moor on the bank?"
    assert placed("How do I moor?", ["on the Navigation"], 0.0, "s") == "How do I moor?"


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("# Contents\n\nLocks and gates of the line\n", "under 'Contents'"),
        ("# Book\n\nLocks ........ 3\n\nGates ....... 17\n\nWeirs ...... 20\n\nKeys, 4, 17\n", "index"),
        ("# News\n\n- 1.2.1 gate fixed\n- 1.2.0 weir added\n- 1.1 keys\n- 1.0 begun\n", "changes"),
        ("# Code\n\n```\nopen(gate)\nshut(gate)\nfor gate in gates:\n    turn(gate)\n```\n", "code"),
        (f"# Book\n\n{BODY}\n", ""),
        (
            "# Buch\n\n"
            + "Die Schleusen werden bei Hochwasser geschlossen und nur der Wärter darf sie wieder öffnen. " * 4,
            "English",
        ),
    ],
)
def test_passages_that_nobody_asks_about_are_passed_over_with_the_reason(text: str, reason: str) -> None:
    document = read("a.md", text.encode())
    found = unfit(document, document.text.index("\n") + 1, len(document.text))
    assert reason in found
    assert bool(found) == bool(reason)


def test_short_texts_are_taken_for_english_and_german_is_not() -> None:
    assert english("Schleuse 4")
    assert not english(
        "Die Schleusen werden bei Hochwasser geschlossen und nur der Wärter darf sie wieder öffnen. " * 3
    )


@pytest.mark.parametrize(
    ("question", "answer", "reason"),
    [
        ("What does this section say about the windlass?", "It is a crank.", "leans"),
        ("According to the text, how long is it?", "22 metres.", "leans"),
        ("How long may a boat stay?", "72 hours.", "figure 72"),
        ("Who keeps the key?", "It is with Mr Reedmace there.", "name Reedmace"),
        ("How long may a boat stay?", "48 hours.", ""),
        ("Why?", "48 hours.", "few words"),
    ],
)
def test_a_question_by_anybody_is_held_against_its_evidence(question: str, answer: str, reason: str) -> None:
    found = fault(question, answer, ["A boat may stay for 48 hours. It is a crank, 22 metres, with the key there."])
    assert reason in found
    assert bool(found) == bool(reason)


def test_portions_are_whole_numbers_in_proportion() -> None:
    assert portions(10, {"a": 0.5, "b": 0.25, "c": 0.25}) == {"a": 5, "b": 3, "c": 2}  # the rests are equal: by name
    assert sum(portions(7, {"a": 1, "b": 1, "c": 1}).values()) == 7
    assert portions(3, {"a": 0.0}) == {"a": 0}


def test_kinds_of_one_place_follow_what_the_corpus_offers() -> None:
    brief = Brief(100, kinds={"single": 0.9, "unanswerable": 0.1})
    assert kinds_of(brief, {"passage": 300, "one-fact": 100}) == {
        "unanswerable": 10,
        "passage": 67,
        "one-fact": 23,  # the rests are equal: by name
        "table": 0,
    }
    tables = kinds_of(brief, {"passage": 10, "one-fact": 20, "table": 500})
    assert tables["table"] <= 0.25 * 100  # however many cells there are


def test_a_quota_covers_documents_or_ranges_of_them() -> None:
    quota = Quota("winter", {"a.md": None, "b.md": [(10, 20)]}, share=0.5, least=3)
    assert [quota.covers(*place) for place in (("a.md", 5), ("b.md", 15), ("b.md", 20), ("c.md", 0))] == [
        True,
        True,
        False,
        False,
    ]
    assert (quota.wanted(10), quota.wanted(4), quota.wanted(2)) == (5, 3, 2)


def test_nothing_is_hidden_that_another_question_rests_on() -> None:
    def offer(question: str, evidence: tuple[int, int], *hide: tuple[int, int]) -> Offer:
        quoted = [Quoted("a.md", start, end, "x" * (end - start)) for start, end in (evidence, *hide)]
        return Offer(question, "", "one-fact", (Need("", (quoted[0],)),), "rule", hide=tuple(quoted[1:]))

    choice = GrowingSet(at_most=9, whether=9)
    choice.take(offer("How deep is the lock?", (10, 20)), "question")
    assert "hides what another" in choice.refusal(offer("paddle gear ratio", (40, 50), (15, 30)), "search")
    assert choice.refusal(offer("paddle gear ratio", (40, 50), (20, 30)), "search") == ""
    choice.take(offer("paddle gear ratio", (40, 50), (20, 30)), "search")
    assert "what another hides" in choice.refusal(offer("Who keeps the key?", (25, 28)), "question")
