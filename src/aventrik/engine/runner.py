"""Applies configurations to a test set, stage by stage, keeping each result as soon as its batch is done."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from ..core.keys import content_key
from ..core.questions import Question
from ..core.reranking import settings_of
from ..core.rewriting import METHODS
from ..core.tasks import LanguageModel
from ..workspace.configuration import Configuration
from ..workspace.runs import Runs
from ..workspace.store import Store
from ..workspace.workspace import Workspace
from .models import Models
from .question_stages import QuestionStages, Results
from .resources import Progress, Resources
from .stages import QUESTION_STAGES, Identities, Judging, question_keys

BATCH = 16


@dataclass
class Outcome:
    """What running one configuration did."""

    run: int
    configuration: Configuration
    computed: dict[str, int] = field(default_factory=dict)
    seconds: dict[str, float] = field(default_factory=dict)
    results: int = 0
    models: dict[str, float] = field(default_factory=dict)
    notes: dict[str, int] = field(default_factory=dict)
    recall: float | None = None

    @property
    def new(self) -> int:
        """How many results had to be computed."""
        return sum(self.computed.values())


class Runner:
    """Runs configurations of one workspace."""

    def __init__(
        self,
        workspace: Workspace,
        progress: Progress = lambda stage, done, total: None,
        fresh: bool = False,
        retry_failed: bool = False,
    ) -> None:
        """`fresh` asks models anew whatever is kept; `retry_failed` makes failed calls, and what hangs on them, again."""
        self.workspace = workspace
        self.progress = progress
        self.fresh = fresh
        self.failed = workspace.store.failed() if retry_failed else set()
        self.models = Models(workspace, fresh, progress)
        self.resources = Resources(workspace, progress, self.models, fresh)

    @property
    def judge(self) -> LanguageModel:
        """The model in the role of judge."""
        return self.models.role("judge")

    @property
    def judging(self) -> Judging:
        """What scores hang on beside the configuration."""
        settings = self.workspace.settings
        identity = [self.judge.identity(task) for task in ("claims", "verdict", "stated")]
        return Judging(settings.cut_offs, settings.cover, " ".join(dict.fromkeys(identity)))

    def stage_keys(self, configuration: Configuration, questions: Sequence[Question]) -> dict[str, dict[str, str]]:
        """For each question id the content keys of its stages."""
        corpus = self.resources.keys(configuration)
        rewriting = configuration.rewriting
        task = METHODS[rewriting.method]
        steps = [settings_of(step).get("model", "") for step in configuration.reranking]
        identities = Identities(
            self.models.role("rewriter", rewriting.model).identity(task) if task else "",
            self.models.role("answerer", configuration.answering.model).identity("answer"),
            tuple(self.models.identity(name) if name else "" for name in steps),
        )
        judging = self.judging
        allowed, _ = self.resources.allowed(configuration.search.where)
        return {q.id: question_keys(configuration, corpus, q, judging, identities, allowed) for q in questions}

    def run(self, configuration: Configuration, testset: str, questions: Sequence[Question]) -> Outcome:
        """Computes what is missing of a run and returns what that was. Interrupted, it goes on where it stopped."""
        keys = self.stage_keys(configuration, questions)
        asked = {q.id: {**keys[q.id], "question": q.question, "kind": q.kind} for q in questions}
        identity = content_key(configuration.model_dump(), [keys[q.id]["scores"] for q in questions], testset)
        corpus = self.resources.corpus_key
        runs = Runs(self.workspace.store)
        outcome = Outcome(runs.begin(identity, configuration, testset, asked, corpus), configuration)
        outcome.results = len(questions) * len(QUESTION_STAGES)
        self.workspace.store.forget([key for q in questions for key in self._outdated(keys[q.id])])
        known = self.workspace.store.known([keys[q.id]["scores"] for q in questions])
        missing = [q for q in questions if keys[q.id]["scores"] not in known]
        before = (dict(self.resources.made), dict(self.resources.seconds))
        spent = asdict(self.models.spent())
        cpu = time.process_time()
        size = self._batch_size(configuration)
        stages = QuestionStages(self.resources, self.models, configuration, self.judging)
        for place in range(0, len(missing), size):
            self.progress(configuration.name, len(questions) - len(missing) + place, len(questions))
            _Batch(self.workspace.store, stages, missing[place : place + size], keys, outcome).compute()
        self.progress(configuration.name, len(questions), len(questions))
        for old, now, into in (
            (before[0], self.resources.made, outcome.computed),
            (before[1], self.resources.seconds, outcome.seconds),
        ):
            for stage, amount in now.items():
                if amount != old.get(stage, 0):
                    into[stage] = amount - old.get(stage, 0)  # type: ignore[assignment]
        costs: dict[str, Any] = {"computed": outcome.computed, "seconds": outcome.seconds}
        if outcome.new:
            costs["cpu"] = {"all": time.process_time() - cpu}
        outcome.recall = self.resources.recall(configuration)
        if outcome.recall is not None:
            costs["recall"] = {"of the ten nearest": outcome.recall}
        now = asdict(self.models.spent())
        outcome.models = {name: now[name] - spent[name] for name in spent if name != "notes"}
        outcome.notes = dict(self.models.spent().notes)
        costs["models"] = outcome.models
        runs.finish(outcome.run, costs, self.models.prompts())
        return outcome

    def _outdated(self, keys: dict[str, str]) -> list[str]:
        """Keys of one question's results that are to be made again: from the first one asked for to the last stage,
        for a later stage's key does not change when an earlier result does."""
        ordered = [keys[stage] for stage in QUESTION_STAGES]
        if self.fresh:
            return ordered
        first = next((place for place, key in enumerate(ordered) if key in self.failed), len(ordered))
        return ordered[first:]

    def _batch_size(self, configuration: Configuration) -> int:
        """Questions taken together: enough to keep every request that a server allows in flight."""
        names = {
            configuration.answering.model,
            configuration.rewriting.model,
            *dict(self.workspace.settings.roles).values(),
        }
        allowed = [model.concurrency for name, model in self.workspace.settings.models.items() if name in names]
        return max(BATCH, 4 * max(allowed, default=0))


class _Batch:
    """A few questions of one run, taken through all stages; each stage's results are kept as soon as they are made."""

    def __init__(
        self,
        store: Store,
        stages: QuestionStages,
        questions: Sequence[Question],
        keys: dict[str, dict[str, str]],
        outcome: Outcome,
    ) -> None:
        self.store = store
        self.stages = stages
        self.questions = list(questions)
        self.keys = keys
        self.outcome = outcome

    def compute(self) -> None:
        """Every stage in turn: each reads what the ones before it left."""
        stages = self.stages
        queries = self._stage("queries", stages.queries)
        candidates = self._stage("candidates", stages.candidates, queries)
        refined = self._stage("refined", stages.refined, candidates)
        context = self._stage("context", stages.context, refined)
        answers = self._stage("answer", stages.answers, context)
        verdicts = self._stage("verdicts", stages.verdicts, context, answers)
        self._stage("scores", stages.scores, candidates, refined, context, answers, verdicts)

    def _stage(self, stage: str, make: Callable[..., Results], *inputs: Results) -> Results:
        """Results of a stage for all questions of the batch: from the store, or made from the inputs and kept."""
        keys = [self.keys[question.id][stage] for question in self.questions]
        known = self.store.known(keys)
        wanted = list({key: place for place, key in enumerate(keys) if key not in known}.values())
        fresh: dict[str, dict[str, Any]] = {}
        if wanted:
            began = time.perf_counter()
            made = make([self.questions[place] for place in wanted], *([rows[p] for p in wanted] for rows in inputs))
            seconds = time.perf_counter() - began
            fresh = {keys[place]: value for place, value in zip(wanted, made)}
            self.store.keep([(key, stage, value, seconds / len(wanted)) for key, value in fresh.items()])
            self.outcome.computed[stage] = self.outcome.computed.get(stage, 0) + len(wanted)
            self.outcome.seconds[stage] = self.outcome.seconds.get(stage, 0.0) + seconds
        return [fresh[key] if key in fresh else self.store.result(key) for key in keys]
