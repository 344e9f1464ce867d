"""A small workspace, opened in this process, and language models that do as a test wants."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import pytest

from aventrik.core.protocols import Reply, Task
from aventrik.core.testsets import Question
from aventrik.corpora.gathering import gather
from aventrik.english import OfflineModel
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.workspace.configuration import Configuration
from aventrik.workspace.gathered import GatheredSource
from aventrik.workspace.starter import create
from aventrik.workspace.testsets import question_from

from .conftest import QUESTIONS, TEXTS

MODELS = """
[models.house]
kind = "http"
address = "http://127.0.0.1:9"
model = "m"
[models.other]
kind = "http"
address = "http://127.0.0.1:9"
model = "n"
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A workspace with three documents, a test set of three questions, and two configured models."""
    create(tmp_path / "w")
    with (tmp_path / "w" / "aventrik.toml").open("a") as file:
        file.write(MODELS)
    (tmp_path / "docs").mkdir()
    for name, text in TEXTS.items():
        (tmp_path / "docs" / name).write_text(text, encoding="utf-8")
    gather(OpenWorkspace(tmp_path / "w"), [GatheredSource(tmp_path / "docs")])
    return tmp_path / "w"


@pytest.fixture
def opened(folder: Path) -> OpenWorkspace:
    """That workspace, opened."""
    return OpenWorkspace(folder)


def questions_of(opened: OpenWorkspace) -> list[Question]:
    """The three questions, their evidence found."""
    found, moved = opened.located([question_from(row) for row in QUESTIONS])
    assert not moved.lost
    return found


def configured(settings: dict[str, Any] | None = None, name: str = "x") -> Configuration:
    """A configuration with some settings, by table."""
    return Configuration.model_validate({"name": name, **(settings or {})}, strict=False)


class Speaker:
    """A language model whose replies a function gives; what it was asked is counted by task."""

    def __init__(self, say: Callable[[Task], Reply] | None = None, mark: str = "1") -> None:
        self.name = "speaker"
        self.say = say or (lambda task: OfflineModel().perform([task])[0])
        self.mark = mark
        self.asked: list[str] = []

    def identity(self, task: str) -> str:
        """What it calls itself, for keys."""
        return f"speaker {self.mark}"

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        """A reply to each task."""
        self.asked.extend(task.name for task in tasks)
        return [self.say(task) for task in tasks]


def speaking(folder: Path, fresh: bool = False, **speakers: Speaker) -> OpenWorkspace:
    """The workspace with its configured models replaced."""
    opened = OpenWorkspace(folder, fresh=fresh)
    opened.models._made.update(speakers)
    return opened
