"""What each setting contributed, which settings act on each other, and two of them crossed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text

from ...report.figures import number, p_told
from ...report.run_names import short_names
from ..screen import Screen, shortened
from ..views.bars import lines_with_differences
from ..views.columns import Column, fitted, lines

if TYPE_CHECKING:
    from ...api.records import Comparison, Contribution, Crossed, Interaction


_ROWS = 7
_REAL = 3  # interactions that are told
_VALUE = 20


def show_contributions(found: Comparison, screen: Screen, every: bool = False) -> None:
    """Prints the contributions, the greatest first, each with its interval drawn."""
    made = sorted(found.contributions, key=lambda each: -abs(each.difference.mean))
    if not made:
        return
    shown = made if every else made[:_ROWS]
    screen.title(f"what each setting brought to {found.measure}, all other settings equal{_some(shown, made)}")
    columns: list[Column | None] = [
        Column("setting", [each.setting for each in shown]),
        Column("value", [shortened(each.value, _VALUE) for each in shown]),
        Column("instead of", [shortened(each.instead_of, _VALUE) for each in shown]),
        Column("brings", [f"{each.difference.mean:+.2f}" for each in shown], right=True),
        None,
        Column("", [verdict_of(each, found.less) for each in shown]),
        Column("p", [p_told(each.p) for each in shown], right=True, rank=2),
        Column("pairs", [str(each.pairs) for each in shown], right=True, rank=3),
    ]
    for line in lines_with_differences(columns, [each.difference for each in shown], screen.out.width):
        screen.text(line)


def _some(shown: Sequence[object], made: Sequence[object]) -> str:
    return f" ({len(shown)} of {len(made)}: --all)" if len(shown) < len(made) else ""


def verdict_of(each: Contribution | Interaction, less: bool) -> Text:
    """Whether a difference is real, and which way."""
    if each.difference.same:
        return Text("the same", style="dim")
    if not each.real:
        return Text("not shown", style="dim")
    better = (each.difference.mean > 0) != less
    return Text("better, real" if better else "worse, real", style="green" if better else "red")


def show_interactions(found: Comparison, screen: Screen, every: bool = False) -> None:
    """Prints the interactions that are real."""
    real = sorted((each for each in found.interactions if each.real), key=lambda each: -abs(each.difference.mean))
    if not real:
        return
    shown = real if every else real[:_REAL]
    screen.title(f"settings that act on each other{_some(shown, real)}")
    short = short_names(found)
    for each in shown:
        one, other = short.get(each.setting, each.setting), short.get(each.other, each.other)
        screen.say(
            f"{one} {each.value} instead of {each.instead_of} brings {each.here:+.2f} with {other} {each.other_value}, "
            f"{each.there:+.2f} with {other} {each.other_instead_of} (p {p_told(each.p)})"
        )


def show_crossed(found: Comparison, made: Crossed, screen: Screen) -> None:
    """Prints two settings crossed, with the best cell and those that may be it."""
    screen.title(f"{found.measure} by {made.first} and {made.second}")
    columns = [Column(made.first, list(made.rows))]
    for name in made.columns:
        cells: list[str | Text] = []
        for row in made.rows:
            cell = made.at(row, name)
            if cell is None:
                cells.append("·")
                continue
            mark = "*" if cell.best else "≈" if cell.level else " "
            cells.append(Text(f"{mark}{number(cell.interval.mean)}", style="bold" if cell.best else ""))
        columns.append(Column(shortened(name, _VALUE), cells, right=True, rank=1 + len(columns)))
    kept, out = fitted(columns, screen.out.width)
    for line in lines(kept, screen.out.width):
        screen.text(line)
    if out:
        screen.say(f"left out for want of room: {', '.join(column.title for column in out)}", style="dim")
    facet = made.second in found.facets or made.second == "topic"
    where = "of a column" if facet else "of all"
    screen.say(f"means over the runs with both values; * best {where}, ≈ may be the best", style="dim")
    if made.uneven:
        screen.warn(
            f"the runs behind these cells differ in other settings too: compare cells with care, or sweep {made.first} and "
            f"{made.second} in every combination"
        )
