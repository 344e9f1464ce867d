"""`aventrik draft`: writes a test set from the corpus."""

from __future__ import annotations

import argparse

from ..arguments import SEEDS, whole
from ..opening import open_corpus
from ..screen import Screen

HELP = (
    "Writes a test set from the corpus: passages are picked from all over it, sentences that state a fact become "
    "questions, and each question is checked against the whole corpus. Unclear and ambiguous ones are dropped."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("-n", "--count", type=whole(1), default=50, help="how many questions (default 50)")
    parser.add_argument("--testset", metavar="NAME", default="draft", help="the file in testsets/ (default draft)")
    parser.add_argument("--seed", type=whole(0, SEEDS), help="for the choice of passages (default: aventrik.toml)")
    parser.add_argument("--writer", metavar="MODEL", default="", help="the model that writes (default: aventrik.toml)")
    parser.add_argument("--fresh", action="store_true", help="ask the model anew, whatever the call store has")
    parser.add_argument("--add", action="store_true", help="add to the test set if it exists")
    parser.add_argument("--replace", action="store_true", help="write it anew if it exists")
    parser.add_argument("--show", metavar="N", type=whole(0), default=6, help="questions to print (default 6)")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Drafts, saves, and shows some of it."""
    from ...core.errors import BadInput
    from ...engine.drafting import draft_questions
    from ...workspace.testsets import load_testset, save_testset

    if options.count < 1:
        raise BadInput("--count must be at least 1")
    opened = open_corpus(options, fresh=options.fresh)
    path = opened.workspace.testset_path(options.testset)
    already = []
    if path.exists() and not options.replace:
        if not options.add:
            raise BadInput(f"{path}: exists already; --add adds to it, --replace writes it anew")
        already = load_testset(path)
    with screen.progress() as meter:
        opened.progress = meter
        made = draft_questions(
            opened, options.count, options.seed, options.writer, already,
            lambda done: meter("drafting", done, options.count),
        )  # fmt: skip
    if not made.questions:
        raise BadInput(f"no good question was found in {made.passages:,} passages; nothing was written")
    save_testset(path, [*already, *made.questions])
    screen.result(
        {
            "testset": str(path),
            "drafted": len(made.questions),
            "questions": len(already) + len(made.questions),
            "passages": made.passages,
            "dropped": dict(made.dropped),
            "contested": [[*pair, times] for pair, times in made.contested.most_common()],
        }
    )
    documents = {quoted.doc for question in made.questions for need in question.needs for quoted in need.spans}
    screen.say(
        f"drafted {len(made.questions)} questions from {made.passages:,} passages of {len(documents):,} documents → testsets/{path.name}"
    )
    if len(made.questions) < options.count:
        screen.say(f"asked for {options.count}; there are no more sentences that make a clear question")
    for reason, count in made.dropped.most_common():
        screen.say(f"  dropped {count:>4}  {reason}")
    for (doc, rival), count in made.contested.most_common(3):
        if doc != rival:
            screen.say(f"  {doc} and {rival} say different things in the same words ({count} times)")
    for question in made.questions[:: max(1, len(made.questions) // max(1, options.show))][: options.show]:
        screen.title(f"{question.id}  {question.question}")
        screen.say(f"  {question.answer}")
        spans = question.needs[0].spans
        more = f", and {len(spans) - 1} more" if len(spans) > 1 else ""
        screen.say(f"  {spans[0].doc}, {spans[0].start:,}–{spans[0].end:,}{more}", style="dim")
    screen.say(
        "\ndrafted questions are easier than real ones: set them beside real questions before you trust a ranking"
    )
    return 0
