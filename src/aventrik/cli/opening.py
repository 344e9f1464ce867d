"""Opens what most verbs need, and says plainly what is missing."""

from __future__ import annotations

import argparse
from pathlib import Path

from ..core.errors import BadInput
from ..core.questions import Question
from ..workspace.configuration import Configuration
from ..workspace.testsets import load_testset, located
from ..workspace.workspace import Workspace
from .screen import Screen, shortened


def open_corpus(options: argparse.Namespace, left_out: bool = False) -> Workspace:
    """The workspace, which must hold documents; ones that were left out count only when that is said."""
    workspace = Workspace.around(Path(options.workspace))
    if not workspace.corpus.names(left_out):
        raise BadInput(f"{workspace.folder}: no documents yet; 'aventrik gather PATH' reads them in")
    return workspace


def open_testset(workspace: Workspace, name: str, screen: Screen) -> list[Question]:
    """The questions of a test set that are not rejected, their evidence at its present place."""
    path = workspace.testset_path(name)
    questions = [question for question in load_testset(path) if question.status != "rejected"]
    if not questions:
        raise BadInput(f"{path}: every question in it is rejected")
    names = set(workspace.corpus.names(left_out=True))
    found, moved = located(questions, lambda doc: workspace.corpus.document(doc).text if doc in names else None)
    if moved.found_again:
        screen.warn(
            f"{path.name}: evidence of {len(set(moved.found_again))} questions was found again at another place"
        )
    for question, doc, reason in moved.lost[:5]:
        screen.warn(shortened(f"{path.name}, question {question}, {doc}: {reason}", 200))
    if len(moved.lost) > 5:
        screen.warn(f"{path.name}: {len(moved.lost) - 5} more spans of evidence are lost like these")
    return found


def first_configuration(workspace: Workspace, name: str | None, screen: Screen) -> Configuration:
    """The configuration of that name, or the first there is; says which where there was a choice."""
    found = workspace.configurations([name] if name else [])
    if len(found) > 1:
        screen.warn(f"of {len(found)} configurations the first is taken: {found[0].name}")
    return found[0]


def only_testset(workspace: Workspace) -> str:
    """The name of the only test set there is; raises `BadInput` for none or several."""
    names = sorted(path.stem for path in (workspace.folder / "testsets").glob("*.jsonl"))
    if len(names) == 1:
        return names[0]
    if not names:
        raise BadInput(f"{workspace.folder / 'testsets'}: holds no test set; 'aventrik draft' writes one")
    raise BadInput(f"there are several test sets ({', '.join(names)}); name one with --testset")
