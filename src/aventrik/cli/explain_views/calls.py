"""Model calls as `explain --calls` shows them: what was sent and what came back, character for character."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text

from ...api.records import messages_of
from ..screen import Screen

if TYPE_CHECKING:
    from ...api.records import Recalled


def show_calls(calls: Sequence[Recalled], screen: Screen) -> None:
    """Prints every call in the order of the stages."""
    if not calls:
        screen.title("no model server was asked for this question")
        return
    known = [each.call for each in calls if each.call is not None]
    money = sum(call.money for call in known)
    screen.title(
        f"{len(calls)} model calls: {sum(call.seconds for call in known):.2f} s, {sum(c.tokens_in for c in known):,} tokens "
        f"in, {sum(c.tokens_out for c in known):,} out, {money:.5f} in money"
    )
    for number, each in enumerate(calls, 1):
        head = Text(f"\n{number}. {each.stage}: {each.task}", style="bold")
        head.append(f", asked of {each.model}", style="not bold")
        if each.call is None:
            head.append(
                "\n   it is not kept: the model's settings were changed since, or the store was cleaned", "yellow"
            )
            screen.text(head)
            continue
        call = each.call
        again = f", {call.attempts} attempts" if call.attempts > 1 else ""
        head.append(
            f"   {call.seconds:.2f} s, {call.tokens_in:,} tokens in, {call.tokens_out:,} out, {call.money:.5f}{again}",
            style="dim not bold",
        )
        screen.text(head)
        for who, text in messages_of(call.request):
            screen.say(f"   → {who}", style="cyan")
            screen.say(_indented(text))
        screen.say("   ← reply", style="magenta")
        screen.say(_indented(call.reply if isinstance(call.reply, str) else json.dumps(call.reply)) or "     (none)")
        if call.failure:
            screen.warn(f"it failed: {call.failure}")


def _indented(text: str) -> str:
    return "\n".join(f"     {line}" for line in text.split("\n"))
