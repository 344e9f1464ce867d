"""Verdicts to give, on the screen; and what they come to for the judge."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from rich.console import Group, RenderableType
from rich.text import Text

from ...api.records import LEAST, STOP_WORDS, VERDICT, WORD, labels_for, stem
from ...core.visible import visible
from ...report.figures import kappa_told, number, share_told
from ..screen import Screen, shortened
from .session import Choice, NoActs

if TYPE_CHECKING:
    from ...api.records import (
        Corrected,
        Decision,
        JudgeAgreement,
        LabelledRun,
        RaterAgreement,
        ReviewItem,
        Taught,
        Untold,
        VerdictReview,
    )


class VerdictMatter(NoActs):
    """The items of a sample as a matter to decide on (see `session.Matter`)."""

    def __init__(self, review: VerdictReview) -> None:
        self.choices = [Choice(each.key, each.name, each.means) for each in review.options]
        self._review = review
        self._seen: set[str] = set()  # items whose verdict by the judge was shown

    def __len__(self) -> int:
        return len(self._review)

    def shown(self, place: int, width: int) -> RenderableType:
        """Question, claim, answer and context, what both have in common underlined."""
        item = self._review.items[place]
        criterion = self._review.sample.criterion
        parts: list[RenderableType] = [Text(visible(item.question.question), style="bold")]
        if item.claim:
            parts.append(Text.assemble(("claim   ", "cyan"), (visible(item.claim), "bold")))
        else:
            asked = criterion.about if criterion else "How far does the answer address the question?"
            parts.append(Text.assemble(("asked   ", "cyan"), (visible(asked), "bold")))
            for choice in self.choices[:-1]:
                parts.append(Text(f"        {choice.name}: {visible(choice.means)}", style="dim"))
        parts.append(Text.assemble(("answer  ", "cyan"), visible(item.answer.text)))
        wanted = {stem(word.lower()) for word in WORD.findall(item.claim) if word.lower() not in STOP_WORDS}
        for served in item.context:
            parts.append(Text(f"\n[{served.number}] {visible(served.source)}", style="cyan"))
            parts.append(_marked(visible(served.text.strip()), wanted))
        return Group(*parts)

    def revealed(self, place: int) -> RenderableType:
        """The judge's word."""
        item = self._review.items[place]
        self._seen.add(item.id)
        line = Text(f"\nthe judge: {item.judge}", style="bold magenta")
        line.append(f" ({item.confidence:.2f})  {visible(item.reason)}", style="not bold")
        for quote in item.quotes:
            line.append(f"\n   “{visible(quote)}”", style="not bold dim")
        return line

    def decided(self, place: int) -> str:
        """The person's decision that stands."""
        found = self._review.mine(place)
        return found.decision if found else ""

    def decide(self, place: int, decision: str, reason: str) -> None:
        """Writes it down."""
        blind = self._review.items[place].id not in self._seen
        self._review.decide(place, decision, reason, blind=blind)

    def undo(self, place: int) -> None:
        """Takes it back."""
        self._review.undo(place)


def _marked(text: str, wanted: set[str]) -> Text:
    found = Text(text)
    for word in WORD.finditer(text):
        if stem(word[0].lower()) in wanted:
            found.stylize("underline", word.start(), word.end())
    return found


def show_agreement(result: JudgeAgreement, screen: Screen, width: float | None = None) -> None:
    """Agreement, calibration, disagreements word for word, and the run's means corrected; with `width`, how many labels more
    would narrow an interval to that."""
    labels, found = result.labels, result.agreement
    if not result.people:
        screen.say("nobody has decided on anything of this run yet")
        return
    sample = labels.sample
    things = "claims" if sample.what == VERDICT else "answers"
    screen.title(
        f"the judge ({sample.run.made.get('judge')}) and people ({', '.join(result.people)}) on {labels.count} {things} of run "
        f"{sample.run.id}, {sample.run.name}"
    )
    if found is None:
        screen.warn("of none of them both could tell")
    else:
        _agreement(screen, found, result.untold, things)
    if (people := result.among_people) is not None:
        screen.say(
            f"people agree with each other on {share_told(people.raw)} [{people.low:.0%} {people.high:.0%}] of {people.n} "
            f"{things} that two decided on, kappa {kappa_told(people)}: no judge can be expected to do better"
        )
    for judge, (own, _) in result.judges.items():
        if own is not None:
            screen.say(f"  {judge} alone: {own.raw:.0%} the same, kappa {kappa_told(own)}")
    if labels.changed:
        screen.say(f"minds were changed {labels.changed} times: the last word of each person counts", style="dim")
    if labels.disputed:
        screen.warn(f"people differ among themselves on {len(labels.disputed)} {things}: each of them counts a part")
        for item in labels.disputed[:5]:
            told = ", ".join(f"{who}: {each.decision}" for who, each in sorted(labels.said[item.id].items()))
            screen.say(f"  {item.question.id}  {shortened(item.claim or item.answer.text, 90)}\n      {told}")
    _disagreements(screen, result.disagreements)
    _corrected(screen, labels, result.corrected, width)


def _agreement(screen: Screen, found: RaterAgreement, untold: Untold, things: str) -> None:
    screen.say(
        f"the same {share_told(found.raw)} [{found.low:.0%} {found.high:.0%}], kappa {kappa_told(found)}", style="bold"
    )
    screen.say("weighted so that the sample stands for the whole run; 95 % intervals", style="dim")
    if untold:
        said = ", ".join(f"{name} of {count}" for name, count in sorted(untold.items()))
        screen.say(
            f"{sum(untold.values())} {things} were too far in wording for the judge to tell, and take no part; people say "
            f"{said}",
            style="dim",
        )
    names = found.classes
    screen.table(
        ["the judge said", *(f"people: {name}" for name in names)],
        [[name, *(str(count or "·") for count in row)] for name, row in zip(names, found.confusion)],
        right=range(1, len(names) + 1),
    )
    told = ", ".join(f"{name} {share_told(share)} of {n}" for name, n, share in found.by_class)
    screen.say(f"of what people call each, the judge has alike: {told}")
    groups = [row for row in found.by_group if row[1] > 1]
    if len(groups) > 1:
        worst = sorted(groups, key=lambda row: (row[2], -row[1]))[:6]
        screen.say(
            "by topic, lowest first: " + ", ".join(f"{name} {share_told(share)} of {n}" for name, n, share in worst)
        )
    if len(found.by_person) > 1:
        told = ", ".join(f"{who} {raw:.0%} [{low:.0%} {high:.0%}] of {n}" for who, n, raw, low, high in found.by_person)
        screen.say(f"by person: {told}")
    bins = ", ".join(f"{b.low:.1f}–{b.high:.1f}: {b.right:.0%} right of {b.n}" for b in found.bins)
    screen.say(f"by the judge's confidence: {bins}; off by {found.calibration_error:.2f} on average")


def _disagreements(screen: Screen, found: Sequence[tuple[ReviewItem, Decision]]) -> None:
    if not found:
        return
    screen.title(f"where they differ, the judge's surest first ({min(8, len(found))} of {len(found)})")
    for item, said in found[:8]:
        line = Text(f"{item.question.id}  ", style="bold")
        line.append(visible(shortened(item.claim or item.answer.text, 160)), style="not bold")
        line.append(f"\n      judge: {item.judge} {item.confidence:.2f}", style="magenta not bold")
        line.append(f"   {said.who}: {said.decision}", style="cyan not bold")
        if item.reason:
            line.append(f"\n      the judge's reason: {shortened(item.reason, 120)}", style="dim not bold")
        if said.reason:
            line.append(f"\n      {said.who}'s reason: {shortened(said.reason, 120)}", style="dim not bold")
        screen.text(line)


def _corrected(screen: Screen, labels: LabelledRun, fixed: Mapping[str, Corrected], width: float | None) -> None:
    if not fixed:
        have = len(labels.complete)
        screen.say(
            f"\nthe run's means are corrected from {LEAST} questions on that are wholly decided, the first in order; "
            f"there are {have}"
        )
        return
    screen.title("the run's means as people would have them")
    rows = []
    for measure, each in fixed.items():
        rows.append(
            [
                measure, number(each.judged), f"{each.mean:.2f} [{each.low:.2f} {each.high:.2f}]",
                str(each.labels), f"{each.weight:.2f}", f"{each.worth:.0f}",
            ]
        )  # fmt: skip
    screen.table(
        ["measure", "the judge", "corrected, 95 %", "decided", "weight", "worth"],
        rows,
        right=range(1, 6),
    )
    screen.say(
        f"over {next(iter(fixed.values())).n} questions, of which so many are decided; a claim that the judge can't tell "
        "counts half here; weight: how much the judge counts, 0 where it tells nothing; worth: how many decided questions "
        "would tell as much without a judge",
        style="dim",
    )
    if width is None:
        return
    for measure, each in fixed.items():
        needed = labels_for(each, width)
        if needed is None:
            screen.say(f"{measure}: no number of labels narrows it to {width:g}; the questions are too few")
        elif needed <= each.labels:
            screen.say(f"{measure}: is within {width:g} already")
        else:
            screen.say(f"{measure}: about {needed - each.labels} questions more would narrow it to {width:g}")


def show_taught_judge(made: Taught, screen: Screen) -> None:
    """What examples in the judge's prompt brought."""
    screen.say(f"{made.examples} decided cases → {made.path}")
    screen.say(
        f"on {made.held_out} held-out claims the judge agrees with people {made.before:.0%} of the time without them, "
        f"{made.after:.0%} with them"
    )
    if made.after <= made.before:
        screen.warn("that is no better; delete the file to go back")
    screen.say("the next run is judged with them; runs from before keep their verdicts")
