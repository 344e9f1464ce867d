"""`aventrik draft`: writes a test set from the corpus."""

from __future__ import annotations

import argparse
from collections import Counter
from typing import TYPE_CHECKING, Any

from ..arguments import SEEDS, finite, share, whole
from ..opening import open_workspace
from ..screen import Screen, shortened
from ..views.planning import show_needed

if TYPE_CHECKING:
    from ...api import Drafted
    from ...api.records import Brief, Draft

HELP = (
    "Writes a test set from the corpus: wordings that people made (titles of sections, questions of an FAQ, captions), "
    "which are then hidden from what is searched, and sentences and table rows that state a fact. Each question is "
    "checked against the whole corpus; unclear and ambiguous ones are dropped."
)
_COUNT, _ALL = 50, 10_000
_HIDING = ("title", "heading", "caption", "how-to row", "joined", "difference")  # rules that hide what they ask with


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("-n", "--count", type=whole(1), help=f"how many questions (default {_COUNT})")
    parser.add_argument("--testset", metavar="NAME", default="draft", help="the file in testsets/ (default draft)")
    parser.add_argument("--seed", type=whole(0, SEEDS), help="for the choice of passages (default: aventrik.toml)")
    parser.add_argument("--writer", metavar="MODEL", default="", help="the model that writes (default: aventrik.toml)")
    parser.add_argument(
        "--from-headings", action="store_true", help="only headings that ask (an FAQ), as they are; all there are"
    )
    wanted = parser.add_argument_group("what is wanted (default: [drafting] in aventrik.toml)")
    wanted.add_argument("--audience", metavar="TEXT", help="who asks, and what they come with; or a file with it")
    wanted.add_argument("--examples", metavar="FILE", help="real questions whose form is imitated")
    for name, told in (("kinds", "single, joined, …"), ("styles", "question, search, …"), ("difficulty", "easy, …")):
        wanted.add_argument(f"--{name}", metavar="NAME=SHARE,…", help=f"shares: {told}")
    wanted.add_argument("--at-most", metavar="SHARE", type=finite, help="the most that one document may give")
    parser.add_argument(
        "--plan", metavar="X", type=share,
        help="say how many questions show a true difference of X (0 to 1), and draft nothing",
    )  # fmt: skip
    parser.add_argument("--fresh", action="store_true", help="ask the model anew, whatever the call store has")
    parser.add_argument("--add", action="store_true", help="add to the test set if it exists")
    parser.add_argument("--replace", action="store_true", help="write it anew if it exists")
    parser.add_argument("--show", metavar="N", type=whole(0), default=6, help="questions to print (default 6)")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Drafts, saves, and shows some of it."""
    from ... import api

    opened = open_workspace(options, screen, fresh=options.fresh)
    if options.plan is not None:
        planned = api.plan_testset(opened, options.plan, count=options.count or _COUNT)
        screen.result(planned.as_json())
        show_needed(planned, screen)
        return 0
    with screen.progress() as meter:
        found = api.draft(
            opened, options.testset, options.count, writer=options.writer, wanted=_given(options),
            from_headings=options.from_headings, seed=options.seed, add=options.add, replace=options.replace, progress=meter,
        )  # fmt: skip
    made = found.draft
    if found.note:
        screen.warn(found.note)
    screen.result(_record(found))
    documents = {quoted.doc for question in made.questions for need in question.needs for quoted in need.spans}
    screen.say(
        f"drafted {len(made.questions)} questions from {len(documents):,} documents → testsets/{found.path.name}; dropped ones "
        f"and why: reports/{found.dropped.name}"
    )
    show_made(made, found.brief, screen)
    if made.grades:
        screen.say(_grades_line(made, found.path.stem))
    show_some(made, options.show, screen)
    screen.say("\n" + trusted(found.already + len(made.questions)))
    return 0


def _grades_line(made: Draft, name: str) -> str:
    counts = Counter(grade for _, _, _, grade, _ in made.grades)
    return (
        f"  passages graded by the writer: {_counts_line(Counter({str(grade): n for grade, n in sorted(counts.items())}))} "
        f"(reports/passages-{name}.csv); 'aventrik review --passages' tells how far you agree"
    )


def _given(options: argparse.Namespace) -> dict[str, Any]:
    """What the options say of the draft, in the form of the settings."""
    found: dict[str, Any] = {
        name: value for name in ("audience", "examples", "at_most") if (value := getattr(options, name)) is not None
    }
    for name in ("kinds", "styles", "difficulty"):
        if getattr(options, name) is not None:
            found[name] = _shares(name, getattr(options, name))
    return found


def _shares(option: str, text: str) -> dict[str, float]:
    from ...core.errors import BadInput

    found = {}
    for piece in text.split(","):
        name, sign, share = piece.partition("=")
        try:
            found[name.strip()] = float(share) if sign else 1.0
        except ValueError:
            raise BadInput(f"--{option}: '{piece.strip()}' must be a name and a share, such as question=0.5") from None
    return found


def _record(found: Drafted) -> dict[str, Any]:
    made = found.draft
    return {
        "testset": str(found.path),
        "drafted": len(made.questions),
        "questions": found.already + len(made.questions),
        "passages": made.passages,
        "wanted": made.wanted,
        "made": dict(made.made),
        "styles": dict(Counter(question.meta.get("style", "") for question in made.questions)),
        "passed_over": dict(Counter(reason for _, _, reason in made.passed_over)),
        "dropped": dict(made.reasons),
        "aside": dict(made.aside),
        "dropped_file": str(found.dropped),
        "contested": [[*pair, times] for pair, times in made.contested.most_common()],
    }


def show_made(made: Draft, brief: Brief, screen: Screen) -> None:
    """What was wanted and made of each kind, and why some are missing."""
    rows = []
    for kind, wanted in made.wanted.items():
        count = made.made[kind]
        if wanted or count:
            rows.append([kind, f"{wanted}", f"{count}", _why(made, kind, wanted - count)])
    if rows:
        screen.table(["kind", "wanted", "made", ""], rows, right=(1, 2))
    for quota, given in made.quotas.items():
        wanted = next(each.wanted(brief.count) for each in brief.quotas if each.name == quota)
        short = f", {wanted - given} missing: its documents offer no more" if given < wanted else ""
        screen.say(f"  quota {quota}: {given} of {wanted}{short}")
    missing = brief.count - len(made.questions)
    if missing > 0 and not brief.headings_only:
        screen.warn(
            f"asked for {brief.count}: {missing} are missing; the documents hold no more that make a clear question"
        )
    screen.say(
        "  styles: " + _counts_line(Counter(str(q.meta["style"]) for q in made.questions if "style" in q.meta))
        + " · hard to find: " + _counts_line(Counter(q.meta["difficulty"]["level"] for q in made.questions if "difficulty" in q.meta))
    )  # fmt: skip
    if made.reasons:
        screen.say("  dropped as not good enough: " + _counts_line(made.reasons))
    if made.aside:
        screen.say("  good but one too many: " + _counts_line(made.aside))
    if made.passed_over:
        screen.say("  passages passed over: " + _counts_line(Counter(reason for _, _, reason in made.passed_over), 4))
    for (doc, rival), count in made.contested.most_common(3):
        if doc != rival:
            screen.say(f"  {doc} and {rival} say different things in the same words ({count} times)")


def _why(made: Draft, kind: str, missing: int) -> str:
    if missing <= 0:
        return ""
    return f"{made.offered[kind]:,} are offered, {made.offered[kind] - made.made[kind]:,} of them not good enough or too alike"


def _counts_line(counts: Counter[str], most: int = 6) -> str:
    return ", ".join(f"{name} {count}" for name, count in counts.most_common(most))


def show_some(made: Draft, count: int, screen: Screen) -> None:
    """Some of the questions, spread over the draft."""
    for question in made.questions[:: max(1, len(made.questions) // max(1, count))][:count]:
        screen.title(f"{question.id}  {question.question}")
        if not question.needs:
            screen.say(f"  no document answers it (near: {question.meta.get('near', '')})", style="dim")
            continue
        screen.say(f"  {shortened(question.answer, 240)}")
        spans = question.needs[0].spans
        more = f", and {len(spans) - 1} more" if len(spans) > 1 else ""
        own = question.hide and question.meta.get("rule") in _HIDING
        hidden = f"; hidden: {shortened(question.hide[0].quote, 60)}" if own else ""
        screen.say(f"  {spans[0].doc}, {spans[0].start:,}–{spans[0].end:,}{more}{hidden}", style="dim")


def trusted(count: int) -> str:
    """What a draft of so many questions may be trusted for, as far as that is known without real ones."""
    from ...api.records import ENOUGH

    if count < ENOUGH:
        return f"{count} questions decide nothing: draft at least {ENOUGH} before you compare configurations by them"
    return "no draft is a log of real questions: 'aventrik testsets DRAFT --against REAL' says how far this one is like yours"
