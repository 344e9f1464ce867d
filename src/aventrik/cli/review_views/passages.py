"""Passages to label as fit to be asked about or not, on the screen; and how far the filter agrees with people."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.console import Group, RenderableType
from rich.text import Text

from ...core.visible import visible
from ...report.figures import kappa_told
from ..screen import Screen, shortened
from .question_agreement import show_pair
from .session import Choice, NoActs

if TYPE_CHECKING:
    from ...api.records import PassageAgreement, PassageReview, TaughtFilter

_CHOICES = {
    "fit": Choice("y", "fit", "people would ask what it tells"),
    "unfit": Choice("n", "unfit", "nobody would: a list, a notice, chatter, rubble, or what means nothing by itself"),
}


class PassageMatter(NoActs):
    """The passages of a sample as a matter to decide on (see `session.Matter`)."""

    judge = "the filter's word"

    def __init__(self, review: PassageReview) -> None:
        self._review = review
        self.choices = [_CHOICES.get(name) or Choice("x", name) for name in review.said]

    def __len__(self) -> int:
        return len(self._review)

    def shown(self, place: int, width: int) -> RenderableType:
        """The passage under its headings."""
        passage = self._review.sample[place].passage
        path = " › ".join(dict.fromkeys([passage.title or passage.doc, *passage.headings]))
        return Group(
            Text(visible(passage.doc), style="bold"), Text(visible(path), style="cyan"), Text(""),
            Text(visible(passage.text)),
        )  # fmt: skip

    def revealed(self, place: int) -> RenderableType:
        """The filter's word."""
        each = self._review.sample[place]
        return Text(
            visible(f"\nthe filter: {each.word}{f', {each.reason}' if each.reason else ''}"), style="bold magenta"
        )

    def decided(self, place: int) -> str:
        """The label that stands."""
        found = self._review.mine(place)
        return found.decision if found else ""

    def decide(self, place: int, decision: str, reason: str) -> None:
        """Writes it down."""
        self._review.decide(place, decision, reason)

    def undo(self, place: int) -> None:
        """Takes it back."""
        self._review.undo(place)


def show_taught_filter(taught: TaughtFilter, screen: Screen) -> None:
    """What examples in the prompt of the writer's filter brought."""
    screen.say(f"{taught.examples} labelled passages → {taught.path}")
    screen.say(
        f"on {taught.held_out} held-out passages the writer's grades agree with people on {taught.before.raw:.0%}, kappa "
        f"{kappa_told(taught.before)}, without them; on {taught.after.raw:.0%}, kappa "
        f"{kappa_told(taught.after)}, with them"
    )
    if taught.after.raw <= taught.before.raw:
        screen.warn("that is no better; delete the file to go back")


def show_agreed(found: PassageAgreement, screen: Screen) -> None:
    """How far the filter and people agree."""
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
