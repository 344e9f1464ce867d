"""Two runs of one question, set side by side, with what differs marked."""

from __future__ import annotations

import difflib
from typing import TYPE_CHECKING, Any

from rich.text import Text

from ...api.records import KEPT, common, length, unexplained
from ...report.figures import number
from ..screen import Screen, shortened
from .explanation import MARKS, as_json

if TYPE_CHECKING:
    from ...api.records import Explanation


_SAME = 0.5  # share of an item's text that the other run must have for it to count as in both
_ITEMS = 8
_APART = 5  # premises that differ and are named
_ALIKE = 0.4  # share of the words of two answers that must be the same for the others to be marked


def both_as_json(first: Explanation, second: Explanation) -> dict[str, Any]:
    """The documented shape of `explain RUN RUN --json`."""
    return {"first": as_json(first), "second": as_json(second), "scores": _scores(first, second)}


def show_both(first: Explanation, second: Explanation, screen: Screen) -> None:
    """Prints needs, context, answers, verdicts, grades and scores of both; ≠ marks what differs."""
    names = [f"run {each.run.id if each.run else ''}, {each.configuration.name}" for each in (first, second)]
    screen.title(f"{first.question.id}: A is {names[0]}; B is {names[1]}")
    if first.run and second.run and (apart := unexplained([first.run, second.run])):
        told = ", ".join(each.what for each in apart[:_APART]) + (
            f" and {len(apart) - _APART} more" if len(apart) > _APART else ""
        )
        screen.warn(f"these runs differ in what no setting explains: {told}")
    screen.say(first.question.question, style="bold")
    if first.question.answer:
        screen.say(f"reference answer: {first.question.answer}")
    _needs(first, second, screen)
    _items(first, second, screen)
    _answers(first, second, screen)
    _verdicts(first, second, screen)
    rows: list[list[str | Text]] = []
    for name, (one, other) in _scores(first, second).items():
        differs = one != other
        if not differs and "@" in name:
            continue
        gap = f"{other - one:+.2f}" if one is not None and other is not None and differs else ""
        cells = [number(each) if each is not None else "–" for each in (one, other)]
        rows.append([Text(f"{'≠' if differs else ' '} {name}", style="bold" if differs else ""), *cells, gap])
    screen.title("scores")
    screen.table(["measure", "A", "B", "by"], rows, right=(1, 2, 3))


def _scores(first: Explanation, second: Explanation) -> dict[str, tuple[float | None, float | None]]:
    rows = []
    for each in (first, second):
        found: dict[str, float] = {}
        for name, record in each.stages.items():
            if name in ("retrieval scores", "answer scores"):
                found.update(record.values)
            elif name.startswith("criterion ") and record.value is not None and " of " not in name:
                found[name.removeprefix("criterion ")] = record.value
        rows.append(found)
    names = list(dict.fromkeys([*rows[0], *rows[1]]))
    return {name: (rows[0].get(name), rows[1].get(name)) for name in names}


def _needs(first: Explanation, second: Explanation, screen: Screen) -> None:
    if not first.needs:
        screen.say("the documents do not answer this question: the right answer is to decline")
        return
    screen.title("what an answer needs, and where it was lost")
    for place, (one, other) in enumerate(zip(first.needs, second.needs), 1):
        line = Text(f"{place}. {shortened(one['fact'] or one['spans'][0].quote, 160)}")
        for name, need in (("A", one), ("B", other)):
            differs = one["lost"] != other["lost"]
            rank, cover = need["best"]
            style = "green" if need["lost"] in KEPT else "red"
            line.append(f"\n   {'≠' if differs else ' '} {name} ", style="bold")
            line.append(need["lost"] or "not known", style=f"{style} not bold")
            if rank:
                line.append(f"; best rank {rank}, covers {cover:.0%}", style="dim not bold")
        screen.text(line)


def _items(first: Explanation, second: Explanation, screen: Screen) -> None:
    """The items that each answering model was shown (or else the first of each list), and whether the other had them."""
    shown = [_shown(each) for each in (first, second)]
    if not any(shown):
        return
    screen.title("what the answering model was shown; ≠ the other run was not shown it")
    for name, own, others in (("A", shown[0], shown[1]), ("B", shown[1], shown[0])):
        if not own:
            screen.say(f"  {name}  nothing")
        for rank, (doc, ranges, told) in enumerate(own, 1):
            there = [r for other, r, _ in others if other == doc]
            whole = length(ranges)
            both = sum(common([x for r in there for x in r], *each) for each in ranges) if there else 0
            same = whole > 0 and both >= _SAME * whole
            line = Text(f"{' ' if same else '≠'} {name} {rank}. ", style="bold")
            line.append(shortened(told, max(30, screen.out.width - 9)), style="dim not bold" if same else "not bold")
            screen.text(line)


def _shown(found: Explanation) -> list[tuple[str, Any, str]]:
    if "context" in found.stages and found.stages["context"].items:
        items = found.stages["context"].items
        return [(item.doc, item.ranges, f"{item.source or item.doc}: {item.text}") for item in items]
    served = found.stages["served"].items[:_ITEMS]
    return [(item.doc, item.ranges, found.chunks[item.chunk]["text"] or item.doc) for item in served]


def _answers(first: Explanation, second: Explanation, screen: Screen) -> None:
    answers = [each.stages.get("answer") for each in (first, second)]
    if all(each is None for each in answers):
        return
    texts = [("" if each is None else each.text or each.failure or "(empty)") for each in answers]
    screen.title("answers" + ("" if texts[0] != texts[1] else ": the same"))
    words = [text.split() for text in texts]
    same = difflib.SequenceMatcher(None, words[0], words[1], autojunk=False)
    kept: tuple[set[int], set[int]] = (set(), set())
    for block in same.get_matching_blocks():
        kept[0].update(range(block.a, block.a + block.size))
        kept[1].update(range(block.b, block.b + block.size))
    marked = same.ratio() > _ALIKE  # two answers that share nothing need no marks
    for name, own, alike in zip("AB", words, kept):
        line = Text(f"  {name}  ", style="bold")
        for place, word in enumerate(own):
            line.append(f"{word} ", style="underline" if marked and place not in alike else "not bold")
        screen.text(line)


def _verdicts(first: Explanation, second: Explanation, screen: Screen) -> None:
    judged = [each.stages.get("verdicts") for each in (first, second)]
    found = [{} if each is None else {v.claim: v for v in each.verdicts} for each in judged]
    if not any(found):
        return
    screen.title("claims and verdicts")
    for name, own, other in (("A", found[0], found[1]), ("B", found[1], found[0])):
        for claim, verdict in own.items():
            differs = claim not in other or other[claim].verdict != verdict.verdict
            mark, style = MARKS[verdict.verdict]
            line = Text(f"{'≠' if differs else ' '} {name} ", style="bold")
            line.append(f"{mark} {verdict.verdict}", style=style)
            line.append(f"  {shortened(claim, 200)}", style="not bold")
            screen.text(line)
