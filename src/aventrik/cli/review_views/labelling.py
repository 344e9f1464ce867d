"""Labels in the terminal: asking for them, suggesting the rest, applying what is sure enough."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, Any

from ... import api
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api.records import OpenWorkspace

_SHOWN = 600


def ask_for_labels(opened: OpenWorkspace, column: str, screen: Screen) -> dict[str, Any]:
    """Asks for labels one by one, the most telling document first; each is kept at once. An empty answer skips,
    'q' ends."""
    count = 0
    skipped: set[str] = set()
    while True:
        name = api.next_to_label(opened, column, skipped)
        if name is None:
            screen.say("every document has a label, or was skipped")
            break
        document = api.document(opened, name)
        screen.title(f"{name} · {document.title}")
        screen.say(shortened(document.text, _SHOWN))
        known = sorted(set(api.given_labels(opened, column).values()))
        screen.say(f"{column}? ({', '.join(known) or 'any word'}; empty skips, q ends)", style="dim")
        answer = sys.stdin.readline()
        if answer.strip().lower() == "q" or not answer:
            break
        if answer.strip():
            api.label(opened, column, {name: answer.strip()})
            count += 1
        else:
            skipped.add(name)
    given = api.given_labels(opened, column)
    screen.say(f"{count} labels given, {len(given)} in all; 'vet --suggest {column}' suggests the rest")
    return {"column": column, "given": given}


def show_suggestions(opened: OpenWorkspace, column: str, apply: float | None, screen: Screen) -> dict[str, Any]:
    """Suggestions with their confidence, doubtful labels, and what to label next; applies those that are sure."""
    applied = api.suggest_labels(opened, column, least=apply)
    found, taken = applied.found, applied.taken
    rows = sorted(found.suggestions, key=lambda each: (each.label, -each.confidence))
    screen.table(
        ["document", column, "sure", ""],
        [[r.document, r.label, f"{r.confidence:.2f}", "applied" if r in taken else ""] for r in rows[:80]],
        right=(2,),
    )
    given = len(api.given_labels(opened, column))
    screen.say(
        f"from {given} given labels; calibration error on those, each predicted without itself: {found.error:.2f}"
    )
    for name, label, other in found.doubtful:
        screen.warn(
            f"{name} is labelled '{label}', but the others say '{other.label}' ({other.confidence:.2f}); look again"
        )
    if found.next:
        screen.say(f"a label would teach most on: {', '.join(found.next[:5])}")
    if apply is not None:
        screen.say(f"applied: {len(taken)} of {len(found.suggestions)}")
    return {
        "column": column,
        "suggestions": [vars(each) for each in found.suggestions],
        "applied": [each.document for each in taken],
        "doubtful": [{"document": n, "label": label, "instead": vars(o)} for n, label, o in found.doubtful],
        "next": found.next,
        "calibration_error": found.error,
    }
