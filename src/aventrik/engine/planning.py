"""What a run would compute and ask, how long it would take and what it would cost, before anything is paid for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from ..core.testsets import Question
from ..core.text import count_tokens
from ..storage.protocols import Rate
from ..workspace.configuration import Configuration
from .bench import Place
from .judges import stage_name
from .opened import Opened
from .questions import Asked, Passing, asks
from .resolved import Wanted
from .stage import QUESTION, Node, needed

_CALLS = {"answer": 1, "verdicts": 5}  # requests a question; claims are about three
_STEP_ITEMS = 10
_REPLY = 100  # tokens of a reply


@dataclass
class Planned:
    """What a configuration adds to those before it. `corpus`: stages of the documents that are to be made; `known`:
    results of questions that stand, or that a configuration before it makes; `missing`: those to be made at the most:
    `open` tells that some depend on what is missing itself, and may turn out to stand already. `calls`, `tokens` and
    `money` are what model servers would be asked; `seconds` what that took before, where it was ever done (`guessed`
    counts the results of stages that were not)."""

    name: str
    corpus: list[str] = field(default_factory=list)
    known: int = 0
    missing: int = 0
    open: bool = False
    calls: int = 0
    tokens: int = 0
    money: float = 0.0
    seconds: float = 0.0
    guessed: int = 0

    def as_json(self) -> dict[str, Any]:
        """The documented shape of a line of `run --plan --json`."""
        return asdict(self)


class Planner:
    """Plans configurations one after another: what one of them makes, the next one need not."""

    def __init__(self, opened: Opened, questions: Sequence[Question], until: str = "") -> None:
        self._opened = opened
        self._questions = questions
        self._until = until
        self._asked = Asked(questions, opened.standing)
        self._rates = opened.store.results.rates()
        self._corpus_rates = _corpus_rates(opened)
        self._seen: set[str] = set()
        self._known: dict[str, tuple[str, bool]] = {}

    def plan(self, configuration: Configuration) -> Planned:
        """Looks up what is there, and counts what is not."""
        opened = self._opened
        place = opened.place(configuration, self._until, snapshot=opened.searched(self._questions))
        planned = Planned(configuration.name)
        for node in place.nodes.values():
            if node.stage.scope != QUESTION and node.stage.kept and not self._stands(place, node):
                planned.corpus.append(node.name)
                count = len(place.snapshot)
                planned.seconds += self._corpus_rates.get(node.name, 0.0) * count
                self._ask(node, count, _average_tokens(opened), planned)
        passing = Passing(place, self._asked, known=self._known)
        tokens = configuration.context.budget + count_tokens(self._questions[0].question) + 300
        for node in needed(place.nodes, QUESTION):
            before = planned.missing
            known, missing = passing.foresee(node, self._seen)
            planned.known += len(self._questions) - missing
            planned.missing += missing
            planned.open |= known + missing < len(self._questions) or (missing > 0 and before > 0)
            self._take(node, missing, configuration, tokens, planned)
        return planned

    def _take(self, node: Node, missing: int, configuration: Configuration, tokens: int, planned: Planned) -> None:
        """Adds what so many results of a stage take, by what they took before or else by a guess."""
        rate = self._rates.get(node.name)
        planned.seconds += rate.seconds * missing if rate else 0.0
        planned.guessed += 0 if rate else missing
        if rate and rate.calls:
            if any(self._paid(wanted) for wanted in node.models.values()):
                planned.calls += round(rate.calls * missing)
                planned.tokens += round((rate.tokens_in + rate.tokens_out) * missing)
                planned.money += self._money(node, rate) * missing
        elif missing:
            self._ask(node, missing * _requests(node, configuration), tokens, planned)

    def _money(self, node: Node, rate: Rate) -> float:
        """What a result costs, at today's prices."""
        models = self._opened.workspace.settings.models
        prices = [models[wanted.name] for wanted in node.models.values() if self._paid(wanted)]
        return max((rate.tokens_in * each.price_in + rate.tokens_out * each.price_out) / 1e6 for each in prices)

    def _stands(self, place: Place, node: Node) -> bool:
        key = place.keys.corpus(node.name)
        if key in self._seen:
            return True
        self._seen.add(key)
        try:
            place.bench.store.arrays.folder(key)
        except KeyError:
            return False
        return True

    def _ask(self, node: Node, requests: int, tokens: int, planned: Planned) -> None:
        for wanted in node.models.values():
            if asks(wanted) and self._paid(wanted):
                settings = self._opened.workspace.settings.models[wanted.name]
                out = _REPLY if wanted.kind == "language" else 0
                planned.calls += requests
                planned.tokens += requests * (tokens + out)
                planned.money += requests * (tokens * settings.price_in + out * settings.price_out) / 1e6

    def _paid(self, wanted: Wanted) -> bool:
        """Whether a model is one that a server is asked for."""
        settings = self._opened.workspace.settings.models.get(wanted.name)
        return settings is not None and settings.kind == "http"


def _corpus_rates(opened: Opened) -> Mapping[str, float]:
    """Seconds a document that each stage of the documents took in earlier runs."""
    seconds: dict[str, float] = {}
    documents: dict[str, int] = {}
    for run in opened.store.runs.all():
        made, spent = run.costs.get("computed", {}), run.costs.get("seconds", {})
        count = int(run.made.get("documents", 0) or 0)
        for stage in made:
            if stage in spent and count:
                seconds[stage] = seconds.get(stage, 0.0) + float(spent[stage])
                # of a stage of the whole corpus one is made, of the others as many as documents
                documents[stage] = documents.get(stage, 0) + (count if made[stage] == 1 else int(made[stage]))
    return {stage: seconds[stage] / documents[stage] for stage in seconds if documents[stage]}


def _requests(node: Node, configuration: Configuration) -> int:
    again = configuration.answering.again
    if node.name in ("again", "agreement"):
        return again + (node.name == "again")  # one for the wordings, and one an answer
    return _STEP_ITEMS if node.name.startswith("step ") else _CALLS.get(stage_name(node.name), 1)


def _average_tokens(opened: Opened) -> int:
    count, chars = opened.corpus.figures()
    return chars // max(1, count) // 4
