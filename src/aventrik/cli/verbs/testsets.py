"""`aventrik testsets`: lists, exports, splits, merges, samples, removes test sets; says how like real questions one is."""

from __future__ import annotations

import argparse
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from ..arguments import SEEDS, finite, given_path, share, whole
from ..opening import open_workspace
from ..screen import Screen, shortened
from ..views.planning import show_needed

if TYPE_CHECKING:
    from ...api.records import Likeness, OpenWorkspace, Question, Settled

HELP = (
    "Lists test sets; with one named, shows what is in it, exports it, draws a sample, or splits it. With --against, says "
    "how like real questions a draft is, and what it may be trusted for."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("testsets", metavar="TESTSET", nargs="*", help="test sets by name")
    parser.add_argument("--against", metavar="REAL", help="hold the named draft against a set of real questions")
    parser.add_argument(
        "--match", metavar="NAME", help="with --against: save the subset that is most like them as NAME"
    )
    parser.add_argument(
        "--export", metavar="FILE", type=given_path,
        help="write a table, a line a question (.csv, .jsonl, .parquet, .xlsx), or FILE.topics and FILE.qrels (.trec)",
    )  # fmt: skip
    parser.add_argument("--sample", metavar="N", type=whole(1), help="draw N questions by lot; save them with --into")
    parser.add_argument("--split", metavar="SHARE", type=finite, help="split it, no document in both; two --into")
    parser.add_argument("--merge", action="store_true", help="put the named sets together, repeats once; one --into")
    parser.add_argument("--into", metavar="NAME", action="append", default=[], help="the name of what is written")
    parser.add_argument("--remove", action="store_true", help="remove the named test sets; runs keep their questions")
    parser.add_argument(
        "--plan", metavar="X", type=share,
        help="how many questions show a true difference of X (0 to 1) on this corpus, for 2, 8 and 40 configurations",
    )  # fmt: skip
    parser.add_argument("--measure", metavar="NAME", help="for --plan: the measure that is meant (default: hit@5)")
    parser.add_argument("--seed", type=whole(0, SEEDS), help="for --sample and --split (default: aventrik.toml)")
    parser.add_argument("--replace", action="store_true", help="write over a test set that is there")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Does what was asked for, then shows or lists."""
    from ... import api

    opened = open_workspace(options, screen)
    _check(options)
    named = api.check_testsets(opened, options.testsets)
    if options.plan is not None:
        questions = api.load_questions(opened, options.testsets[0])[0] if options.testsets else []
        made = api.plan_testset(opened, options.plan, questions=questions, measure=options.measure or "hit@5")
        screen.result(made.as_json())
        show_needed(made, screen, options.testsets[0] if options.testsets else "")
        return 0
    if options.against:
        return _against(options, opened, screen)
    if options.remove:
        for path in api.remove_testsets(opened, options.testsets):
            screen.say(f"removed {path.name}; runs that were made on it keep its questions")
        screen.result({"removed": [path.stem for path in named]})
        return 0
    if options.merge or options.split is not None or options.sample is not None:
        return _divide(options, opened, screen)
    if options.export:
        return _export(options, opened, screen)
    return _one(opened, options.testsets[0], screen) if len(named) == 1 else _list(opened, screen)


def _check(options: argparse.Namespace) -> None:
    from ...core.errors import BadInput

    wanted = [
        name for name in ("against", "export", "sample", "split", "merge", "remove")
        if getattr(options, name) not in (None, False)
    ]  # fmt: skip
    if len(wanted) > 1:
        raise BadInput(f"--{wanted[0]} and --{wanted[1]} can't be done at once")
    if wanted and not options.testsets:
        raise BadInput(f"--{wanted[0]} needs a test set")
    if wanted and wanted[0] not in ("merge", "remove") and len(options.testsets) != 1:
        raise BadInput(f"--{wanted[0]} needs exactly one test set")
    into = {"sample": 1, "split": 2, "merge": 1}.get(wanted[0] if wanted else "", 0)
    if len(options.into) != into:
        raise BadInput(
            f"--{wanted[0]} needs {into} --into" if into else "--into goes with --sample, --split or --merge"
        )
    if options.split is not None and not 0 < options.split < 1:
        raise BadInput("--split needs a share between 0 and 1")
    if options.plan is not None and (wanted or len(options.testsets) > 1):
        raise BadInput("--plan is of one test set, or of none yet, and does nothing else")
    if options.measure and options.plan is None:
        raise BadInput("--measure goes with --plan")
    if options.match and not options.against:
        raise BadInput("--match goes with --against")


def _list(opened: OpenWorkspace, screen: Screen) -> int:
    from ... import api

    found = api.list_testsets(opened)
    screen.result(
        [
            {
                "testset": each.testset, "questions": each.questions, "kinds": each.kinds, "statuses": each.statuses,
                "by": each.by, "runs": each.runs, "decided": each.decided, "conflicts": each.conflicts,
            }
            for each in found
        ]
    )  # fmt: skip
    if not found:
        screen.say("no test sets; 'aventrik draft' writes one")
        return 0
    screen.table(
        ["test set", "questions", "kinds", "status", "by", "decided", "runs"],
        [
            [each.testset, str(each.questions), _counts_line(each.kinds), _counts_line(each.statuses), _counts_line(each.by),
             str(each.decided or "–"), str(each.runs)]
            for each in found
        ],
        right=(1, 5, 6),
    )  # fmt: skip
    for each in found:
        if each.conflicts:
            screen.warn(
                f"{each.testset}: people contradict each other on {each.conflicts} questions, which stay drafts; "
                f"'aventrik review {each.testset} --agreement' lists them"
            )
    return 0


def _counts_line(counts: Mapping[str, int]) -> str:
    return ", ".join(f"{name} {count}" for name, count in Counter(counts).most_common())


def _one(opened: OpenWorkspace, name: str, screen: Screen) -> int:
    from ... import api

    path = api.testset_file(opened, name)
    settled = api.decided_testset(opened, path.stem)
    questions = settled.questions
    form = api.form_of(questions)
    documents = Counter(q.needs[0].spans[0].doc for q in questions if q.needs)
    screen.result({"testset": path.stem, "questions": form.questions, "kinds": form.kinds, "styles": form.styles})
    screen.say(f"{path.name}: {form.questions} questions on {len(documents)} documents")
    screen.table(
        ["", ""],
        [
            ["kinds", _counts_line(Counter(question.kind for question in questions))],
            ["status", _counts_line(Counter(question.status for question in questions))],
            ["people", _people(settled)],
            ["begin with", _percent(form.openings)],
            ["styles", _percent(form.styles)],
            ["words", f"{form.words:.1f} on average, {form.copied:.0%} of their meaning copied (median)"],
            ["most of", ", ".join(f"{name} {count}" for name, count in documents.most_common(4))],
            ["hidden", f"{sum(len(question.hide) for question in questions)} spans"],
        ],
    )
    for question in questions[:5]:
        screen.say(shortened(f"  {question.id}  {question.question}", 150))
    return 0


def _people(settled: Settled) -> str:
    """Who decided on how many, and how many are contradicted."""
    counts = Counter(who for people in settled.decided.values() for who in people)
    told = ", ".join(f"{who} {count}" for who, count in sorted(counts.items())) or "nobody looked at it yet"
    return told + (f"; they contradict each other on {len(settled.conflicts)}" if settled.conflicts else "")


def _percent(shares: Mapping[str, float], most: int = 6) -> str:
    return ", ".join(f"{name} {share:.0%}" for name, share in list(shares.items())[:most])


def _divide(options: argparse.Namespace, opened: OpenWorkspace, screen: Screen) -> int:
    from ... import api

    names = options.testsets
    parts: Sequence[list[Question]]
    if options.merge:
        parts = [api.merge_testsets(opened, names)]
    elif options.sample is not None:
        parts = [api.sample_testset(opened, names[0], options.sample, seed=options.seed)]
    else:
        parts = api.split_testset(opened, names[0], options.split, seed=options.seed)
    for name, part in zip(options.into, parts):
        _save(opened, name, part, options.replace, screen)
    screen.result({name: len(part) for name, part in zip(options.into, parts)})
    return 0


def _save(opened: OpenWorkspace, name: str, questions: list[Question], replace: bool, screen: Screen) -> None:
    from ... import api

    path = api.save_questions(opened, name, questions, replace=replace)
    screen.say(f"{len(questions)} questions → testsets/{path.name}")


def _export(options: argparse.Namespace, opened: OpenWorkspace, screen: Screen) -> int:
    from ... import api

    files, count = api.export_testset(opened, options.testsets[0], options.export)
    for path in files:
        screen.say(f"{count} questions → {path}")
    screen.result({"file": str(options.export), "questions": count})
    return 0


def _against(options: argparse.Namespace, opened: OpenWorkspace, screen: Screen) -> int:
    from ... import api

    draft = options.testsets[0]
    made = api.likeness(opened, draft, options.against)
    screen.result(made.as_json())
    show_likeness(made, screen)
    if options.match:
        _save(opened, options.match, api.most_alike(opened, draft, options.against), options.replace, screen)
    return 0


def show_likeness(made: Likeness, screen: Screen) -> None:
    """Both sets side by side, how well they are told apart, how they order configurations, and the verdict."""
    ours, theirs = made.forms
    screen.title(f"{made.draft} beside {made.real}")
    screen.table(
        ["", made.draft, made.real],
        [
            ["questions", str(ours.questions), str(theirs.questions)],
            ["words", f"{ours.words:.1f}", f"{theirs.words:.1f}"],
            ["different words with a meaning", f"{ours.terms:.1f}", f"{theirs.terms:.1f}"],
            ["of these in the evidence (median)", f"{ours.copied:.0%}", f"{theirs.copied:.0%}"],
            ["begin with", _percent(ours.openings, 5), _percent(theirs.openings, 5)],
            ["style", _percent(ours.styles, 4), _percent(theirs.styles, 4)],
            ["found by plain keyword search", _levels(ours.levels), _levels(theirs.levels)],
            ["kinds", _percent(ours.kinds, 5), _percent(theirs.kinds, 5)],
        ],
    )
    if made.told_apart:
        area = made.told_apart
        by = ", ".join(f"{name} ({gap:+.1f} sd)" for name, gap in area.by)
        screen.say(
            f"a classifier that sees their form alone tells them apart with an area of {area.area:.2f} [{area.low:.2f} {area.high:.2f}] "
            f"(0.5: not at all, 1: always); by {by}"
        )
    most = sorted(made.topics.items(), key=lambda row: -abs(row[1][0] - row[1][1]))[:3]
    told = ", ".join(f"{name} {a:.0%} against {b:.0%}" for name, (a, b) in most)
    screen.say(f"topics: {made.apart_by:.0%} of the questions would have to move ({told})")
    if made.orders:
        screen.table(
            ["by", "correlation", "95 %", "worse pick", "real", "same", "other", "easier"],
            [
                [each.measure, f"{each.correlation:+.2f}", f"[{each.low:+.2f} {each.high:+.2f}]", f"{each.worse:.0%}",
                 str(each.real), str(each.same), str(each.wrong), f"{each.easier:+.2f}"]
                for each in made.orders
            ],
            right=(1, 3, 4, 5, 6, 7),
        )  # fmt: skip
        screen.say(
            "correlation of the configurations' true means, the noise of both sets taken off; worse pick: the chance that the draft's "
            "best is worse on the real questions, by more than 0.05, than the best one there; real: pairs that the real questions tell "
            "apart, and how many of these the draft does the same way, or the other way round",
            style="dim",
        )
    for note in made.notes:
        screen.say(f"  {note}", style="dim")
    screen.say(f"\n{made.draft}: {made.verdict}")


def _levels(shares: Mapping[str, float]) -> str:
    first, five = shares.get("easy", 0.0), shares.get("easy", 0.0) + shares.get("middle", 0.0)
    return f"{first:.0%} first, {five:.0%} among five"
