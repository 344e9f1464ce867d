"""Knowledge gaps as a table: what people ask and no document holds."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from ...api.records import PERHAPS
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api.records import Gaps


_BARS = " ▁▂▃▄▅▆▇█"
_LAST = 12  # months that are shown


def show_gaps(found: Gaps, screen: Screen, most: int = 12) -> None:
    """The groups, asked most first, with an example each, and over time where the log has dates."""
    if not found.groups:
        screen.say("no gaps: every question has evidence")
        return
    bad = found.unanswerable + found.badly
    told = f"{found.unanswerable} of {found.questions} questions no document answers"
    if found.share:
        told += f" ({found.share[0]:.0%} [{found.share[1]:.0%} {found.share[2]:.0%}])"
    if found.badly:
        told += f", and {found.badly} are served badly"
    sure = sum(each.asked for group in found.groups for each in group.members if each.why != PERHAPS)
    screen.say(f"{told}; asked {sure:,} of {found.asked:,} times")
    if found.corrected:
        fixed = found.corrected
        screen.say(
            f"as people would say, from the {fixed.labels} that they reviewed: {fixed.mean:.0%} [{fixed.low:.0%} {fixed.high:.0%}]"
        )
    if found.perhaps:
        screen.say(f"{found.perhaps} more are like them; whether anything answers those is doubtful", style="dim")
    months = list(found.months)[-_LAST:]
    columns = ["about", "questions", "asked", *(["by month"] if len(months) > 1 else []), "such as"]
    rows = []
    for group in found.groups[:most]:
        row = [", ".join(group.words[:3]) or "–", str(len(group.members)), f"{group.asked:,}"]
        if len(months) > 1:
            row.append(bars(group.months, months))
        rows.append([*row, shortened("; ".join(each.question for each in group.members[:2]), 90)])
    screen.table(columns, rows, right=(1, 2))
    if len(months) > 1:
        screen.say(f"by month: {months[0]} to {months[-1]}, each row to its own highest", style="dim")
    if len(found.groups) > most:
        screen.say(f"… and {len(found.groups) - most} groups more (--json has them all)", style="dim")
    single = sum(len(group.members) == 1 for group in found.groups)
    if single and bad > 3:
        screen.say(f"{single} of the {len(found.groups)} groups have one question alone", style="dim")


def bars(counts: Mapping[str, int], months: Sequence[str]) -> str:
    """A bar a month, as high as its count beside the highest."""
    most = max((counts.get(month, 0) for month in months), default=0)
    if not most:
        return ""
    return "".join(_BARS[-(-counts.get(month, 0) * (len(_BARS) - 1) // most)] for month in months)
