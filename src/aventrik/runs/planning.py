"""What a run would compute and ask, how long it would take and what it would cost, before anything is paid for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from ..core.errors import Unavailable
from ..core.testsets import Question
from ..core.text import count_tokens
from ..execution.open_workspace import OpenWorkspace
from ..execution.passing import Passing, PosedQuestions, asks
from ..execution.place import Place
from ..pipeline.judges import stage_name
from ..pipeline.resolved import WantedModel
from ..pipeline.stage import QUESTION, Node, needed
from ..storage.protocols import Rate
from ..workspace.configuration import Configuration

_CALLS = {"answer": 1, "verdicts": 5}  # requests a question; claims are about three
_STEP_ITEMS = 10
_REPLY = 100  # tokens of a reply
_PROMPT = 200  # tokens of a prompt around its material
_TEXTS = 32  # that an embedding server is asked for at a time


@dataclass
class Server:
    """What one model server would be asked, by requests and tokens, and what that costs at `price_in` and `price_out` a
    million tokens. `rate`: tokens a second that it took in earlier calls, all its requests at a time together; None where
    there were none. `seconds`: the time that takes at this rate, and at the least that its limits a minute allow; None
    where neither is known."""

    does: str
    calls: int = 0
    tokens: int = 0
    money: float = 0.0
    price_in: float = 0.0
    price_out: float = 0.0
    rate: float | None = None
    seconds: float | None = None


@dataclass
class Planned:
    """What a configuration adds to those before it. `corpus`: stages of the documents that are to be made; `known`:
    results of questions that stand, or that a configuration before it makes; `missing`: those to be made at the most:
    `open` tells that some depend on what is missing itself, and may turn out to stand already. `calls`, `tokens` and
    `money` are what model servers would be asked; `seconds` what that took before, where it was ever done (`guessed`
    counts the results of stages that were not). `servers`: the same by the name of each model server."""

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
    servers: dict[str, Server] = field(default_factory=dict)

    def as_json(self) -> dict[str, Any]:
        """The documented shape of a line of `run --plan --json`."""
        return asdict(self)


class Planner:
    """Plans configurations one after another: what one of them makes, the next one need not."""

    def __init__(self, opened: OpenWorkspace, questions: Sequence[Question], until: str = "") -> None:
        self._opened = opened
        self._questions = questions
        self._until = until
        self._asked = PosedQuestions(questions, opened.standing)
        self._rates = opened.store.results.rates()
        self._corpus_rates = _corpus_rates(opened)
        self._call_rates = opened.store.calls.rates()
        self._seen: set[str] = set()
        self._known: dict[str, tuple[str, int]] = {}

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
                self._ask_of_corpus(node, place, planned)
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
                for wanted in node.models.values():
                    if self._paid(wanted):
                        tokens_ = round((rate.tokens_in + rate.tokens_out) * missing)
                        self._of_server(
                            wanted, round(rate.calls * missing), tokens_, self._money(node, rate) * missing, planned
                        )
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

    def _ask_of_corpus(self, node: Node, place: Place, planned: Planned) -> None:
        """What a stage of the documents asks: a language model once a chunk, of an embedding model all tokens, so many texts
        a request. How many chunks there are is known where they are cut, and else guessed by their size."""
        count, chars = self._opened.corpus.figures()
        tokens = chars // 4
        chunking = place.resolved.configuration.chunking
        size = chunking.size * {"chars": 0.25, "words": 1.3, "tokens": 1.0}[chunking.unit]
        try:
            chunks = len(place.open("chunks")) if self._there(place, "chunks") else max(count, round(tokens / size))
        except (KeyError, Unavailable):
            chunks = max(count, round(tokens / size))
        for wanted in node.models.values():
            if asks(wanted) and self._paid(wanted):
                embeds = wanted.kind == "embedding"
                requests = -(-chunks // _TEXTS) if embeds else chunks
                whole = tokens if embeds else tokens + chunks * (_PROMPT + _REPLY)
                settings = self._opened.workspace.settings.models[wanted.name]
                out = 0 if embeds else chunks * _REPLY
                money = ((whole - out) * settings.price_in + out * settings.price_out) / 1e6
                planned.calls += requests
                planned.tokens += whole
                planned.money += money
                self._of_server(wanted, requests, whole, money, planned)

    def _there(self, place: Place, name: str) -> bool:
        try:
            place.bench.store.arrays.folder(place.keys.corpus(name))
        except KeyError:
            return False
        return True

    def _of_server(self, wanted: WantedModel, calls: int, tokens: int, money: float, planned: Planned) -> None:
        """Adds to what one server is asked, and reckons anew how long that takes."""
        settings = self._opened.workspace.settings.models[wanted.name]
        server = planned.servers.setdefault(
            wanted.name, Server(settings.does, price_in=settings.price_in, price_out=settings.price_out)
        )
        server.calls, server.tokens, server.money = server.calls + calls, server.tokens + tokens, server.money + money
        _, done, seconds = self._call_rates.get(wanted.name, (0, 0.0, 0.0))
        if done and seconds:
            server.rate = done / seconds * settings.concurrency
        times = [server.tokens / server.rate] if server.rate else []
        if settings.requests_per_minute:
            times.append(server.calls / settings.requests_per_minute * 60)
        if settings.tokens_per_minute:
            times.append(server.tokens / settings.tokens_per_minute * 60)
        server.seconds = max(times, default=None)

    def _ask(self, node: Node, requests: int, tokens: int, planned: Planned) -> None:
        for wanted in node.models.values():
            if asks(wanted) and self._paid(wanted):
                settings = self._opened.workspace.settings.models[wanted.name]
                out = _REPLY if wanted.kind == "language" else 0
                planned.calls += requests
                planned.tokens += requests * (tokens + out)
                money = requests * (tokens * settings.price_in + out * settings.price_out) / 1e6
                planned.money += money
                self._of_server(wanted, requests, requests * (tokens + out), money, planned)

    def _paid(self, wanted: WantedModel) -> bool:
        """Whether a model is one that a server is asked for."""
        settings = self._opened.workspace.settings.models.get(wanted.name)
        return settings is not None and settings.kind == "http"


def _corpus_rates(opened: OpenWorkspace) -> Mapping[str, float]:
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
    if not node.name.startswith("step "):
        return _CALLS.get(stage_name(node.name), 1)
    items = min(node.settings.whole.get("keep", _STEP_ITEMS), configuration.search.top)
    embeds = any(wanted.kind == "embedding" for wanted in node.models.values())
    return -(-items // _TEXTS) if embeds else items
