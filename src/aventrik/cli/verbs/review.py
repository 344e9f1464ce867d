"""`aventrik review`: a person goes through questions, passages or verdicts and decides; and what comes of it."""

from __future__ import annotations

import argparse
import gc
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..arguments import finite, given_path, whole
from ..opening import open_workspace
from ..screen import Screen

if TYPE_CHECKING:
    from ...api.records import OpenWorkspace, PassageReview, QuestionReview, VerdictReview
    from ..review_views.session import Matter

HELP = (
    "A person looks through the questions of a test set (keep, reject, change), passages (fit to be asked about or not) or "
    "the verdicts on a run's answers; then: how far people agree with each other and with the judge. Every decision is "
    "written down at once in reviews/, so one can leave and come back."
)
_QUESTIONS, _PASSAGES = 60, 60


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("testset", metavar="TESTSET", nargs="?", help="go through its questions, doubtful ones first")
    parser.add_argument("--passages", action="store_true", help="go through passages: fit to be asked about, or not")
    parser.add_argument("--verdicts", metavar="RUN", help="go through the claims of a run by number, label or name")
    parser.add_argument(
        "--of", metavar="WHAT", default="verdict",
        help="with --verdicts: verdict (on each claim; the default), relevance, or one of the run's criteria",
    )  # fmt: skip
    parser.add_argument(
        "--known", metavar="RUN",
        help="show what the judge of a run makes of answers of which it is known what they are worth: right, spoilt, of other questions",
    )  # fmt: skip
    parser.add_argument("--who", metavar="NAME", help="who decides (default: the name of the account)")
    parser.add_argument(
        "--questions", metavar="N", type=whole(1),
        help=f"how many to ask about (default: all of a test set, {_PASSAGES} passages, the claims of {_QUESTIONS} answers)",
    )  # fmt: skip
    parser.add_argument("--agreement", action="store_true", help="ask nothing, only tell what the decisions come to")
    parser.add_argument(
        "--to", metavar="FILE", type=given_path, help="write a sheet to fill in elsewhere (.csv, .xlsx)"
    )
    parser.add_argument("--from", metavar="FILE", type=given_path, dest="sheet", help="read such a sheet back")
    parser.add_argument("--width", metavar="W", type=finite, help="say how many labels more narrow an interval to W")
    parser.add_argument(
        "--teach", metavar="N", type=whole(1, 30), nargs="?", const=6,
        help="put N decided cases (default 6) into the prompt as examples: of the judge, or of the writer's filter",
    )  # fmt: skip
    parser.add_argument("--seed", type=whole(0), help="for what is drawn by lot (default: aventrik.toml)")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """One way for all that is decided on: teach, a sheet out, a sheet in, or the screen; then what the decisions come to."""
    from ... import api
    from ...core.errors import BadInput

    if options.known:
        return _known(options, screen)
    wanted = [name for name in ("testset", "passages", "verdicts") if getattr(options, name)]
    if len(wanted) != 1:
        raise BadInput("name a test set, or --passages, or --verdicts RUN" + ("" if not wanted else "; one of them"))
    if options.width is not None and not 0 < options.width < 1:
        raise BadInput("--width must lie between 0 and 1")
    if options.width is not None and not options.verdicts:
        raise BadInput("--width goes with --verdicts")
    if options.teach is not None and options.testset:
        raise BadInput("--teach goes with --verdicts or --passages")
    opened = open_workspace(options, screen)
    who = api.check_reviewer(options.who or _account())
    for place, reason in api.broken_decisions(opened)[:5]:
        screen.warn(f"{place}: {reason}; the line is passed over, and left as it is")
    with screen.progress() as meter:
        review = api.review(
            opened, options.testset or "", verdicts=options.verdicts or "", of=options.of, passages=options.passages, who=who,
            count=options.questions, seed=options.seed, progress=meter,
        )  # fmt: skip
        kind = _KINDS[wanted[0]]
        if options.teach is not None:
            return kind.teach(opened, review, options, screen)
    gc.freeze()  # what was read stays to the end: looking for garbage among it would take as long as reading it
    if options.to is not None:
        count = api.write_sheet(review, options.to)
        screen.result({"file": str(options.to), "items": count})
        kind.written(review, count, options.to, screen)
        return 0
    if options.sheet is not None:
        taken = api.read_sheet(review, options.sheet)
        screen.say(f"{taken.new} {kind.things} read, as {who}'s")
        if taken.strange:
            screen.warn(f"{taken.strange} lines are of {kind.strange(options)}")
    elif not options.agreement and not screen.as_json:
        from ..review_views.session import ask

        ask(kind.matter(review))
    kind.show(opened, review, options, screen)
    return 0


def _known(options: argparse.Namespace, screen: Screen) -> int:
    """What the judges of a run made of known answers."""
    from dataclasses import asdict

    from ... import api
    from ...core.errors import BadInput
    from ..review_views.known import show_known

    if options.testset or options.passages or options.verdicts:
        raise BadInput("--known RUN stands by itself: it asks nothing")
    opened = open_workspace(options, screen)
    found = api.known_answers(opened, options.known)
    screen.result([{**reach.as_json(), "scores": [asdict(each) for each in scores]} for reach, scores in found])
    for reach, scores in found:
        show_known(reach, scores, screen)
    return 0


class _Questions:
    """The questions of a test set."""

    things = "decisions"

    def teach(self, opened: OpenWorkspace, review: Any, options: argparse.Namespace, screen: Screen) -> int:
        raise NotImplementedError  # refused before

    def matter(self, review: QuestionReview) -> Matter:
        from ..review_views.questions import QuestionMatter

        return QuestionMatter(review)

    def strange(self, options: argparse.Namespace) -> str:
        return f"questions that '{options.testset}' does not have as they were"

    def written(self, review: QuestionReview, count: int, path: Path, screen: Screen) -> None:
        screen.say(
            f"{count} questions → {path}; fill in 'decision' ({', '.join(review.said)}), 'reason', and what is to be changed; "
            f"then --from {path}"
        )

    def show(self, opened: OpenWorkspace, review: QuestionReview, options: argparse.Namespace, screen: Screen) -> None:
        from ... import api
        from ..review_views.question_agreement import show_decided

        name = review.ledger.path.stem
        for question, reason in api.broken_changes(opened, options.testset)[:5]:
            screen.warn(f"question {question}: a change can't be understood ({reason}); it is passed over")
        found = review.result()
        screen.result({"testset": name, **found.as_json()})
        show_decided(found, name, screen)


class _Passages:
    """Passages that a draft may ask about."""

    things = "labels"

    def teach(self, opened: OpenWorkspace, review: PassageReview, options: argparse.Namespace, screen: Screen) -> int:
        from ... import api
        from ..review_views.passages import show_taught_filter

        taught = api.teach_filter(opened, review, options.teach, seed=options.seed)
        screen.result(taught.as_json())
        show_taught_filter(taught, screen)
        return 0

    def matter(self, review: PassageReview) -> Matter:
        from ..review_views.passages import PassageMatter

        return PassageMatter(review)

    def strange(self, options: argparse.Namespace) -> str:
        return "passages that are not in this sample; --questions and --seed decide it"

    def written(self, review: PassageReview, count: int, path: Path, screen: Screen) -> None:
        said = ", ".join(review.said)
        screen.say(f"{count} passages → {path}; fill in the column 'decision' ({said}), then --from {path}")

    def show(self, opened: OpenWorkspace, review: PassageReview, options: argparse.Namespace, screen: Screen) -> None:
        from ..review_views.passages import show_agreed

        found = review.result()
        screen.result(found.as_json())
        show_agreed(found, screen)


class _Verdicts:
    """Claims of a run's answers, or the answers by a criterion."""

    things = "decisions"

    def teach(self, opened: OpenWorkspace, review: VerdictReview, options: argparse.Namespace, screen: Screen) -> int:
        from ... import api
        from ..review_views.verdicts import show_taught_judge

        made = api.teach_judge(opened, review, options.teach)
        screen.result(made.as_json())
        show_taught_judge(made, screen)
        return 0

    def matter(self, review: VerdictReview) -> Matter:
        from ..review_views.verdicts import VerdictMatter

        return VerdictMatter(review)

    def strange(self, options: argparse.Namespace) -> str:
        return "things that this run does not have"

    def written(self, review: VerdictReview, count: int, path: Path, screen: Screen) -> None:
        for each in review.options:
            screen.say(f"  {each.name}{f': {each.means}' if each.means else ''}")
        screen.say(f"{count} things to decide on → {path}; fill in the column 'decision', then --from {path}")

    def show(self, opened: OpenWorkspace, review: VerdictReview, options: argparse.Namespace, screen: Screen) -> None:
        from ..review_views.verdicts import show_agreement

        found = review.result()
        screen.result(found.as_json())
        show_agreement(found, screen, options.width)


_KINDS: dict[str, Any] = {"testset": _Questions(), "passages": _Passages(), "verdicts": _Verdicts()}


def _account() -> str:
    import getpass
    import re

    try:
        name = getpass.getuser()
    except (OSError, KeyError, ImportError):
        name = "reviewer"
    return re.sub(r"[^A-Za-z0-9._-]", "-", name).strip("-._")[:40] or "reviewer"
