"""What a sentence binds its statement to, and faults that are planted in answers."""

from __future__ import annotations

import pytest

from aventrik.core.context import Served
from aventrik.english import SpoiltAnswers
from aventrik.english.conditions import conditions_in


@pytest.mark.parametrize(
    ("sentence", "found"),
    [
        ("If the gauge is red, boats must not move.", [("condition", "Boats must not move.")]),
        ("The office sells keys unless it is closed.", [("condition", "The office sells keys.")]),
        (
            "Boats may moor here until 31 October, and keys are sold.",
            [("condition", "Boats may moor here, and keys are sold.")],
        ),
        ("Most locks have a ladder.", [("extent", "Locks have a ladder.")]),
        ("Most of the locks have a ladder.", [("extent", "The locks have a ladder.")]),
        ("Anglers may fish only in the basin.", [("only", "Anglers may fish in the basin.")]),
        ("Ask the keeper if the lock is open.", []),  # what is asked is no condition
        ("Move on as soon as possible if necessary.", []),
        ("The data provided by the gauge are public.", []),
        ("There are too many boats.", []),
        ("If so, ring the office.", []),
    ],
)
def test_conditions_and_extents_are_found_with_the_rest_of_the_sentence(
    sentence: str, found: list[tuple[str, str]]
) -> None:
    assert [(each.kind, each.rest) for each in conditions_in(sentence)] == found


PASSAGE = Served(
    1, "Moorings", "From April a boat may stay 48 hours at Oxmere if its licence is shown. Hexley Wharf is closed on Mondays.", 20
)  # fmt: skip


def planted(answer: str) -> dict[str, str]:
    return dict(SpoiltAnswers().plant(answer, [PASSAGE], ["Skelder has three taps."]))


def test_each_fault_is_planted_where_there_is_room_for_it() -> None:
    made = planted("From April a boat may stay 48 hours at Oxmere if its licence is shown.")
    assert made["figure"] == "From April a boat may stay 145 hours at Oxmere if its licence is shown."
    assert made["date"] == "From August a boat may stay 48 hours at Oxmere if its licence is shown."
    assert made["name"] == "From April a boat may stay 48 hours at Hexley Wharf if its licence is shown."
    assert made["negation"] == "From April a boat may not stay 48 hours at Oxmere if its licence is shown."
    assert made["condition"] == "From April a boat may stay 48 hours at Oxmere."
    assert made["detail"].startswith("From April a boat may stay 48 hours at Oxmere if its licence is shown")
    assert "part" not in made
    assert "roles" not in made


def test_a_denial_is_taken_out_and_yes_is_said_for_no() -> None:
    assert planted("No, boats may not move.")["negation"] == "Yes, boats may move."
    assert planted("No.")["negation"] == "Yes."
    assert "negation" not in planted("No licence for children.")  # 'no' belongs to the licence there


def test_of_several_sentences_the_spoilt_one_is_given_and_a_part_left_out_leaves_the_rest() -> None:
    made = planted("The bridge opens at 9. Keys are sold at Oxmere.")
    assert made["figure"] == "The bridge opens at 28."
    assert made["name"] == "Keys are sold at Hexley Wharf."
    assert made["part"] == "The bridge opens at 9."
    assert planted("Keys, windlasses and maps are sold.")["part"] == "Keys and maps are sold."


def test_two_things_change_their_places() -> None:
    assert planted("The keeper warns the skipper.")["roles"] == "The skipper warns the keeper."
    assert planted("The ferry goes from Skelder to Oxmere.")["roles"] == "The ferry goes from Oxmere to Skelder."
