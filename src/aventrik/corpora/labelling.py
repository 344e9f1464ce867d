"""Labels of documents: what the given ones teach, and which document to ask about next."""

from __future__ import annotations

from dataclasses import dataclass

from ..core.errors import BadInput
from ..core.vetting.labelling import Suggested, Suggestion, suggest
from ..execution.open_workspace import OpenWorkspace


def suggested(opened: OpenWorkspace, column: str) -> Suggested:
    """What the given labels of a column teach; raises `BadInput` with too few."""
    labels = opened.workspace.labels
    names = opened.corpus.names(left_out=True)
    texts = [opened.corpus.document(name).text for name in names]
    known = set(names)
    given = {name: label for name, label in labels.given(column).items() if name in known}
    try:
        return suggest(names, texts, given)
    except ValueError as error:
        raise BadInput(f"labels.csv, column '{column}': {error} ('vet --label {column}' asks for them)") from None


def next_to_label(opened: OpenWorkspace, column: str, skipped: set[str]) -> str | None:
    """The document whose label would teach most; None when every one has a label or was skipped."""
    values = opened.workspace.labels.given(column)
    waiting = [name for name in opened.corpus.names(left_out=True) if name not in values and name not in skipped]
    if not waiting:
        return None
    try:
        return next((name for name in suggested(opened, column).next if name in waiting), waiting[0])
    except BadInput:  # too few labels to know which would teach most: spread over the corpus
        return waiting[(7 * len(values)) % len(waiting)]


@dataclass(frozen=True)
class Applied:
    """Suggestions, and those that were sure enough to be written down."""

    found: Suggested
    taken: list[Suggestion]


def apply_suggestions(opened: OpenWorkspace, column: str, least: float | None) -> Applied:
    """The suggestions of a column; those at least so sure are written into labels.csv when `least` is given."""
    found = suggested(opened, column)
    taken = [each for each in found.suggestions if least is not None and each.confidence >= least]
    for each in taken:
        opened.workspace.labels.set(column, {each.document: each.label}, f"suggested {each.confidence:.2f}")
    return Applied(found, taken)
