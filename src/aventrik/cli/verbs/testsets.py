"""`aventrik testsets`: lists, exports, splits, merges, samples, removes test sets; says how like real questions one is."""

from __future__ import annotations

import argparse
from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from ..arguments import SEEDS, finite, given_path, whole
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...core.testsets import Question
    from ...engine.likeness import Likeness
    from ...engine.opened import Opened
    from ...workspace.deciding import Settled

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
    parser.add_argument("--seed", type=whole(0, SEEDS), help="for --sample and --split (default: aventrik.toml)")
    parser.add_argument("--replace", action="store_true", help="write over a test set that is there")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Does what was asked for, then shows or lists."""
    from ...core.errors import BadInput
    from ...engine.opened import Opened

    opened = Opened(Path(options.workspace))
    opened.tell = screen.warn
    _check(options)
    named = [opened.workspace.testset_path(name) for name in options.testsets]
    for path in named:
        if not path.is_file():
            raise BadInput(f"{path}: no such test set")
    if options.against:
        return _against(options, opened, screen)
    if options.remove:
        for path in named:
            path.unlink()
            screen.say(f"removed {path.name}; runs that were made on it keep its questions")
        screen.result({"removed": [path.stem for path in named]})
        return 0
    if options.merge or options.split is not None or options.sample is not None:
        return _divide(options, opened, screen)
    if options.export:
        return _export(options, opened, screen)
    return _one(opened, named[0], screen) if len(named) == 1 else _list(opened, screen)


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
    if options.match and not options.against:
        raise BadInput("--match goes with --against")


def _list(opened: Opened, screen: Screen) -> int:
    from ...core.errors import BadInput

    runs = Counter(run.testset for run in opened.store.runs.all())
    rows, found = [], []
    for path in sorted((opened.workspace.folder / "testsets").glob("*.jsonl")):
        try:
            settled = opened.testset(path.stem)
        except BadInput as error:
            screen.warn(str(error))
            continue
        questions = settled.questions
        kinds, statuses = (Counter(getattr(question, what) for question in questions) for what in ("kind", "status"))
        found.append(
            {"testset": path.stem, "questions": len(questions), "kinds": dict(kinds), "statuses": dict(statuses)}
            | {"by": dict(Counter(question.by for question in questions)), "runs": runs[path.stem]}
            | {"decided": len(settled.decided), "conflicts": len(settled.conflicts)}
        )
        rows.append(
            [path.stem, str(len(questions)), _told(kinds), _told(statuses),
             _told(Counter(question.by for question in questions)), str(len(settled.decided) or "–"), str(runs[path.stem])]
        )  # fmt: skip
    screen.result(found)
    if not rows:
        screen.say("no test sets; 'aventrik draft' writes one")
        return 0
    screen.table(["test set", "questions", "kinds", "status", "by", "decided", "runs"], rows, right=(1, 5, 6))
    for each in found:
        if each["conflicts"]:
            screen.warn(
                f"{each['testset']}: people contradict each other on {each['conflicts']} questions, which stay drafts; "
                f"'aventrik review {each['testset']} --agreement' lists them"
            )
    return 0


def _told(counts: Counter[str]) -> str:
    return ", ".join(f"{name} {count}" for name, count in counts.most_common())


def _one(opened: Opened, path: Path, screen: Screen) -> int:
    from ...core.testsets.likeness import form_of

    settled = opened.testset(path.stem)
    questions = settled.questions
    form = form_of(questions, {})
    documents = Counter(q.needs[0].spans[0].doc for q in questions if q.needs)
    screen.result({"testset": path.stem, "questions": form.questions, "kinds": form.kinds, "styles": form.styles})
    screen.say(f"{path.name}: {form.questions} questions on {len(documents)} documents")
    screen.table(
        ["", ""],
        [
            ["kinds", _told(Counter(question.kind for question in questions))],
            ["status", _told(Counter(question.status for question in questions))],
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


def _divide(options: argparse.Namespace, opened: Opened, screen: Screen) -> int:
    from ...core.testsets.dividing import merged, sample, split

    seed = opened.workspace.settings.seed if options.seed is None else options.seed
    sets = [opened.testset(name).questions for name in options.testsets]
    parts: Sequence[list[Question]]
    if options.merge:
        parts = [merged(sets)]
    elif options.sample is not None:
        parts = [sample(sets[0], options.sample, seed)]
    else:
        parts = split(sets[0], options.split, seed)
    for name, part in zip(options.into, parts):
        _save(opened, name, part, options.replace, screen)
    screen.result({name: len(part) for name, part in zip(options.into, parts)})
    return 0


def _save(opened: Opened, name: str, questions: list[Question], replace: bool, screen: Screen) -> None:
    from ...core.errors import BadInput
    from ...workspace.testsets import save_testset

    path = opened.workspace.testset_path(name)
    if path.exists() and not replace:
        raise BadInput(f"{path}: exists already; --replace writes over it")
    if not questions:
        raise BadInput(f"{name}: would be empty; nothing was written")
    save_testset(path, questions)
    screen.say(f"{len(questions)} questions → testsets/{path.name}")


def _export(options: argparse.Namespace, opened: Opened, screen: Screen) -> int:
    from ...engine.exporting import qrels_of, rows_of, topics_of
    from ...report.tables import write_table
    from ...workspace.files import write_whole

    path: Path = options.export
    loaded = opened.testset(options.testsets[0]).questions
    questions: list[Question] = opened.located(list(loaded))[0]
    if path.suffix.lower() == ".trec":
        for suffix, text in ((".topics", topics_of(questions)), (".qrels", qrels_of(questions))):
            write_whole(path.with_suffix(suffix), text)
            screen.say(f"{len(questions)} questions → {path.with_suffix(suffix)}")
    else:
        write_table(path, rows_of(questions, opened.corpus))
        screen.say(f"{len(questions)} questions → {path}")
    screen.result({"file": str(path), "questions": len(questions)})
    return 0


def _against(options: argparse.Namespace, opened: Opened, screen: Screen) -> int:
    from ...engine.likeness import check_apart, likeness, matched

    draft = options.testsets[0]
    check_apart(draft, options.against)
    made = likeness(opened, draft, options.against)
    screen.result(made.as_json())
    show_likeness(made, screen)
    if options.match:
        _save(opened, options.match, matched(opened, draft, options.against), options.replace, screen)
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
            ["order of configurations by", "tau-b", "95 %", "real differences", "same way", "other way", "easier by"],
            [
                [each.measure, "–" if each.tau is None else f"{each.tau:+.2f}", f"[{each.low:+.2f} {each.high:+.2f}]",
                 str(each.real), str(each.same), str(each.wrong), f"{each.easier:+.2f}"]
                for each in made.orders
            ],
            right=(1, 2, 3, 4, 5, 6),
        )  # fmt: skip
    for note in made.notes:
        screen.say(f"  {note}", style="dim")
    screen.say(f"\n{made.draft}: {made.verdict}")


def _levels(shares: Mapping[str, float]) -> str:
    first, five = shares.get("easy", 0.0), shares.get("easy", 0.0) + shares.get("middle", 0.0)
    return f"{first:.0%} first, {five:.0%} among five"
