"""Sentences, terms and figures."""

from __future__ import annotations

import pytest

from aventrik.core.text import content_terms, count_tokens, numbers, plain_number, sentences, terms


def split(text: str) -> list[str]:
    return [text[start:end] for start, end in sentences(text)]


def test_sentences_end_at_marks_and_newlines() -> None:
    text = "Close the gates. Raise the paddles!  Is it level?\n- Then open\nNo stop here"
    assert split(text) == ["Close the gates.", "Raise the paddles!", "Is it level?", "- Then open", "No stop here"]


@pytest.mark.parametrize(
    "text",
    [
        "Use a crank, e.g. The windlass in the hut.",
        "See no. 14 on the list.",
        "Ask Mr. Hale at the desk.",
        "The fee is 3.50 pounds.",
        "It was signed by J. Arkle.",
        "A file named a.so is kept.",
    ],
)
def test_abbreviations_and_decimals_do_not_end_a_sentence(text: str) -> None:
    assert split(text) == [text]


def test_sentences_of_a_part_keep_the_coordinates_of_the_whole() -> None:
    text = "One. Two here. Three."
    assert list(sentences(text, 5)) == [(5, 14), (15, 21)]


def test_terms_are_stemmed_and_stop_words_go_only_from_content_terms() -> None:
    assert terms("The moorings are moored") == ["the", "moor", "are", "moor"]
    assert content_terms("The moorings are moored") == ("moor", "moor")


@pytest.mark.parametrize(
    ("figure", "plain"),
    [
        ("1,250.00", "1250"),
        ("007", "7"),
        ("3.50", "3.5"),
        ("0", "0"),
        ("0.90", ".9"),
        ("12:30", "12:30"),
        ("3,5", "3.5"),
    ],
)
def test_two_spellings_of_a_value_are_one_figure(figure: str, plain: str) -> None:
    assert plain_number(figure) == plain


def test_numbers_are_found_in_order() -> None:
    assert numbers("From £1,184 to 684 in 12 months") == ["1184", "684", "12"]


def test_token_estimate_counts_marks_and_long_words_by_six_letters() -> None:
    assert count_tokens("The staircase, please.") == 1 + 2 + 1 + 1 + 1
