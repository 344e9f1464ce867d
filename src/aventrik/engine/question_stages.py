"""The stages that a question goes through, each a function of what the ones before it gave. Nothing is kept here."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from functools import cached_property
from typing import Any

from ..core.answering import Answer, Served, Statement, answer, within_budget
from ..core.chunking import Chunk, ChunkTable
from ..core.chunking.lookup import held_whole
from ..core.judging import Judgement, Reference, Verdict, judge
from ..core.measures.answers import answer_scores
from ..core.measures.loss import Path, lost_at
from ..core.measures.retrieval import Retrieved, retrieval_scores
from ..core.questions import Question
from ..core.reranking import Item, Means, refine
from ..core.rewriting import rewrite
from ..core.searching import search
from ..core.serving import ServedTable, handed_on
from ..core.spans import Range, Span, text_of
from ..core.text import count_tokens
from ..workspace.configuration import Configuration
from .models import Models
from .resources import Resources
from .stages import Judging

Results = list[dict[str, Any]]


@dataclass(frozen=True)
class HandedOn:
    """One item of the list that is measured and shown: what of a chunk's served unit was not handed on before it."""

    chunk: int
    doc: str
    ranges: Chunk


class QuestionStages:
    """The stages of one configuration."""

    def __init__(self, resources: Resources, models: Models, configuration: Configuration, judging: Judging) -> None:
        self.resources = resources
        self.models = models
        self.configuration = configuration
        self.judging = judging

    @cached_property
    def table(self) -> ChunkTable:
        """The chunks of the configuration."""
        return self.resources.chunks(self.configuration)

    @cached_property
    def units(self) -> ServedTable:
        """What is served for them."""
        return self.resources.served(self.configuration)

    def queries(self, questions: Sequence[Question]) -> Results:
        """Each question and its rewrites."""
        rewriting = self.configuration.rewriting
        texts = [question.question for question in questions]
        model = self.models.role("rewriter", rewriting.model)
        found = rewrite(texts, rewriting.method, rewriting.count, model)
        return [{"queries": queries, "failure": failure} for queries, failure in found]

    def candidates(self, questions: Sequence[Question], queries: Results) -> Results:
        """What search returns."""
        texts = [row["queries"] for row in queries]
        indexes = self.resources.indexes(self.configuration)
        rows = self.resources.embed_queries(self.configuration, texts) if indexes.nearest is not None else None
        found = search(texts, self.configuration.search.searching, indexes, rows)
        return [
            {"list": [[c.chunk, c.score, c.keyword_rank, c.keyword_score, c.vector_rank, c.vector_score] for c in row]}
            for row in found
        ]

    def refined(self, questions: Sequence[Question], candidates: Results) -> Results:
        """What is left after each reranking step."""
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
        means = Means(index.rarity, self.models.language, self.models.reranker)
        found = refine([question.question for question in questions], items, steps, means)
        return [
            {"stages": [[list(pair) for pair in stage] for stage in stages], "failure": means.failures.get(place, "")}
            for place, stages in enumerate(found)
        ]

    def _source(self, number: int) -> str:
        return " › ".join(self.resources.source(self.table, number))

    def handed_on(self, chunks: Sequence[int], most: int = 1 << 30) -> list[HandedOn]:
        """The first items that a ranked list of chunks comes to: no text twice, and nothing for a chunk whose unit
        stands wholly in those before it."""
        found: list[HandedOn] = []
        before: dict[str, list[Range]] = {}
        for number in chunks:
            if len(found) == most:
                break
            doc = self.table.name(number)
            text = self.resources.workspace.corpus.document(doc).text
            ranges = handed_on(text, self.units.units.ranges(int(self.units.unit[number])), before.get(doc, ()))
            if ranges:
                found.append(HandedOn(number, doc, ranges))
                before.setdefault(doc, []).extend(ranges)
        return found

    def _text(self, item: HandedOn) -> str:
        return text_of(self.resources.workspace.corpus.document(item.doc).text, item.ranges)

    def context(self, questions: Sequence[Question], refined: Results) -> Results:
        """What the answering model is shown."""
        settings = self.configuration.context
        made = []
        for each in refined:
            items = self.handed_on([pair[0] for pair in each["stages"][-1]], settings.keep)
            texts = [self._text(item) for item in items]
            sizes = [count_tokens(text) for text in texts]
            kept = within_budget(sizes, settings.keep, settings.budget)
            made.append(
                {
                    "items": [
                        {
                            "number": place + 1,
                            "chunk": items[place].chunk,
                            "doc": items[place].doc,
                            "source": self._source(items[place].chunk),
                            "ranges": [list(found) for found in items[place].ranges],
                            "text": texts[place],
                            "tokens": sizes[place],
                        }
                        for place in range(kept)
                    ]
                }
            )
        return made

    def answers(self, questions: Sequence[Question], context: Results) -> Results:
        """The answer to each question from its context."""
        contexts = [served(each) for each in context]
        texts = [question.question for question in questions]
        answering = self.configuration.answering
        found = answer(texts, contexts, answering.style, self.models.role("answerer", answering.model))
        return [asdict(each) for each in found]

    def verdicts(self, questions: Sequence[Question], context: Results, answers: Results) -> Results:
        """The judge's verdicts on each answer."""
        found = judge(
            [question.question for question in questions],
            [as_answer(row) for row in answers],
            [served(each) for each in context],
            [reference(question) for question in questions],
            self.models.role("judge"),
        )
        return [asdict(each) for each in found]

    def scores(
        self,
        questions: Sequence[Question],
        candidates: Results,
        refined: Results,
        context: Results,
        answers: Results,
        verdicts: Results,
    ) -> Results:
        """All measures of each question, and where each need was lost."""
        judging = self.judging
        left_out = self.resources.workspace.corpus.left_out()
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
                items = self.handed_on([pair[0] for pair in left["stages"][-1]])
                ranked = [
                    _retrieved(item, count_tokens(self._text(item)) if place < judging.deepest else 0)
                    for place, item in enumerate(items)
                ]
                scores.update(retrieval_scores(needs, ranked, judging.cut_offs, judging.cover))
                path = Path(
                    [_retrieved(item) for item in self.handed_on([row[0] for row in found["list"]])],
                    ranked,
                    [
                        Retrieved(tuple(Span(item["doc"], start, end) for start, end in item["ranges"]))
                        for item in shown["items"]
                    ],
                    judgement.stated or (False,) * len(needs),
                )
                whole = [held_whole(self.units.units, need, judging.cover) for need in needs]
                lost = lost_at(needs, path, present, left_out, whole, judging.cover)
            scores["context-tokens"] = float(sum(item["tokens"] for item in shown["items"]))
            failure = said["failure"] or judged["failure"]
            made.append({"scores": scores, "lost": lost, "failure": failure})
        return made


def _retrieved(item: HandedOn, tokens: int = 0) -> Retrieved:
    return Retrieved(tuple(Span(item.doc, start, end) for start, end in item.ranges), tokens)


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
