"""Verdicts to give, on the screen and as CSV; and what they come to for the judge."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from rich.console import Group, RenderableType
from rich.text import Text

from ..core.comparing.correcting import LEAST, labels_for
from ..core.errors import BadInput
from ..core.judging.agreement import Found
from ..core.text import STOP_WORDS, WORD, stem
from ..core.visible import visible
from ..engine.comparison_json import correction_json
from ..engine.reviewing import (
    CANT_TELL,
    VERDICT,
    Item,
    Labelled,
    Sample,
    Untold,
    agreement_of,
    by_judge,
    corrections,
    disagreements,
    keep_sample,
    labelled,
)
from ..report.figures import kappa_told, number
from ..workspace.files import harmless, read_text, write_whole
from ..workspace.reviews import UNDONE, Decision, Reviews, now
from .reviewing import Choice, NoActs
from .screen import Screen, shortened

_KEYS = {"supported": "s", "contradicted": "c", "not found": "n"}
_MEANS = {
    "supported": "the context says all of it, or it follows in one step",
    "contradicted": "the context says otherwise",
    "not found": "the context says neither, or only a part",
}
_RELEVANT = ("is about something else", "touches the question", "answers a part of it", "answers what was asked")
_COLUMNS = ("item", "id", "question", "answer", "claim", "context", "decision", "reason")


def choices_of(sample: Sample) -> list[Choice]:
    """What can be said of a thing: a verdict, or a level of a scale; or that one can't tell."""
    if sample.what == VERDICT:
        made = [Choice(_KEYS[name], name, means) for name, means in _MEANS.items()]
    elif sample.criterion is not None:
        made = [
            Choice(str(n), str(each.level), each.means) for n, each in enumerate(sample.criterion.levels)
        ]  # fmt: skip
    else:
        made = [Choice(str(n), str(n), means) for n, means in enumerate(_RELEVANT)]
    return [*made, Choice("x", CANT_TELL, "")]


class Verdicts(NoActs):
    """The items of a sample as a matter to decide on (see `reviewing.Matter`)."""

    def __init__(self, sample: Sample, reviews: Reviews, who: str, items: Sequence[Item]) -> None:
        self.choices = choices_of(sample)
        self._sample = sample
        self._reviews = reviews
        self._who = who
        self._items = items
        last = reviews.last(sample.what)
        self._mine = {item.id: last[item.id][who] for item in items if who in last.get(item.id, {})}
        self._seen: set[str] = set()  # items whose verdict by the judge was shown

    def __len__(self) -> int:
        return len(self._items)

    def shown(self, place: int, width: int) -> RenderableType:
        """Question, claim, answer and context, what both have in common underlined."""
        item = self._items[place]
        criterion = self._sample.criterion
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
        item = self._items[place]
        self._seen.add(item.id)
        line = Text(f"\nthe judge: {item.judge}", style="bold magenta")
        line.append(f" ({item.confidence:.2f})  {visible(item.reason)}", style="not bold")
        for quote in item.quotes:
            line.append(f"\n   “{visible(quote)}”", style="not bold dim")
        return line

    def decided(self, place: int) -> str:
        """The person's decision that stands."""
        found = self._mine.get(self._items[place].id)
        return found.decision if found else ""

    def decide(self, place: int, decision: str, reason: str) -> None:
        """Writes it down."""
        item = self._items[place]
        keep_sample(self._sample, self._reviews, self._who, now())
        before = self._mine.get(item.id)
        made = decision_of(self._sample, item, self._who, decision, reason, before, item.id not in self._seen)
        self._reviews.add(made)
        self._mine[item.id] = made

    def undo(self, place: int) -> None:
        """Takes it back."""
        item = self._items[place]
        before = self._mine.pop(item.id, None)
        if before is not None:
            self._reviews.add(decision_of(self._sample, item, self._who, UNDONE, "", before, True))


def _marked(text: str, wanted: set[str]) -> Text:
    found = Text(text)
    for word in WORD.finditer(text):
        if stem(word[0].lower()) in wanted:
            found.stylize("underline", word.start(), word.end())
    return found


def decision_of(
    sample: Sample, item: Item, who: str, decision: str, reason: str, before: Decision | None, blind: bool
) -> Decision:
    """A decision as it is written down."""
    return Decision(
        sample.what, item.id, sample.run.name, sample.run.testset, item.question.id, item.claim, who,
        now(), decision, reason, before.decision if before else "", blind,
    )  # fmt: skip


def write_sheet(path: Path, sample: Sample, reviews: Reviews, who: str, items: Sequence[Item]) -> None:
    """A CSV file with a line for each item, to be filled in: the column `decision`, and `reason` where there is one."""
    last = reviews.last(sample.what)
    sheet = io.StringIO(newline="")
    rows = csv.writer(sheet)
    rows.writerow(_COLUMNS)
    for item in items:
        mine = last.get(item.id, {}).get(who)
        context = "\n\n".join(f"[{each.number}] {each.source}\n{each.text.strip()}" for each in item.context)
        cells = [
            item.id, item.question.id, item.question.question, item.answer.text, item.claim, context,
            mine.decision if mine else "", mine.reason if mine else "",
        ]  # fmt: skip
        rows.writerow([harmless(cell) for cell in cells])
    write_whole(path, sheet.getvalue())


def read_sheet(path: Path, sample: Sample, reviews: Reviews, who: str) -> tuple[int, int]:
    """Takes the decisions of such a file; how many are new, and how many lines are of no item of this run. All or none:
    raises `BadInput` with the line of what is wrong."""
    csv.field_size_limit(2**31 - 1)
    reader = csv.DictReader(io.StringIO(read_text(path), newline=""))
    missing = [name for name in ("item", "decision") if name not in (reader.fieldnames or [])]
    if missing:
        raise BadInput(f"{path}, line 1: there is no column '{missing[0]}'; --to FILE writes a sheet to fill in")
    items = {item.id: item for item in sample.items}
    allowed = {choice.name for choice in choices_of(sample)}
    last = reviews.last(sample.what)
    made: dict[str, Decision] = {}
    strange = 0
    for row in reader:
        said = " ".join((row["decision"] or "").split()).lower().lstrip("'")
        if not said:
            continue
        if said not in allowed:
            raise BadInput(f"{path}, line {reader.line_num}: decision '{said}' is none of {', '.join(sorted(allowed))}")
        item = items.get(row["item"] or "")
        if item is None:
            strange += 1
            continue
        before = last.get(item.id, {}).get(who)
        reason = (row.get("reason") or "").strip()
        if before is None or (before.decision, before.reason) != (said, reason):
            made[item.id] = decision_of(sample, item, who, said, reason, before, True)
    if made:
        keep_sample(sample, reviews, who, now())
    reviews.add_all(list(made.values()))
    return len(made), strange


def report(screen: Screen, store: Any, sample: Sample, reviews: Reviews, width: float | None, seed: int) -> None:
    """Agreement, calibration, disagreements word for word, and the run's means corrected."""
    labels = labelled(sample, reviews)
    found, untold = agreement_of(labels, seed)
    fixed = corrections(labels)
    screen.result(as_json(labels, found, untold, fixed))
    people = sorted({who for each in labels.said.values() for who in each})
    if not people:
        screen.say("nobody has decided on anything of this run yet")
        return
    things = "claims" if sample.what == VERDICT else "answers"
    screen.title(
        f"the judge ({sample.run.made.get('judge')}) and people ({', '.join(people)}) on {labels.count} {things} of run "
        f"{sample.run.id}, {sample.run.name}"
    )
    if found is None:
        screen.warn("of none of them both could tell")
    else:
        _agreement(screen, found, untold, things)
    for judge, (own, _) in by_judge(store, labels, reviews, seed).items():
        if own is not None:
            screen.say(f"  {judge} alone: {own.raw:.0%} the same, kappa {kappa_told(own)}")
    if labels.changed:
        screen.say(f"minds were changed {labels.changed} times: the last word of each person counts", style="dim")
    if labels.disputed:
        screen.warn(f"people differ among themselves on {len(labels.disputed)} {things}: each of them counts a part")
        for item in labels.disputed[:5]:
            told = ", ".join(f"{who}: {each.decision}" for who, each in sorted(labels.said[item.id].items()))
            screen.say(f"  {item.question.id}  {shortened(item.claim or item.answer.text, 90)}\n      {told}")
    _disagreements(screen, labels)
    _corrected(screen, labels, fixed, width)


def _agreement(screen: Screen, found: Found, untold: Untold, things: str) -> None:
    screen.say(f"the same {found.raw:.0%} [{found.low:.0%} {found.high:.0%}], kappa {kappa_told(found)}", style="bold")
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
    told = ", ".join(f"{name} {share:.0%} of {n}" for name, n, share in found.by_class)
    screen.say(f"of what people call each, the judge has alike: {told}")
    groups = [row for row in found.by_group if row[1] > 1]
    if len(groups) > 1:
        worst = sorted(groups, key=lambda row: (row[2], -row[1]))[:6]
        screen.say("by topic, lowest first: " + ", ".join(f"{name} {share:.0%} of {n}" for name, n, share in worst))
    bins = ", ".join(f"{b.low:.1f}–{b.high:.1f}: {b.right:.0%} right of {b.n}" for b in found.bins)
    screen.say(f"by the judge's confidence: {bins}; off by {found.calibration_error:.2f} on average")


def _disagreements(screen: Screen, labels: Labelled) -> None:
    found = disagreements(labels)
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


def _corrected(screen: Screen, labels: Labelled, fixed: dict[str, Any], width: float | None) -> None:
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


def as_json(labels: Labelled, found: Found | None, untold: Untold, fixed: dict[str, Any]) -> dict[str, Any]:
    """The documented shape of `review --json`."""
    from dataclasses import asdict

    return {
        "run": labels.sample.run.id,
        "of": labels.sample.what,
        "items": labels.sample.count,
        "decided": labels.count,
        "untold": dict(untold),
        "agreement": None if found is None else asdict(found),
        "changed_minds": labels.changed,
        "disputed": [item.question.id for item in labels.disputed],
        "disagreements": [
            {
                "question": item.question.id, "claim": item.claim, "judge": item.judge,
                "confidence": item.confidence, "reason": item.reason, "who": said.who, "decision": said.decision,
            }
            for item, said in disagreements(labels)
        ],
        "corrected": {
            name: correction_json(each) for name, each in fixed.items()
        },
    }  # fmt: skip
