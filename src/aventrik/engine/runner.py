"""Applies configurations to a test set, stage by stage, keeping each result as soon as its batch is done."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, field
from functools import cached_property
from typing import Any

from ..core.answering import Answer, Served, Statement, answer, within_budget
from ..core.chunking import ChunkTable
from ..core.chunking.lookup import held_whole
from ..core.judging import Judgement, Reference, Verdict, judge
from ..core.keys import content_key
from ..core.measures.answers import answer_scores
from ..core.measures.loss import Path, lost_at
from ..core.measures.retrieval import Retrieved, retrieval_scores
from ..core.questions import Question
from ..core.reranking import Item, Means, refine, settings_of
from ..core.rewriting import METHODS, rewrite
from ..core.searching import search
from ..core.tasks import LanguageModel
from ..core.text import count_tokens
from ..workspace.configuration import Configuration
from ..workspace.runs import Runs
from ..workspace.workspace import Workspace
from .models import Models
from .resources import Progress, Resources
from .stages import QUESTION_STAGES, Identities, Judging, question_keys

BATCH = 16

Results = list[dict[str, Any]]


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
        self.resources = Resources(workspace, progress, self.models)

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
        return {q.id: question_keys(configuration, corpus, q, judging, identities) for q in questions}

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
        for place in range(0, len(missing), size):
            self.progress(configuration.name, len(questions) - len(missing) + place, len(questions))
            _Batch(self, configuration, missing[place : place + size], keys, outcome).compute()
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
    """A few questions of one run, taken through all stages."""

    def __init__(
        self,
        runner: Runner,
        configuration: Configuration,
        questions: Sequence[Question],
        keys: dict[str, dict[str, str]],
        outcome: Outcome,
    ) -> None:
        self.runner = runner
        self.configuration = configuration
        self.questions = list(questions)
        self.keys = keys
        self.outcome = outcome
        self.resources = runner.resources

    @cached_property
    def table(self) -> ChunkTable:
        return self.resources.chunks(self.configuration)

    def compute(self) -> None:
        """Every stage in turn: each reads what the ones before it left."""
        queries = self._stage("queries", self._queries)
        candidates = self._stage("candidates", self._candidates, queries)
        refined = self._stage("refined", self._refined, candidates)
        context = self._stage("context", self._context, refined)
        answers = self._stage("answer", self._answers, context)
        verdicts = self._stage("verdicts", self._verdicts, context, answers)
        self._stage("scores", self._scores, candidates, refined, context, answers, verdicts)

    def _stage(self, stage: str, make: Callable[..., Results], *inputs: Results) -> Results:
        """Results of a stage for all questions of the batch: from the store, or made from the inputs and kept."""
        store = self.runner.workspace.store
        keys = [self.keys[question.id][stage] for question in self.questions]
        known = store.known(keys)
        wanted = list({key: place for place, key in enumerate(keys) if key not in known}.values())
        fresh: dict[str, dict[str, Any]] = {}
        if wanted:
            began = time.perf_counter()
            made = make([self.questions[place] for place in wanted], *([rows[p] for p in wanted] for rows in inputs))
            seconds = time.perf_counter() - began
            fresh = {keys[place]: value for place, value in zip(wanted, made)}
            store.keep([(key, stage, value, seconds / len(wanted)) for key, value in fresh.items()])
            self.outcome.computed[stage] = self.outcome.computed.get(stage, 0) + len(wanted)
            self.outcome.seconds[stage] = self.outcome.seconds.get(stage, 0.0) + seconds
        return [fresh[key] if key in fresh else store.result(key) for key in keys]

    def _queries(self, questions: list[Question]) -> Results:
        rewriting = self.configuration.rewriting
        texts = [question.question for question in questions]
        model = self.runner.models.role("rewriter", rewriting.model)
        found = rewrite(texts, rewriting.method, rewriting.count, model)
        return [{"queries": queries, "failure": failure} for queries, failure in found]

    def _candidates(self, questions: list[Question], queries: Results) -> Results:
        settings = self.configuration.search
        texts = [row["queries"] for row in queries]
        by_word = self.resources.keyword(self.configuration) if settings.method != "vector" else None
        vectors = rows = None
        if settings.method != "keyword":
            vectors = self.resources.vectors(self.configuration)
            rows = self.resources.embed_queries(self.configuration, texts)
        found = search(texts, settings.method, settings.top, settings.blend, by_word, vectors, rows)
        return [
            {"list": [[c.chunk, c.score, c.keyword_rank, c.keyword_score, c.vector_rank, c.vector_score] for c in row]}
            for row in found
        ]

    def _refined(self, questions: list[Question], candidates: Results) -> Results:
        steps = self.configuration.reranking
        if not steps:
            return [{"stages": [[[row[0], row[1]] for row in each["list"]]]} for each in candidates]
        index = self.resources.keyword(self.configuration)
        items = [
            [
                Item(row[0], row[1], self.resources.text(self.table, row[0]), self._source(row[0]))
                for row in each["list"]
            ]
            for each in candidates
        ]
        means = Means(index.rarity, self.runner.models.language, self.runner.models.reranker)
        found = refine([question.question for question in questions], items, steps, means)
        return [
            {"stages": [[list(pair) for pair in stage] for stage in stages], "failure": means.failures.get(place, "")}
            for place, stages in enumerate(found)
        ]

    def _source(self, number: int) -> str:
        return " › ".join(self.resources.source(self.table, number))

    def _context(self, questions: list[Question], refined: Results) -> Results:
        table = self.table
        settings = self.configuration.context
        made = []
        for each in refined:
            chunks = [pair[0] for pair in each["stages"][-1][: settings.keep]]
            texts = [self.resources.text(table, number) for number in chunks]
            sizes = [count_tokens(text) for text in texts]
            kept = within_budget(sizes, settings.keep, settings.budget)
            made.append(
                {
                    "items": [
                        {
                            "number": place + 1,
                            "chunk": chunks[place],
                            "doc": table.name(chunks[place]),
                            "source": self._source(chunks[place]),
                            "text": texts[place],
                            "tokens": sizes[place],
                        }
                        for place in range(kept)
                    ]
                }
            )
        return made

    def _answers(self, questions: list[Question], context: Results) -> Results:
        contexts = [served(each) for each in context]
        texts = [question.question for question in questions]
        answering = self.configuration.answering
        found = answer(texts, contexts, answering.style, self.runner.models.role("answerer", answering.model))
        return [asdict(each) for each in found]

    def _verdicts(self, questions: list[Question], context: Results, answers: Results) -> Results:
        found = judge(
            [question.question for question in questions],
            [as_answer(row) for row in answers],
            [served(each) for each in context],
            [reference(question) for question in questions],
            self.runner.judge,
        )
        return [asdict(each) for each in found]

    def _scores(
        self,
        questions: list[Question],
        candidates: Results,
        refined: Results,
        context: Results,
        answers: Results,
        verdicts: Results,
    ) -> Results:
        table = self.table
        judging = self.runner.judging
        corpus = self.runner.workspace.corpus
        left_out = corpus.left_out()
        present = {name for name, _ in self.resources.documents}
        made = []
        for question, found, left, shown, said, judged in zip(
            questions, candidates, refined, context, answers, verdicts
        ):
            judgement = as_judgement(judged)
            scores = answer_scores(as_answer(said), judgement, question.answerable)
            lost: list[str] = []
            if question.answerable:
                needs = [[quoted.span for quoted in need.spans] for need in question.needs]
                ranked = [
                    self._retrieved(pair[0], place < judging.deepest) for place, pair in enumerate(left["stages"][-1])
                ]
                scores.update(retrieval_scores(needs, ranked, judging.cut_offs, judging.cover))
                path = Path(
                    [self._retrieved(row[0]) for row in found["list"]],
                    ranked,
                    [self._retrieved(item["chunk"]) for item in shown["items"]],
                    judgement.stated or (False,) * len(needs),
                )
                whole = [held_whole(table, need, judging.cover) for need in needs]
                lost = lost_at(needs, path, present, left_out, whole, judging.cover)
            scores["context-tokens"] = float(sum(item["tokens"] for item in shown["items"]))
            failure = said["failure"] or judged["failure"]
            made.append({"scores": scores, "lost": lost, "failure": failure})
        return made

    def _retrieved(self, number: int, tokens: bool = False) -> Retrieved:
        size = count_tokens(self.resources.text(self.table, number)) if tokens else 0
        return Retrieved(self.resources.spans(self.table, number), size)


def served(context: dict[str, Any]) -> list[Served]:
    """The items of a stored context."""
    return [Served(item["number"], item["source"], item["text"], item["tokens"]) for item in context["items"]]


def reference(question: Question) -> Reference:
    """What an answer to a question is held against."""
    quotes = [quoted.quote for need in question.needs for quoted in need.spans[:1] if quoted.quote]
    facts = tuple(need.fact or need.spans[0].quote for need in question.needs)
    return Reference(facts, tuple(text for text in (question.answer, *quotes) if text) if question.needs else ())


def as_answer(row: dict[str, Any]) -> Answer:
    """A stored answer."""
    statements = tuple(Statement(s["text"], tuple(s["cites"]), tuple(s["quotes"])) for s in row["statements"])
    return Answer(row["text"], row["declined"], statements, row["failure"])


def as_judgement(row: dict[str, Any]) -> Judgement:
    """A stored judgement."""
    verdicts = tuple(
        Verdict(v["claim"], v["verdict"], v["reason"], tuple(v["cites"]), tuple((q[0], q[1]) for q in v["quotes"]))
        for v in row["verdicts"]
    )
    return Judgement(verdicts, tuple(row["stated"]), tuple(row["right"]), row["failure"])
