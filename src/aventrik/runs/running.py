"""Applies configurations to a test set, and keeps what each run was made of and what it came to."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from .. import __version__
from ..core.keys import content_key
from ..core.testsets import Question
from ..execution.corpus_health import IndexHealth, index_health
from ..execution.index_recall import recall
from ..execution.open_workspace import OpenWorkspace
from ..execution.passing import Passing, PosedQuestions, Underway, asks
from ..execution.place import Place
from ..kept.chains import chain_as_made
from ..kept.known import JudgingAccount, judging_of
from ..kept.sheets import keep_sheet
from ..models.calls import COUNTED
from ..pipeline.basis import as_made, basis
from ..pipeline.codec import encode
from ..pipeline.resolved import Resolved
from ..pipeline.stage import DOCUMENT, QUESTION, needed
from ..storage.protocols import RUN_FORMAT, Kept, RunQuestion
from ..workspace.configuration import Configuration
from ..workspace.testsets import question_row
from .known_answers import known_outcomes

_OWN = (
    "{name}: {count} questions of the test set were drafted by the model that also wrote the texts of the index; such "
    "questions are found too easily"
)


@dataclass
class RunOutcome:
    """What running one configuration did."""

    run: int
    configuration: Configuration
    computed: dict[str, int] = field(default_factory=dict)
    seconds: dict[str, float] = field(default_factory=dict)
    results: int = 0
    models: dict[str, float] = field(default_factory=dict)
    notes: dict[str, int] = field(default_factory=dict)
    recall: float | None = None
    judging: JudgingAccount | None = None

    @property
    def new(self) -> int:
        """How many results had to be computed."""
        return sum(self.computed.values())


class Runner:
    """Runs configurations of one workspace. `retry_failed` makes what came of failed model calls again."""

    def __init__(self, opened: OpenWorkspace, retry_failed: bool = False) -> None:
        self.opened = opened
        self.retry_failed = retry_failed
        self._known: dict[str, tuple[str, int]] = {}
        self._renewed: set[str] = set()
        self._last: tuple[Sequence[Question], PosedQuestions] | None = None
        self._rows: dict[str, dict[str, Any]] = {}
        if retry_failed:
            opened.store.calls.forget_failed()

    def run(
        self, configuration: Configuration, testset: str, questions: Sequence[Question], until: str = ""
    ) -> RunOutcome:
        """Computes what is missing of a run and returns what that was. Interrupted, it goes on where it stopped."""
        asked = self.asked(questions)
        place = self.opened.place(configuration, until, snapshot=self.opened.searched(questions))
        return self.over(place, testset, questions, asked, until)

    def over(
        self, place: Place, testset: str, questions: Sequence[Question], asked: PosedQuestions, until: str = "",
        source: Mapping[str, Any] | None = None, state: Mapping[str, Any] | None = None,
    ) -> RunOutcome:  # fmt: skip
        """The same of a place, with questions as they are asked; `source` tells of what was brought where it came from,
        and is kept with the run; `state` is kept beside its costs."""
        opened, store, bench = self.opened, self.opened.store, self.opened.bench
        configuration = place.resolved.configuration
        self._rows = {question.id: question_row(question) for question in questions} if source else self._rows
        before = dict(bench.made), dict(bench.seconds), asdict(opened.models.spent())
        cpu = time.process_time()
        again = opened.fresh or self.retry_failed
        if again:
            self._renew(place)
        passing = self.passing(place, asked)
        identity = self._present(self.identity(place, testset, passing, until), place)
        total = len(questions) * len(list(needed(place.nodes, QUESTION)))
        finished = store.runs.finished(identity)
        if finished and not again and store.runs.whole(finished):
            return RunOutcome(
                finished, configuration, results=total, recall=recall(place), judging=judging_of(store, finished)
            )
        store.documents.keep_snapshot(place.snapshot)
        made = self._made(place, testset, until) | ({"source": dict(source)} if source else {})
        number = store.runs.begin(identity, configuration.name, testset, made, len(questions))
        outcome = RunOutcome(number, configuration, results=total)
        self._keep_brought(asked)
        passing.pass_all()
        known = known_outcomes(opened, place, questions)
        outcome.computed = _grown(bench.made, before[0]) | passing.computed
        outcome.seconds = _grown(bench.seconds, before[1]) | passing.seconds
        now = asdict(opened.models.spent())
        outcome.models = {name: now[name] - before[2][name] for name in COUNTED}
        outcome.notes = dict(opened.models.spent().notes)
        if own := own_questions(place.resolved, questions):
            outcome.notes[_OWN.format(name=configuration.name, count=own)] = 1
        outcome.recall = recall(place)
        costs: dict[str, Any] = {
            "computed": outcome.computed, "seconds": outcome.seconds, "models": outcome.models,
            "cpu": {"all": time.process_time() - cpu} if outcome.new else {},
        }  # fmt: skip
        found: dict[str, Any] = {} if outcome.recall is None else {"recall": outcome.recall}
        if (health := index_health(place)) != IndexHealth() or self.retry_failed:  # what was mended is no longer amiss
            found["index"] = asdict(health)
        if known:
            found["known"] = {judge: each.summary for judge, each in known.items()}
        if found or state:
            costs["state"] = {**(state or {}), **found}
        store.runs.finish(number, [self._kept(one, place) for one in passing.underway], costs)
        keep_sheet(store, number, configuration.name, made)
        outcome.judging = judging_of(store, number)
        return outcome

    def _present(self, identity: str, place: Place) -> str:
        """The identity of the latest of the runs that have been made of the same anew, or of the next one where models are to
        be asked anew now: it stands beside those before."""
        count = 0
        while self.opened.store.runs.finished(_anew(identity, count + 1)):
            count += 1
        models = (wanted for node in place.nodes.values() for wanted in node.models.values())
        fresh = self.opened.fresh and any(map(asks, models)) and self.opened.store.runs.finished(_anew(identity, count))
        return _anew(identity, count + 1 if fresh else count)

    def passing(self, place: Place, asked: PosedQuestions) -> Passing:
        """Questions on their way through a place."""
        opened, name = self.opened, place.resolved.configuration.name
        return Passing(
            place, asked, opened.fresh, self.retry_failed,
            lambda done, total: opened.progress(f"{name}{opened.bench.executor.label}", done, total), self._known,
        )  # fmt: skip

    def stop(
        self, place: Place, testset: str, whole: Passing, until: str, done: Passing, state: Mapping[str, Any]
    ) -> int:
        """Keeps a run that is not gone on with: what it was made of, and the questions that are done."""
        runs = self.opened.store.runs
        number = runs.begin(
            self.identity(place, testset, whole, until), place.resolved.configuration.name, testset,
            self._made(place, testset, until), len(whole.underway),
        )  # fmt: skip
        self.opened.store.documents.keep_snapshot(place.snapshot)
        costs = {"computed": done.computed, "seconds": done.seconds, "state": {"stopped": dict(state)}}
        runs.keep(number, [self._kept(one, place) for one in done.underway], costs)
        return number

    def asked(self, questions: Sequence[Question]) -> PosedQuestions:
        """The questions as all configurations are asked them; the last ones are held."""
        if self._last is None or self._last[0] is not questions:
            self._last = (questions, PosedQuestions(questions, self.opened.standing))
            self._rows = {question.id: question_row(question) for question in questions}
        return self._last[1]

    def _keep_brought(self, asked: PosedQuestions) -> None:
        """Keeps what was brought from a file: it stands nowhere else."""
        marks = [marks["brought"] for _, marks in asked.marked if "brought" in marks]
        self.opened.store.results.keep(
            [Kept(mark, "brought", mark, encode(asked.records[mark])) for mark in dict.fromkeys(marks)]
        )

    def _renew(self, place: Place) -> None:
        """Makes anew, once, what models made of the documents: all of it, or what failed."""
        for node in needed(place.nodes, DOCUMENT):
            if not any(asks(wanted) for wanted in node.models.values()):
                continue
            plain = place.keys.family(node.name, took=False)
            if plain in self._renewed:
                continue
            if self.opened.fresh or node.name == "written":
                place.renew(node.name, failed=not self.opened.fresh)
            self._renewed.add(plain)

    def _kept(self, one: Underway, place: Place) -> RunQuestion:
        question = one.question
        results = {name: found for name, found in one.ids.items() if name in place.nodes or name == "brought"}
        return RunQuestion(question.id, question.key, self._rows[question.id], results)

    def identity(self, place: Place, testset: str, passing: Passing, until: str) -> str:
        """Runs with the same identity come to the same: the same stages, settings, models and documents, asked the same
        questions of a test set of that name, under the same name."""
        bases = {node.name: place.keys.base(node.name) for node in needed(place.nodes, QUESTION)}
        asked = [[one.question.id, *one.digests.values()] for one in passing.underway]
        return content_key("run", place.resolved.configuration.name, testset, bases, asked, until)

    def _made(self, place: Place, testset: str, until: str) -> dict[str, Any]:
        """All that makes a run, to be kept with it."""
        opened = self.opened
        wanted = {f"{node.name}: {slot}": each for node in place.nodes.values() for slot, each in node.models.items()}
        passed = place.condition
        return {
            "format": RUN_FORMAT,
            "program": __version__,
            **place.resolved.as_made(),
            "until": until,
            "testset": testset,
            "corpus": place.snapshot.key,
            "documents": len(place.snapshot),
            "passed": None if passed is None else len(passed),
            "seed": opened.workspace.settings.seed,
            "models": {name: opened.models.description(each) for name, each in wanted.items()},
            "prompts": opened.models.wordings(wanted.values()),
            "stages": {node.stage.name: node.stage.version for node in place.nodes.values()},
            "chain": chain_as_made(
                place.nodes,
                {node.name: place.keys.base(node.name) for node in needed(place.nodes, QUESTION)},
                place.keys.scope,
            ),
            "basis": as_made(basis(place.nodes, place.resolved, opened.models.pieces, place.condition_key)),
        }


def _anew(identity: str, count: int) -> str:
    return f"{identity} {count}" if count else identity


def own_questions(resolved: Resolved, questions: Sequence[Question]) -> int:
    """How many questions were drafted by the model that wrote the texts of the index: they are found too easily."""
    index = resolved.configuration.index
    return 0 if index.text == "chunk" else sum(question.by == index.model for question in questions)


def _grown(now: dict[str, Any], before: dict[str, Any]) -> dict[str, Any]:
    return {name: value - before.get(name, 0) for name, value in now.items() if value != before.get(name, 0)}
