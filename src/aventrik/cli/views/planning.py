"""How many questions a test set needs, as a table."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..screen import Screen

if TYPE_CHECKING:
    from ...api.records import Needed, Plan


def show_needed(found: Needed, screen: Screen, name: str = "") -> None:
    """A row a number of configurations, then where the figures come from."""
    screen.title(f"questions that show a true difference of {found.difference:g} in {found.measure}, with 80 % power")
    documents = found.like[0].documents
    columns = ["configurations", "these documents", f"documents like these ({documents:,})"]
    rows = [[str(one.configurations), _told(one), _told(other)] for one, other in zip(found.these, found.like)]
    if found.there:
        columns.append(f"{found.there:,} questions show")
        for row, shown in zip(rows, found.shows):
            row.append("nothing" if shown is None else f"{shown:.2f}")
    screen.table(columns, rows, right=range(len(columns)))
    screen.say(
        "these documents: they stay, and questions are drawn; documents like these: documents are drawn too, so many of them, and "
        "their questions lean on each other",
        style="dim",
    )
    change = (
        f"{found.changes.square:.0%} of questions"
        if found.changes.size == found.changes.square
        else (f"a question by {found.changes.square**0.5:.2f} (root mean square)")
    )
    source = (
        f"as the last {found.runs} runs here tell"
        if found.runs
        else "as is usual; run configurations to learn it for yours"
    )
    screen.say(f"from one run to another changes {change}, {source}", style="dim")


def _told(plan: Plan) -> str:
    return "no number" if plan.questions is None else f"{plan.questions:,}"
