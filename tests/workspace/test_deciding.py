"""What people decided about questions, laid over a test set."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from aventrik.core.testsets import Need, Question, Quoted
from aventrik.workspace.deciding import EDITED, KEEP, QUESTION, REJECT, UNSURE, Settled, settled
from aventrik.workspace.reviews import UNDONE, Decision, Reviews

NEED = Need("48 hours", (Quoted("a.md", 3, 11, "48 hours"),))
FILED = (Question("q1", "how long", "48 hours", (NEED,)), Question("q2", "may i fish", kind="unanswerable"))


@pytest.fixture
def reviews(tmp_path: Path) -> Reviews:
    return Reviews(tmp_path / "reviews")


def said(who: str, decision: str, filed: Question = FILED[0], **now: Any) -> Decision:
    return Decision(
        QUESTION, filed.key, "", "t", filed.id, filed.question, who, "2031-05-02T10:00:00Z", decision, now=now
    )  # fmt: skip


def after(reviews: Reviews, *decisions: Decision) -> Settled:
    for each in decisions:
        reviews.add(each)
    return settled(FILED, Reviews(reviews.folder))  # as another process reads them


def test_kept_rejected_and_unsure(reviews: Reviews) -> None:
    found = after(reviews, said("ann", KEEP), said("ann", REJECT, FILED[1]))
    assert [each.status for each in found.questions] == ["kept", "rejected"]
    assert found.questions[0].meta["decided_by"] == ["ann"]
    assert after(reviews, said("ann", UNSURE)).questions[0] == FILED[0]


def test_nothing_decided_changes_nothing(reviews: Reviews) -> None:
    assert settled(FILED, reviews) == Settled(FILED)


def test_changes_are_laid_over_and_the_last_word_counts(reviews: Reviews) -> None:
    found = after(reviews, said("ann", EDITED, question="how long may i stay"))
    assert (found.questions[0].question, found.questions[0].status) == ("how long may i stay", "draft")
    found = after(reviews, said("ann", KEEP, needs=[], kind="unanswerable"))
    assert (found.questions[0].needs, found.questions[0].kind, found.questions[0].status) == (
        (),
        "unanswerable",
        "kept",
    )
    assert after(reviews, said("ann", UNDONE)).questions == FILED


def test_people_who_contradict_each_other_leave_a_draft(reviews: Reviews) -> None:
    found = after(reviews, said("ann", KEEP), said("ben", REJECT))
    assert found.questions == FILED
    assert [(each.id, sorted(each.said)) for each in found.conflicts] == [("q1", ["ann", "ben"])]
    assert after(reviews, said("ben", KEEP)).conflicts == ()
    apart = after(reviews, said("ann", KEEP, answer="two days"), said("ben", KEEP, answer="a week"))
    assert len(apart.conflicts) == 1
    assert after(reviews, said("ben", KEEP, answer="two days")).questions[0].answer == "two days"


def test_a_question_that_was_changed_in_the_file_is_another_one(reviews: Reviews) -> None:
    reviews.add(said("ann", REJECT))
    other = Question("q1", "how long", "72 hours", (NEED,))
    assert settled([other], reviews).questions == (other,)


def test_of_one_persons_files_the_latest_word_counts(reviews: Reviews) -> None:
    reviews.add(said("ann", KEEP))
    later = (reviews.folder / "ann.jsonl").read_text().replace("2031-05-02", "2031-05-03").replace('"keep"', '"reject"')
    (reviews.folder / "a-laptop.jsonl").write_text(later + "<<<<<<< mine\n")
    found = Reviews(reviews.folder)
    assert settled(FILED, found).questions[0].status == "rejected"
    assert len(found.broken) == 1


def test_changes_by_hand_that_make_no_question_are_told(reviews: Reviews) -> None:
    found = after(reviews, said("ann", KEEP, needs=[{"fact": "x", "spans": []}]))
    assert found.questions == FILED
    [(name, reason)] = found.broken
    assert name == "q1"
    assert "spans" in reason
