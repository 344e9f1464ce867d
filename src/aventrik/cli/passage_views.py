"""Passages to label as fit to be asked about or not, on the screen and as a sheet; and how far the filter agrees."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path

from rich.console import Group, RenderableType
from rich.text import Text

from ..core.errors import BadInput
from ..core.visible import visible
from ..engine.opened import Opened
from ..engine.passage_labels import PASSAGE, SAYS, Agreed, Labelled, agreed, decision_of, sample_of, teach_filter
from ..report.figures import kappa_told
from ..report.tables import write_table
from ..workspace.reviews import UNDONE, Decision, Reviews, now
from .decided_views import show_pair
from .reviewing import Choice, NoActs
from .screen import Screen, shortened

_CANT_TELL = "can't tell"
_COLUMNS = ("item", "document", "headings", "passage", "decision", "reason")


class Passages(NoActs):
    """The passages of a sample as a matter to decide on (see `reviewing.Matter`)."""

    choices = (
        Choice("y", "fit", "people would ask what it tells"),
        Choice("n", "unfit", "nobody would: a list, a notice, chatter, rubble, or what means nothing by itself"),
        Choice("x", _CANT_TELL),
    )
    judge = "the filter's word"

    def __init__(self, sample: Sequence[Labelled], reviews: Reviews, who: str) -> None:
        self._sample = sample
        self._reviews = reviews
        self._who = who
        last = reviews.last(PASSAGE)
        self._mine: dict[str, Decision] = {
            each.key: last[each.key][who] for each in sample if who in last.get(each.key, {})
        }

    def __len__(self) -> int:
        return len(self._sample)

    def shown(self, place: int, width: int) -> RenderableType:
        """The passage under its headings."""
        passage = self._sample[place].passage
        path = " › ".join(dict.fromkeys([passage.title or passage.doc, *passage.headings]))
        return Group(
            Text(visible(passage.doc), style="bold"), Text(visible(path), style="cyan"), Text(""),
            Text(visible(passage.text)),
        )  # fmt: skip

    def revealed(self, place: int) -> RenderableType:
        """The filter's word."""
        each = self._sample[place]
        return Text(
            visible(f"\nthe filter: {each.word}{f', {each.reason}' if each.reason else ''}"), style="bold magenta"
        )

    def decided(self, place: int) -> str:
        """The label that stands."""
        found = self._mine.get(self._sample[place].key)
        return found.decision if found else ""

    def decide(self, place: int, decision: str, reason: str) -> None:
        """Writes it down."""
        each = self._sample[place]
        made = decision_of(each, self._who, now(), decision, reason, self._mine.get(each.key))
        self._reviews.add(made)
        self._mine[each.key] = made

    def undo(self, place: int) -> None:
        """Takes it back."""
        each = self._sample[place]
        before = self._mine.pop(each.key, None)
        if before is not None:
            self._reviews.add(decision_of(each, self._who, now(), UNDONE, "", before))


def passages(options: argparse.Namespace, opened: Opened, who: str, seed: int, count: int, screen: Screen) -> int:
    """`review --passages`: the screen, a sheet, or what the labels come to."""
    from .verbs.review import ask

    reviews = opened.workspace.reviews
    with screen.progress() as meter:
        opened.progress = meter
        sample = sample_of(opened, count, seed)
        taught = teach_filter(opened, sample, reviews, options.teach, seed) if options.teach is not None else None
    if taught is not None:
        screen.result(taught.as_json())
        screen.say(f"{taught.examples} labelled passages → {taught.path}")
        screen.say(
            f"on {taught.held_out} held-out passages the writer's grades agree with people on {taught.before.raw:.0%}, kappa "
            f"{kappa_told(taught.before)}, without them; on {taught.after.raw:.0%}, kappa "
            f"{kappa_told(taught.after)}, with them"
        )
        if taught.after.raw <= taught.before.raw:
            screen.warn("that is no better; delete the file to go back")
        return 0
    if options.to is not None:
        _write_sheet(options.to, sample, reviews, who)
        screen.result({"file": str(options.to), "items": len(sample)})
        screen.say(
            f"{len(sample)} passages → {options.to}; fill in the column 'decision' ({', '.join((*SAYS, _CANT_TELL))}), then "
            f"--from {options.to}"
        )
        return 0
    if options.sheet is not None:
        new, strange = _read_sheet(options.sheet, sample, reviews, who)
        screen.say(f"{new} labels read, as {who}'s")
        if strange:
            screen.warn(
                f"{strange} lines are of passages that are not in this sample; --questions and --seed decide it"
            )
    elif not options.agreement and not screen.as_json:
        ask(Passages(sample, reviews, who))
    found = agreed(sample, reviews, seed)
    screen.result(found.as_json())
    _show(found, screen)
    return 0


def _show(found: Agreed, screen: Screen) -> None:
    if not found.labelled:
        screen.say("nobody has labelled a passage of this sample yet")
        return
    screen.say(
        f"{found.labelled} passages are labelled: {found.fit} times fit, {found.unfit} times unfit", style="bold"
    )
    if found.filter is not None:
        told = found.filter
        screen.say(
            f"the filter and people: the same on {told.raw:.0%} [{told.low:.0%} {told.high:.0%}], kappa {kappa_told(told)}; "
            "weighted so that the sample stands for the corpus"
        )
        show_pair(told, "the filter said", "people", screen)
    for one, other, pair in found.people:
        screen.say(f"{one} and {other}: the same on {pair.raw:.0%} of {pair.n}, kappa {kappa_told(pair)}")
    for doc, start, text, word, reason, who, label in found.otherwise[:6]:
        screen.say(f"  {doc}, {start:,}: the filter says {word}{f' ({reason})' if reason else ''}, {who} {label}")
        screen.say(f"      {shortened(text, 140)}", style="dim")
    screen.say("'draft' asks nothing about what all who looked call unfit", style="dim")


def _write_sheet(path: Path, sample: Sequence[Labelled], reviews: Reviews, who: str) -> None:
    last = reviews.last(PASSAGE)
    rows = []
    for each in sample:
        mine = last.get(each.key, {}).get(who)
        cells = (
            each.key, each.passage.doc, " › ".join(each.passage.headings), each.passage.text,
            mine.decision if mine else "", mine.reason if mine else "",
        )  # fmt: skip
        rows.append(dict(zip(_COLUMNS, cells)))
    write_table(path, rows)


def _read_sheet(path: Path, sample: Sequence[Labelled], reviews: Reviews, who: str) -> tuple[int, int]:
    """Takes the labels of a sheet; how many are new, and how many lines are of no passage of the sample. All or none:
    raises `BadInput` with the line of what is wrong."""
    from .question_sheets import lines_of

    known = {each.key: each for each in sample}
    last = reviews.last(PASSAGE)
    made: dict[str, Decision] = {}
    strange = 0
    for line, row in lines_of(path, _COLUMNS, ("item", "decision")):
        said = " ".join(row["decision"].split()).lower()
        if not said:
            continue
        if said not in (*SAYS, _CANT_TELL):
            raise BadInput(f"{path}, line {line}: decision '{said[:40]}' is none of {', '.join((*SAYS, _CANT_TELL))}")
        each = known.get(row["item"].strip())
        if each is None:
            strange += 1
            continue
        before, reason = last.get(each.key, {}).get(who), row["reason"].strip()
        if before is None or (before.decision, before.reason) != (said, reason):
            made[each.key] = decision_of(each, who, now(), said, reason, before)
    reviews.add_all(list(made.values()))
    return len(made), strange
