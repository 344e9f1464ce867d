"""What a judge makes of answers of which it is known what they are worth: by kind and fault, and those that it got wrong."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text

from ...report.figures import number
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api.records import JudgeReach, KnownScore

_MEASURES = ("groundedness", "hallucinated", "correctness", "completeness", "relevance")
_TITLES = {"right": "right answers", "spoilt": "spoilt:", "other": "answers to other questions", "refusal": "refusals"}
_WRONG = 8  # answers that were misjudged, of each kind
_WIDE = 400


def show_known(reach: JudgeReach, scores: Sequence[KnownScore], screen: Screen) -> None:
    """A table of kinds, and the worst of each kind; what can't be told without the answers is left out."""
    screen.title(f"known answers of '{reach.testset}' to the judge {reach.judge}")
    rows: list[list[str | Text]] = []
    for kind in _TITLES:
        some = [each for each in scores if each.kind == kind]
        faults = list(dict.fromkeys(each.fault for each in some))
        for fault in faults:
            rows.append(_row(f"{_TITLES[kind]} {fault}".strip(), [each for each in some if each.fault == fault]))
    screen.table(["answers", "n", *_MEASURES, "declined"], rows, right=tuple(range(1, len(_MEASURES) + 3)))
    screen.say(
        "each is held against the passages of its own question's evidence: a judge that knows should give right answers 1 in "
        "groundedness and 0 in hallucinated, spoilt ones the reverse; a part left out makes an answer incomplete, not ungrounded",
        style="dim",
    )
    _show_wrong(
        "right answers that are called ungrounded", [each for each in scores if _is_wrong(each, "right")], screen
    )
    _show_wrong(
        "spoilt answers that are called grounded", [each for each in scores if _is_wrong(each, "spoilt")], screen
    )
    missed = [each for each in scores if each.kind == "refusal" and not each.declined and not each.failure]
    for text in dict.fromkeys(each.text for each in missed):
        screen.warn(f"not seen as a refusal: {text}")


def _row(title: str, some: Sequence[KnownScore]) -> list[str | Text]:
    cells: list[str | Text] = [title, str(len(some))]
    for measure in _MEASURES:
        values = [each.scores[measure] for each in some if measure in each.scores]
        cells.append(number(sum(values) / len(values)) if values else "–")
    cells.append(str(sum(each.declined for each in some)))
    return cells


def _is_wrong(each: KnownScore, kind: str) -> bool:
    found = each.scores.get("groundedness")
    if each.kind != kind or found is None or each.fault == "part":
        return False
    return found < 1 if kind == "right" else found == 1


def _show_wrong(title: str, some: Sequence[KnownScore], screen: Screen) -> None:
    if not some:
        return
    screen.title(f"{title}: {len(some)}")
    for each in some[:_WRONG]:
        screen.say(f"  {shortened(each.text, _WIDE)}{f'  ({each.fault})' if each.fault else ''}")
        for claim, verdict, reason, _ in each.verdicts:
            told = f"{verdict}: {reason}" if claim == each.text else f"{verdict}: {claim} – {reason}"
            screen.say(f"    {shortened(told, _WIDE)}", style="dim")
    if len(some) > _WRONG:
        screen.say(f"and {len(some) - _WRONG} more (--json has all)", style="dim")
