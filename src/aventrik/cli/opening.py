"""Opens what most verbs need, and says plainly what is missing or has moved."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ..core.errors import BadInput
from .screen import Screen, shortened

if TYPE_CHECKING:
    from ..core.testsets import Question
    from ..engine.opened import Opened
    from ..workspace.configuration import Configuration
    from ..workspace.workspace import Workspace


def open_corpus(options: argparse.Namespace, left_out: bool = False, fresh: bool = False) -> Opened:
    """The workspace, which must hold documents; ones that were left out count only when that is said."""
    from ..engine.opened import Opened

    opened = Opened(Path(options.workspace), fresh=fresh)
    opened.tell = Screen(str(getattr(options, "verb", ""))).warn
    if not opened.corpus.names(left_out):
        raise BadInput(f"{opened.workspace.folder}: no documents yet; 'aventrik gather PATH' reads them in")
    return opened


def open_testset(opened: Opened, name: str, screen: Screen) -> list[Question]:
    """The questions of a test set that are not rejected, their evidence at its present place; says what moved."""
    questions, moved = opened.questions(name)
    file = opened.workspace.testset_path(name).name
    if moved.found_again:
        screen.warn(f"{file}: evidence of {len(set(moved.found_again))} questions was found again at another place")
    for question, doc, reason in moved.lost[:5]:
        screen.warn(shortened(f"{file}, question {question}, {doc}: {reason}", 200))
    if moved.shown:
        question, doc, reason = moved.shown[0]
        screen.warn(
            shortened(
                f"{file}: {len(moved.shown)} hidden spans can't be hidden, such as {question}, {doc}: {reason}", 200
            )
        )
    if len(moved.lost) > 5:
        screen.warn(f"{file}: {len(moved.lost) - 5} more spans of evidence are lost like these")
    return questions


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
