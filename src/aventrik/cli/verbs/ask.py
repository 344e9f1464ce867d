"""`aventrik ask`: one question through configurations, now."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from rich.text import Text

from ..arguments import whole
from ..opening import first_configuration, open_workspace
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api.records import AskedNow

HELP = (
    "Takes one question through a configuration and shows what each stage made of it and how long that took; with "
    "several configurations, side by side."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("question", metavar="QUESTION", help="as a person would type it")
    parser.add_argument(
        "configurations", metavar="CONFIG", nargs="*", help="files or names of configurations (default: the first)"
    )
    parser.add_argument("--where", metavar="CONDITION", help="only documents whose metadata say so, for this question")
    parser.add_argument(
        "--before", metavar="TEXT", action="append", default=[],
        help="a question that was asked before it in the conversation, for the rewriting 'conversation'; once for each",
    )  # fmt: skip
    parser.add_argument(
        "--steps", action="store_true",
        help="also the list that search found and that behind each reranking step, with what was dropped and cut away",
    )  # fmt: skip
    parser.add_argument("--top", metavar="N", type=whole(1), default=5, help="candidates to show (default 5)")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Asks and shows."""
    from ... import api
    from ...core.errors import BadInput
    from ..explain_views.explanation import as_json

    if not options.question.strip():
        raise BadInput("the question is empty")
    opened = open_workspace(options, screen)
    chosen = options.configurations or [first_configuration(opened, None, screen)]
    with screen.progress() as meter:
        found = api.ask(
            opened, options.question, chosen, where=options.where, before=options.before, progress=meter
        )  # fmt: skip
    screen.result(
        [
            {
                **as_json(each.explanation),
                "seconds": each.seconds,
                "documents": each.documents,
                "passed": each.passed,
                "recall": each.recall,
                "models": each.models,
            }
            for each in found
        ]
    )
    screen.say(options.question, style="bold")
    if len(found) == 1:
        _alone(found[0], screen, options.top, options.steps)
    else:
        _side_by_side(found, screen, options.top)
    return 0


def _alone(found: AskedNow, screen: Screen, top: int, steps: bool) -> None:
    from ...report.figures import time_told
    from ..explain_views.explanation import show_lists, show_stages

    explanation = found.explanation
    screen.say(f"through {explanation.configuration.name}")
    where = explanation.configuration.search.where
    if where:
        screen.say(f"filter: {where}: {found.passed:,} of {found.documents:,} documents pass")
    if found.recall is not None:
        screen.say(f"the approximate index finds {found.recall:.1%} of the ten nearest")
    show_stages(explanation, screen, top, texts=True, seconds=found.seconds)
    if steps:
        show_lists(explanation, screen, top)
    screen.title("time")
    screen.say(", ".join(f"{stage} {time_told(seconds)}" for stage, seconds in found.seconds.items()))
    if found.models["calls"]:
        screen.say(
            f"models: {found.models['calls']:,.0f} calls, {found.models['tokens_in']:,.0f} tokens in, "
            f"{found.models['tokens_out']:,.0f} out, {found.models['money']:.4f} in money"
        )


def _side_by_side(found: Sequence[AskedNow], screen: Screen, top: int) -> None:
    """The first candidates of each configuration in a column of its own, then what each answers."""
    from ...report.figures import time_told

    lists = [each.explanation.ranked for each in found]
    seen: dict[tuple[str, Any], int] = {}
    for each, ranked in zip(found, lists):
        for number, _ in ranked[:top]:
            place = _place(each, number)
            seen[place] = seen.get(place, 0) + 1
    rows = []
    for rank in range(max((min(top, len(ranked)) for ranked in lists), default=0)):
        row: list[str | Text] = [str(rank + 1)]
        for each, ranked in zip(found, lists):
            chunk = ranked[rank][0] if rank < len(ranked) else None
            everywhere = chunk is not None and seen[_place(each, chunk)] == len(found)
            row.append("" if chunk is None else _cell(each, chunk, ranked[rank][1], everywhere))
        rows.append(row)
    screen.table(["", *(each.explanation.configuration.name for each in found)], rows, right=(0,))
    screen.say("= its section stands in every column; behind a method its rank", style="dim")
    for each in found:
        screen.title(each.explanation.configuration.name)
        answer = each.explanation.stages.get("answer")
        if answer is not None:
            screen.say(answer.text or f"no answer: {answer.failure}")
        judged = each.explanation.stages.get("verdicts")
        verdicts = [verdict.verdict for verdict in judged.verdicts] if judged is not None else []
        told = ", ".join(f"{verdicts.count(name)} {name}" for name in dict.fromkeys(verdicts)) or "no claims"
        time = sum(seconds for stage, seconds in each.seconds.items() if stage != "indexes")
        filtered = "" if each.passed == each.documents else f"; {each.passed:,} of {each.documents:,} documents pass"
        screen.say(
            f"claims: {told}; {time_told(time)}, and {time_told(each.seconds['indexes'])} for indexes{filtered}",
            style="dim",
        )


def _place(found: AskedNow, chunk: int) -> tuple[str, Any]:
    row = found.explanation.chunks[chunk]
    return row["doc"], tuple(row["source"])


def _cell(found: AskedNow, chunk: int, score: float, everywhere: bool) -> Text:
    row = found.explanation.chunks[chunk]
    candidate = next(each for each in found.explanation.stages["candidates"].found if each.chunk == chunk)
    ranks = [
        f"{name} {at}" for name, at in (("keyword", candidate.keyword_rank), ("vector", candidate.vector_rank)) if at
    ]
    cell = Text("= " if everywhere else "", style="bold")
    cell.append(f"{row['doc']}", style="bold not dim")
    cell.append(f" {' › '.join(row['source'][1:][-1:])}", style="not bold")
    cell.append(f"\n{shortened(row['text'], 90)}", style="not bold dim")
    cell.append(f"\n{score:.3f} {', '.join(ranks) or 'by a rewrite'}", style="not bold")
    return cell
