"""What a gate said, as it is shown."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text

from ...report.figures import number
from ..screen import Screen

if TYPE_CHECKING:
    from ...api.records import Check, Gated


MARKS = {"passed": ("✓ passed", "green"), "failed": ("✗ failed", "red"), "undecided": ("? undecided", "yellow")}
_TOLD = 6  # settings that are told


def show_gated(found: Gated, limits: str, screen: Screen) -> None:
    """Prints every check, then what it comes to."""
    against = f", against {found.baseline}" if found.baseline else ""
    screen.title(f"run {found.run.id} ({found.run.name}) on {found.run.testset}{against}")
    columns = ["limit", "allowed", "found", "90 % interval", "n", "says", "more"]
    rows = [_row(check) for check in found.checks]
    if not any(row[-1] for row in rows):
        columns, rows = columns[:-1], [row[:-1] for row in rows]
    screen.table(columns, rows, right=(2, 4, 6), whole=range(1, len(columns)))
    _legend(found, screen)
    for check in found.checks:
        if check.why:
            screen.say(f"{check.measure}: {check.why}")
        elif check.held and check.state == "undecided" and check.held.more is None:
            screen.say(f"{_limited(check)}: lies on its limit, and no number of questions would decide")
    for check in found.unable:
        told = '; that counts as failed (unable = "fail")' if found.unable_counts == "fail" else ""
        screen.warn(
            f"{_limited(check)}: so few questions could not have failed, whatever the run had come to{told}: ask more"
        )
    _made(found, screen)
    for note in found.notes:
        screen.warn(note)
    screen.say()
    screen.text(_verdict(found, limits))


def _legend(found: Gated, screen: Screen) -> None:
    parts = []
    if any(check.way == "drop" for check in found.checks):
        parts.append(
            "found, where it may be worse by so much: the difference from the baseline, on the questions that both have"
        )
    parts.append(f"n: questions; inferred to {found.scope.population}")
    if any(check.held and check.held.more for check in found.checks):
        parts.append("more: about so many questions more would decide")
    if any(check.held and check.way not in ("gone", "failures") for check in found.checks):
        parts.append("passed or failed: shown with 95 % to lie on that side of the limit")
    if parts:
        screen.say("; ".join(parts), style="dim")


def _limited(check: Check) -> str:
    return check.measure + (f", {check.group}" if check.group else "")


def _row(check: Check) -> list[str | Text]:
    held = check.held
    signed = check.way == "drop"
    mark, style = MARKS[check.state]
    row: list[str | Text] = [_limited(check), _allowed(check)]
    if held is None:
        return [*row, "–", "–", "0", Text(mark, style=style), ""]
    if check.way in ("gone", "failures"):
        return [*row, f"{held.value:.0%}", "", str(held.n), Text(mark, style=style), ""]
    value = f"{held.value:+.2f}" if signed and abs(held.value) < 100 else _figure(held.value, signed)
    interval = "the same results" if held.same else f"[{_figure(held.low, signed)} {_figure(held.high, signed)}]"
    more = f"{held.more:,}" if held.more else ""
    return [*row, value, interval, str(held.n), Text(mark, style=style), more]


def _allowed(check: Check) -> str:
    """What a limit allows, with what it tolerates beyond."""
    if check.way == "gone":
        return f"≤ {check.allowed:.0%} gone"
    if check.way == "failures":
        return f"≤ {check.allowed:.0%} failed"
    if check.way == "drop":
        return f"worse by ≤ {_figure(check.allowed) if check.share is None else f'{check.share:.0%}'}"
    sign, beyond = ("≥", "−") if check.way == "least" else ("≤", "+")
    return f"{sign} {_figure(check.allowed)}" + (f" {beyond} {check.margin:g}" if check.margin else "")


def _figure(value: float, signed: bool = False) -> str:
    told = f"{value:.4f}" if 0 < abs(value) < 0.005 else number(value)
    return f"+{told}" if signed and value >= 0 else told


def _made(found: Gated, screen: Screen) -> None:
    """What else changed since the baseline."""
    if not found.baseline:
        return
    if found.new:
        screen.say(f"{found.new} questions are new since the baseline and count for the means alone", style="dim")
    if found.documents is not None:
        changed = found.documents
        told = (
            f": of those that hold evidence {changed.in_words()}" if changed else ", none of those that hold evidence"
        )
        screen.say(f"the documents changed since the baseline ({changed.before} then, {changed.now} now){told}")
    if found.settings:
        some = [f"{name} {_value(before)} → {_value(now)}" for name, (before, now) in found.settings.items()]
        more = f" and {len(some) - _TOLD} more" if len(some) > _TOLD else ""
        screen.say(f"settings changed since the baseline: {', '.join(some[:_TOLD])}{more}")


def _value(value: object) -> str:
    return "–" if value is None else str(value)


def _verdict(found: Gated, limits: str) -> Text:
    counts = {state: found.count(state) for state in ("passed", "failed", "undecided")}
    told = f"{counts['passed']} of {len(found.checks)} limits hold, {counts['failed'] or 'none'} failed"
    if counts["undecided"]:
        told += f", {counts['undecided']} undecided, which counts as {found.undecided_counts}ed"
    if found.unable:
        told += f", {len(found.unable)} could not have failed with so few questions, which counts as {found.unable_counts}ed"
    word, style = ("FAILED", "bold red") if found.failed else ("passed", "bold green")
    line = Text(f"gate {word}", style=style)
    return line.append(f": {told} ({limits})", style="not bold default")
