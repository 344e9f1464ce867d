"""What the decisions of people on a test set come to, as text."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from ...report.figures import kappa_told
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api.records import QuestionAgreement, RaterAgreement


def show_decided(found: QuestionAgreement, name: str, screen: Screen) -> None:
    """How many are decided and how; agreement of people, and of the judge with them; what they contradict each other on."""
    if not found.decided:
        screen.say(f"nobody has decided on any of the {found.questions:,} questions of '{name}' yet")
        return
    told = f"{found.decided:,} of {found.questions:,} questions of '{name}' are decided: {found.kept:,} kept, {found.rejected:,} rejected"
    if found.changed:
        told += f", {found.changed:,} changed"
    screen.say(told, style="bold")
    if found.share:
        share, low, high = found.share
        screen.say(
            f"kept of those decided: {share:.0%} [{low:.0%} {high:.0%}]; doubtful ones came first, so it is no share of all"
        )
    if found.reasons:
        screen.say(
            "rejected because: " + ", ".join(f"{reason} {count}" for reason, count in list(found.reasons.items())[:6])
        )
    for one, other, pair in found.people:
        screen.say(
            f"{one} and {other}: the same on {pair.raw:.0%} [{pair.low:.0%} {pair.high:.0%}] of {pair.n}, kappa {kappa_told(pair)}"
        )
        show_pair(pair, f"{one} said", other, screen)
    if found.judge is not None:
        judge = found.judge
        screen.say(
            f"the judge ({found.judges}) and people on whether anything answers, of {judge.n} kept: the same on {judge.raw:.0%} "
            f"[{judge.low:.0%} {judge.high:.0%}], kappa {kappa_told(judge)}; they saw its word, so it is no blind trial"
        )
        show_pair(judge, "the judge said", "people", screen)
    if found.trust:
        told = ", ".join(f"{each.low:.2f}–{each.high:.2f}: {each.right:.0%} of {each.n}" for each in found.trust)
        screen.say(f"its places left as they were, by how sure it was: {told}")
    if found.conflicts:
        screen.warn(f"people contradict each other on {len(found.conflicts)}; these stay drafts until they agree")
        for name_, question, said in found.conflicts[:8]:
            told = "; ".join(f"{who}: {word}" for who, word in said.items())
            screen.say(f"  {name_}  {shortened(question, 80)}\n      {told}")


def show_pair(found: RaterAgreement, rows: str, columns: str, screen: Screen) -> None:
    """The confusion table of two who judged the same."""
    names: Sequence[str] = found.classes
    screen.table(
        [rows, *(f"{columns}: {name}" for name in names)],
        [[name, *(str(count or "·") for count in row)] for name, row in zip(names, found.confusion)],
        right=range(1, len(names) + 1),
    )
