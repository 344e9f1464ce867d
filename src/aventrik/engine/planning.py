"""What a run would compute and ask, before anything is paid for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from ..core.testsets import Question
from ..core.text import count_tokens
from ..workspace.configuration import Configuration
from .bench import Place
from .judges import stage_name
from .opened import Opened
from .questions import Asked, Passing, asks
from .resolved import Wanted
from .stage import QUESTION, Node, needed

_CALLS = {"answer": 1, "verdicts": 5}  # requests a question; claims are about three
_STEP_ITEMS = 10


@dataclass
class Planned:
    """`corpus`: stages of the documents that are to be made; `known`: results of questions that stand; `missing`: those
    to be made, no more than so many where some are `open`: they depend on what is missing itself. `calls`, `tokens` and
    `money` are estimates of the most that model servers would be asked."""

    name: str
    corpus: list[str] = field(default_factory=list)
    known: int = 0
    missing: int = 0
    open: bool = False
    calls: int = 0
    tokens: int = 0
    money: float = 0.0

    def as_json(self) -> dict[str, Any]:
        """The documented shape of a line of `run --plan --json`."""
        return asdict(self)


def plan(opened: Opened, configuration: Configuration, questions: Sequence[Question], until: str = "") -> Planned:
    """Looks up what is there, and counts what is not."""
    place = opened.place(configuration, until, snapshot=opened.searched(questions))
    planned = Planned(configuration.name)
    for node in place.nodes.values():
        if node.stage.scope != QUESTION and node.stage.kept and not _stands(place, node):
            planned.corpus.append(node.name)
            _ask(opened, node, len(place.snapshot), _average_tokens(opened), planned)
    passing = Passing(place, Asked(questions, opened.standing))
    for node in needed(place.nodes, QUESTION):
        found = passing.find(node)
        planned.known += len(found)
        planned.open |= any(node.name not in passage.digests for passage in passing.passages)
        planned.missing += len(questions) - len(found)
        missing = len(questions) - len(found)
        if missing:
            tokens = configuration.context.budget + count_tokens(questions[0].question) + 300
            _ask(opened, node, missing * _requests(node, configuration), tokens, planned)
    return planned


def _stands(place: Place, node: Node) -> bool:
    try:
        place.bench.store.arrays.folder(place.keys.corpus(node.name))
    except KeyError:
        return False
    return True


def _requests(node: Node, configuration: Configuration) -> int:
    again = configuration.answering.again
    if node.name in ("again", "agreement"):
        return again + (node.name == "again")  # one for the wordings, and one an answer
    return _STEP_ITEMS if node.name.startswith("step ") else _CALLS.get(stage_name(node.name), 1)


def _average_tokens(opened: Opened) -> int:
    count, chars = opened.corpus.figures()
    return chars // max(1, count) // 4


def _ask(opened: Opened, node: Node, requests: int, tokens: int, planned: Planned) -> None:
    for wanted in node.models.values():
        if asks(wanted) and _served(opened, wanted):
            settings = opened.workspace.settings.models[wanted.name]
            out = 100 if wanted.kind == "language" else 0
            planned.calls += requests
            planned.tokens += requests * (tokens + out)
            planned.money += requests * (tokens * settings.price_in + out * settings.price_out) / 1e6


def _served(opened: Opened, wanted: Wanted) -> bool:
    settings = opened.workspace.settings.models.get(wanted.name)
    return settings is not None and settings.kind == "http"
