"""Labels in the terminal: asking for them, suggesting the rest, applying what is sure enough."""

from __future__ import annotations

import sys
from typing import Any

from ..core.errors import BadInput
from ..core.vetting.labels import Suggested, suggest
from ..workspace.labels import Labels
from ..workspace.workspace import Workspace
from .screen import Screen, shortened

_SHOWN = 600


def labels_of(workspace: Workspace) -> Labels:
    """The workspace's labels."""
    return Labels(workspace.folder / "labels.csv")


def suggested(workspace: Workspace, labels: Labels, column: str) -> Suggested:
    """What the given labels of a column teach; raises `BadInput` with too few."""
    names = workspace.corpus.names(left_out=True)
    texts = [workspace.corpus.document(name).text for name in names]
    given = {name: label for name, label in labels.given(column).items() if name in set(names)}
    try:
        return suggest(names, texts, given)
    except ValueError as error:
        raise BadInput(f"labels.csv, column '{column}': {error} ('vet --label {column}' asks for them)") from None


def ask_for_labels(workspace: Workspace, column: str, screen: Screen) -> dict[str, Any]:
    """Asks for labels one by one, the most telling document first; each is kept at once. An empty answer skips,
    'q' ends."""
    labels = labels_of(workspace)
    count = 0
    skipped: set[str] = set()
    while True:
        name = _next(workspace, labels, column, skipped)
        if name is None:
            screen.say("every document has a label, or was skipped")
            break
        document = workspace.corpus.document(name)
        screen.title(f"{name} · {document.title}")
        screen.say(shortened(document.text, _SHOWN))
        known = sorted(set(labels.given(column).values()))
        screen.say(f"{column}? ({', '.join(known) or 'any word'}; empty skips, q ends)", style="dim")
        answer = sys.stdin.readline()
        if answer.strip().lower() == "q" or not answer:
            break
        if answer.strip():
            labels.set(column, {name: answer.strip()})
            count += 1
        else:
            skipped.add(name)
    given = labels.given(column)
    screen.say(f"{count} labels given, {len(given)} in all; 'vet --suggest {column}' suggests the rest")
    return {"column": column, "given": given}


def _next(workspace: Workspace, labels: Labels, column: str, skipped: set[str]) -> str | None:
    values = labels.given(column)
    open_names = [n for n in workspace.corpus.names(left_out=True) if n not in values and n not in skipped]
    if not open_names:
        return None
    try:
        return next((name for name in suggested(workspace, labels, column).next if name in open_names), open_names[0])
    except BadInput:  # too few labels to know which would teach most: spread over the corpus
        return open_names[(7 * len(values)) % len(open_names)]


def show_suggestions(workspace: Workspace, column: str, apply: float | None, screen: Screen) -> dict[str, Any]:
    """Suggestions with their confidence, doubtful labels, and what to label next; applies those that are sure."""
    labels = labels_of(workspace)
    found = suggested(workspace, labels, column)
    taken = [each for each in found.suggestions if apply is not None and each.confidence >= apply]
    for each in taken:
        labels.set(column, {each.document: each.label}, f"suggested {each.confidence:.2f}")
    rows = sorted(found.suggestions, key=lambda each: (each.label, -each.confidence))
    screen.table(
        ["document", column, "sure", ""],
        [[r.document, r.label, f"{r.confidence:.2f}", "applied" if r in taken else ""] for r in rows[:80]],
        right=(2,),
    )
    given = len(labels.given(column))
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
