"""What people decide on questions, passages and verdicts, and how far they and a judge agree."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from ..core.errors import BadInput
from .running import named_run

if TYPE_CHECKING:
    from ..core.judging.known import KnownScore
    from ..execution.open_workspace import OpenWorkspace
    from ..kept.known import JudgeReach
    from ..people.passages import PassageReview, TaughtFilter
    from ..people.question_review import QuestionReview
    from ..people.reviewing import Review, TakenSheet
    from ..people.teaching import Taught
    from ..people.verdict_review import JudgeAgreement, VerdictReview
    from ..pipeline.inputs import Progress
    from ..storage.protocols import Run

PASSAGES = 60  # passages that are labelled without a number


def review(
    opened: OpenWorkspace,
    testset: str = "",
    *,
    verdicts: str = "",
    of: str = "verdict",
    passages: bool = False,
    who: str,
    count: int | None = None,
    seed: int | None = None,
    progress: Progress | None = None,
) -> QuestionReview | PassageReview | VerdictReview:
    """What one person decides on: the questions of a `testset` (kept, rejected, changed), `passages` of the documents (fit to
    be asked about or not), or the claims of a run named by `verdicts` (`of`: "verdict", "relevance", or a criterion).

    The review has `len`, `decide(place, decision, reason)`, `write_sheet` and `read_sheet` below, and `result()`: how far
    people agree, with each other and with the judge. Every decision is written down at once in reviews/. Raises `BadInput`
    where not exactly one of the three is asked for, and for what is not there.

    >>> found = aventrik.review(opened, verdicts="starter", who="ann")
    >>> found.decide(0, "supported")
    >>> found.result().labels.count
    1
    """
    lot = opened.workspace.settings.seed if seed is None else seed
    if sum(map(bool, (testset, verdicts, passages))) != 1:
        raise BadInput("name a test set, or --passages, or --verdicts RUN; one of them")
    if testset:
        from ..people.question_review import question_review

        return question_review(opened, testset, check_reviewer(who), count, lot)
    if verdicts:
        from ..people.verdict_review import verdict_review

        return verdict_review(opened, named_run(opened, verdicts), of, check_reviewer(who), count, lot)
    from ..people.passages import passage_review

    with opened.reporting(progress):
        return passage_review(opened, count or PASSAGES, check_reviewer(who), lot)


def check_reviewer(who: str) -> str:
    """The name of a reviewer, which is that of a file; raises `BadInput` for one that can't be.

    >>> aventrik.check_reviewer("ann")
    'ann'
    """
    from ..workspace.reviews import check_name

    return check_name(who)


def broken_decisions(opened: OpenWorkspace) -> list[tuple[str, str]]:
    """Lines of reviews/ that can't be read, each (place, reason); they are passed over, and left as they are."""
    return list(opened.workspace.reviews.broken)


def broken_changes(opened: OpenWorkspace, testset: str) -> list[tuple[str, str]]:
    """Changes of a test set's questions that can't be understood, each (question, reason); they are passed over."""
    return list(opened.testset(testset).broken)


def write_sheet(review: Review, file: str | Path) -> int:
    """Writes a sheet to fill in elsewhere (.csv, .xlsx), a line a thing; returns how many.

    >>> aventrik.write_sheet(aventrik.review(opened, "small", who="ann"), elsewhere / "sheet.csv")
    3
    """
    from ..people.reviewing import write_sheet

    return write_sheet(review, Path(file))


def read_sheet(review: Review, file: str | Path) -> TakenSheet:
    """Takes the decisions of such a sheet, all or none: raises `BadInput` with the line of what is wrong.

    >>> aventrik.read_sheet(aventrik.review(opened, "small", who="ann"), elsewhere / "sheet.csv")
    TakenSheet(new=0, strange=0)
    """
    from ..people.reviewing import read_sheet

    return read_sheet(review, Path(file))


def teach_judge(opened: OpenWorkspace, review: VerdictReview, count: int = 6) -> Taught:
    """Puts up to `count` decided cases into the judge's prompt (prompts/verdict.txt), and tries it on others. Raises
    `BadInput` for a judge that has no prompt, and for too few cases."""
    from ..people.teaching import teach

    return teach(opened, review.sample, opened.workspace.reviews, count)


def teach_filter(
    opened: OpenWorkspace, review: PassageReview, count: int = 6, *, seed: int | None = None
) -> TaughtFilter:
    """Puts up to `count` labelled passages into the prompt of the writer's filter, and tries it on others. Raises `BadInput`
    for a writer that has no prompt, and for too few labels."""
    from ..people.passages import teach_filter

    lot = opened.workspace.settings.seed if seed is None else seed
    return teach_filter(opened, review.sample, opened.workspace.reviews, count, lot)


def known_answers(opened: OpenWorkspace, name: str) -> list[tuple[JudgeReach, list[KnownScore]]]:
    """What each judge of a run made of answers of which it is known what they are worth: how far its measures reach, and the
    answers themselves. Raises `BadInput` for a name of no run, and for a run that has none.

    >>> [(reach.judge, len(scores) > 0) for reach, scores in aventrik.known_answers(opened, "starter")]
    [('offline', True)]
    """
    from ..kept.known import known_of, known_scores

    run = named_run(opened, name)
    found = known_of(run)
    if not found:
        raise BadInput(
            f"run {run.id} ({run.name}) has no known answers: nothing was judged, no question has a reference answer, or an earlier "
            "version made it; run it again"
        )
    return [(reach, known_scores(opened.store, reach)) for reach in found]


def judge_agreement(opened: OpenWorkspace, run: Run, of: str = "verdict") -> JudgeAgreement:
    """How far a run's judge and people agree, whoever decided on it."""
    from ..people.verdict_review import judge_agreement
    from ..people.verdicts import sample_of

    seed = opened.workspace.settings.seed
    return judge_agreement(
        opened, sample_of(opened.store, run, of, seed, reviews=opened.workspace.reviews), seed
    )  # fmt: skip
