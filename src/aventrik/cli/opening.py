"""Opens what most verbs need, and says plainly what is missing or has moved."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from .. import api
from .screen import Screen, shortened

if TYPE_CHECKING:
    from ..api.records import Configuration, MovedEvidence, OpenWorkspace, Question


def open_workspace(options: argparse.Namespace, screen: Screen, fresh: bool = False) -> OpenWorkspace:
    """The workspace that the options name; what a user should know of it is told."""
    return api.open(options.workspace, tell=screen.warn, fresh=fresh)


def open_testset(opened: OpenWorkspace, name: str, screen: Screen) -> list[Question]:
    """The questions of a test set that are not rejected, their evidence at its present place; says what moved."""
    questions, moved = api.load_questions(opened, name)
    show_moved(moved, api.testset_file(opened, name).name, screen)
    return questions


def show_moved(moved: MovedEvidence, file: str, screen: Screen) -> None:
    """What of a test set's evidence stands elsewhere by now, or nowhere."""
    if moved.found_again:
        screen.warn(f"{file}: evidence of {len(set(moved.found_again))} questions was found again at another place")
    for question, doc, reason in moved.lost[:5]:
        screen.warn(shortened(f"{file}, question {question}, {doc}: {reason}", 200))
    if moved.repeated:
        some = ", ".join(f"{one} as {other}" for one, other in moved.repeated[:4]) + (
            ", …" if len(moved.repeated) > 4 else ""
        )
        many = f"{len(moved.repeated)} questions ask" if len(moved.repeated) > 1 else "1 question asks"
        screen.warn(f"{file}: {many} the very same as another, and counts once: {some}")
    if moved.doubtful:
        question, doc, reason = moved.doubtful[0]
        screen.warn(
            shortened(
                f"{file}: evidence of {len(moved.doubtful)} spans may stand elsewhere in its document, such as {question}, "
                f"{doc}: {reason}; the nearest counts until 'aventrik review {file.removesuffix('.jsonl')}' says otherwise",
                300,
            )
        )
    if moved.shown:
        question, doc, reason = moved.shown[0]
        screen.warn(
            shortened(
                f"{file}: {len(moved.shown)} hidden spans can't be hidden, such as {question}, {doc}: {reason}", 200
            )
        )
    if len(moved.lost) > 5:
        screen.warn(f"{file}: {len(moved.lost) - 5} more spans of evidence are lost like these")


def first_configuration(opened: OpenWorkspace, name: str | None, screen: Screen) -> Configuration:
    """The configuration of that name, or the first there is; says which where there was a choice."""
    found = api.configurations(opened, [name] if name else [])
    if len(found) > 1:
        screen.warn(f"of {len(found)} configurations the first is taken: {found[0].name}")
    return found[0]
