"""Where two runs differ: groups of questions, and questions that flipped."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text

from ...report.figures import number, p_told
from ...report.run_names import run_sentence
from ..screen import Screen, shortened
from ..views.bars import lines_with_differences
from ..views.columns import Column, lines

if TYPE_CHECKING:
    from ...api.records import Comparison, Group, MovedQuestion


_TOLD = 3  # groups that are told of themselves
_FLIPS = 3


def show_turned(found: Comparison, screen: Screen) -> None:
    """Prints the groups in which the order turns round, or another run is better than the best; nothing where there are
    none."""
    turned = [each for each in found.groups if each.turned]
    beaten = [each for each in found.beaten if (each.facet, each.label) not in {(g.facet, g.label) for g in turned}]
    if not turned and not beaten:
        return
    screen.title("where the order turns round")
    for each in turned[:_TOLD]:
        screen.say(
            f"{_name(each.facet, each.label)} ({each.n} questions): {run_sentence(found, found.against)} is better, "
            f"{number(each.theirs)} against {number(each.ours)} (p {p_told(each.p)})"
        )
    for one in beaten[: max(0, _TOLD - len(turned))]:
        screen.say(
            f"{_name(one.facet, one.label)} ({one.n} questions): {run_sentence(found, one.place)} is better than the best by "
            f"{abs(one.difference.mean):.2f} (p {p_told(one.p)})"
        )
    more = len(turned) + len(beaten) - _TOLD
    if more > 0:
        screen.say(f"and {more} more: --groups", style="dim")


def _name(facet: str, label: str) -> str:
    return f"{facet} {shortened(label, 40)}"


def show_groups(found: Comparison, screen: Screen, facet: str = "") -> None:
    """Prints every group of questions with the means of both runs and their difference."""
    groups = [each for each in found.groups if not facet or each.facet == facet]
    screen.title(f"{found.measure} by groups of questions: {_pair(found)}")
    if not groups:
        screen.say("no group has five questions or more" + (f" by {facet}" if facet else ""))
        return
    best, other = found.runs[found.best].id, found.runs[found.against].id
    columns: list[Column | None] = [
        Column("", [each.facet if _first(groups, place) else "" for place, each in enumerate(groups)]),
        Column("group", [shortened(each.label, 36) for each in groups]),
        Column("questions", [str(each.n) for each in groups], right=True, rank=2),
        Column(f"run {best}", [number(each.ours) for each in groups], right=True),
        Column(f"run {other}", [number(each.theirs) for each in groups], right=True),
        Column("by", [f"{each.difference.mean:+.2f}" for each in groups], right=True),
        None,
        Column("", [_verdict(each, found.less) for each in groups]),
    ]
    for line in lines_with_differences(columns, [each.difference for each in groups], screen.out.width):
        screen.text(line)
    screen.say(f"intervals and verdicts hold for all {len(found.groups)} groups together", style="dim")


def _first(groups: list[Group], place: int) -> bool:
    return place == 0 or groups[place - 1].facet != groups[place].facet


def _verdict(each: Group, less: bool) -> Text:
    if each.turned:
        return Text("turned round", style="red")
    if each.real:
        return Text("better, real" if (each.difference.mean > 0) != less else "worse, real")
    return Text("the same" if each.difference.same else "not shown", style="dim")


def _pair(found: Comparison) -> str:
    return f"{run_sentence(found, found.best)} against {run_sentence(found, found.against)}"


def show_flips(found: Comparison, screen: Screen, every: bool = False) -> None:
    """Prints how many questions the best run does better and worse than the one it is held against, and some of them."""
    if found.best == found.against:
        return
    better, worse = ([each for each in found.flips if each.better is way] for way in (True, False))
    rows = [*_some(worse, every), *_some(list(reversed(better)), every)]
    if not every:
        best, other = found.runs[found.best].id, found.runs[found.against].id
        told_ = f"with run {best} {len(better)} questions do better than with run {other}, {len(worse)} worse"
        screen.say(f"{told_}; --flips lists them" if rows else told_, style="dim")
        return
    title = f"questions that flipped: {len(better)} better, {len(worse)} worse with {_pair(found)}"
    screen.title(title)
    if not rows:
        screen.say("no question is scored otherwise")
        return
    words = found.wordings
    best, other = found.runs[found.best].id, found.runs[found.against].id
    room = max(20, screen.out.width - 46)
    columns = [
        Column("id", [shortened(found.ids[each.key], 16) for each in rows]),
        Column("question", [shortened(words.get(each.key, ""), room) for each in rows]),
        Column(f"run {other}", [number(each.first) for each in rows], right=True),
        Column(f"run {best}", [number(each.second) for each in rows], right=True),
        Column("", [Text("▲ better", style="green") if each.better else Text("▼ worse", style="red") for each in rows]),
    ]
    for line in lines(columns, screen.out.width):
        screen.text(line)
    screen.say(f"next: aventrik explain {other} {best} {found.ids[rows[0].key]}    (both side by side)")


def _some(rows: list[MovedQuestion], every: bool) -> list[MovedQuestion]:
    return rows if every else rows[:_FLIPS]
