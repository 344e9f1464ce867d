"""Verdicts that people give on a run's answers: what they are asked, in which order, and what comes of it for the judge."""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import combinations
from typing import Any

import numpy as np

from ..core.answering import Answer
from ..core.comparing.correcting import LEAST, Corrected, chances_of, corrected, order_of, sizes_of
from ..core.comparing.draws import Scope, draws_of
from ..core.comparing.sides import Side
from ..core.context import Served
from ..core.criteria import Criterion, Grade
from ..core.errors import BadInput
from ..core.judging import RELEVANT, Judgement, Verdict
from ..core.judging.agreement import Pair, RaterAgreement, agreement
from ..core.judging.joining import CLASSES
from ..core.keys import content_key
from ..core.testsets import Question
from ..kept.run_records import criteria_of, records_at, records_of
from ..pipeline.judges import OF
from ..storage.protocols import Run, RunQuestion, Store
from ..workspace.reviews import Decision, Reviews, changed_minds, drawing
from ..workspace.testsets import question_from

VERDICT, RELEVANCE = "verdict", "relevance"
CANT_TELL = "can't tell"
_SHORT = 12  # figures of a question's key in a sample that is kept
_VALUES = {"contradicted-claims": "contradicted", "unfound-claims": "not found"}


@dataclass(frozen=True)
class ReviewItem:
    """One thing to decide on: a claim of an answer, or the answer itself. `id` names it whatever run it comes from; `judge`
    is the judge's word on it, and `confidence` how sure it was."""

    id: str
    what: str
    key: str
    question: Question
    answer: Answer
    context: tuple[Served, ...]
    claim: str
    choices: tuple[str, ...]
    judge: str
    confidence: float
    reason: str = ""
    quotes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Drawn:
    """A question that may be asked about: the wordings of its claims ("" for an answer as a whole), the chance of it to be
    asked next (its size), and its scores by the judge. Its items are read when they are looked at."""

    key: str
    claims: tuple[str, ...]
    size: float
    judged: Mapping[str, float]
    read: Callable[[], tuple[ReviewItem, ...]] = field(compare=False, repr=False)

    @cached_property
    def items(self) -> tuple[ReviewItem, ...]:
        """Its items, in order."""
        return self.read()


@dataclass(frozen=True)
class Sample:
    """A run's questions in the order in which a person is asked about them."""

    run: Run
    what: str
    questions: tuple[Drawn, ...]
    criterion: Criterion | None = None

    @property
    def items(self) -> list[ReviewItem]:
        """All items in order."""
        return [item for asked in self.questions for item in asked.items]

    @property
    def count(self) -> int:
        """How many items there are."""
        return sum(len(asked.claims) for asked in self.questions)

    def chances(self, count: int) -> dict[str, float]:
        """The chance of each question to be among the first `count`, by its key."""
        sizes = np.array([asked.size for asked in self.questions])
        return dict(zip((asked.key for asked in self.questions), chances_of(sizes, count).tolist()))


def sample_of(
    store: Store, run: Run, what: str = VERDICT, seed: int = 0, judge: str = "", reviews: Reviews | None = None
) -> Sample:
    """What a person is asked about a run, the most telling first, mixed with a random part: by the doubt of the judge
    (of several the joined one, or the `judge` that is named), as it was when the first sample of it was drawn. Raises
    `BadInput` for a run without such judgements."""
    criterion = next((each for each in criteria_of(run) if each.name == what), None)
    if what not in (VERDICT, RELEVANCE) and criterion is None:
        known = ", ".join([VERDICT, RELEVANCE, *(each.name for each in criteria_of(run))])
        raise BadInput(f"run {run.id} was not judged by '{what}'; it has {known}")
    rows = store.runs.questions(run.id)
    of = f"{OF}{judge}" if judge else ""
    judging = f"criterion {what}{of}" if criterion is not None else f"verdicts{of}"
    asked: list[tuple[RunQuestion, _Judged]] = []
    for row, found in zip(rows, records_of(store, run.id, [judging], rows)):
        told = _judged(found.get(judging), what)
        if told is not None and "answer" in row.results:
            asked.append((row, told))
    if not asked:
        raise BadInput(f"run {run.id} ({run.name}) has no answer that was judged by this; nothing to review")
    sizes = sizes_of([told.doubt for _, told in asked])
    drawn = reviews.drawn(run.name, run.testset, what) if reviews is not None else {}
    if all(row.key[:_SHORT] in drawn for row, _ in asked):
        sizes = np.array([drawn[row.key[:_SHORT]] for row, _ in asked])
        sizes = sizes / sizes.sum()
    own = reviews is not None and reviews.drawn_by_run(run.name, run.testset, what)
    draws = [_draw(f"{seed} {run.name} {what} {row.key}" if own else f"{seed} {what} {row.key}") for row, _ in asked]

    def reading(row: RunQuestion) -> Callable[[], tuple[ReviewItem, ...]]:
        return lambda: _items(
            row, records_at(store, run.id, row, ("answer", "context", judging)), what, criterion, judging
        )

    made = []
    for place in order_of(sizes, draws):
        row, told = asked[place]
        made.append(Drawn(row.key, told.claims, float(sizes[place]), told.scores, reading(row)))
    return Sample(run, what, tuple(made), criterion)


@dataclass(frozen=True)
class _Judged:
    """What a judge's record says of one question: the wordings of what it judged, its doubt, and its scores."""

    claims: tuple[str, ...]
    doubt: float
    scores: Mapping[str, float]


def _judged(record: Any, what: str) -> _Judged | None:
    """None where the judge gave nothing."""
    if isinstance(record, Grade):
        return None if record.value is None else _Judged(("",), 0.0, {what: record.value})
    if not isinstance(record, Judgement) or record.failure:
        return None
    if what == VERDICT:
        if not record.verdicts:
            return None
        doubt = float(np.mean([_doubt(verdict) for verdict in record.verdicts]))
        scores = verdict_scores([verdict.verdict for verdict in record.verdicts])
        return _Judged(tuple(verdict.claim for verdict in record.verdicts), doubt, scores)
    return None if record.relevance is None else _Judged(("",), 0.0, {RELEVANCE: record.relevance})


def keep_sample(sample: Sample, reviews: Reviews, who: str, when: str) -> None:
    """Notes the chances by which a sample is drawn, unless they are noted: whatever judges the run later, the decisions
    can be weighted by them."""
    if not reviews.drawn(sample.run.name, sample.run.testset, sample.what):
        sizes = {asked.key[:_SHORT]: round(asked.size, 6) for asked in sample.questions}
        reviews.add(drawing(sample.run.name, sample.run.testset, sample.what, who, when, sizes))


def _draw(text: str) -> float:
    """A number of (0, 1) that belongs to a text."""
    return (int.from_bytes(hashlib.sha256(text.encode()).digest()[:7], "big") + 0.5) / 2**56


def _items(
    row: RunQuestion, found: Mapping[str, Any], what: str, criterion: Criterion | None, judging: str
) -> tuple[ReviewItem, ...]:
    question = question_from(row.body)
    answer: Answer = found["answer"]
    record = found[judging]
    context = found["context"].items if "context" in found else ()
    if what == VERDICT:
        return tuple(_claim(question, row.key, answer, context, verdict) for verdict in record.verdicts)
    whole = content_key("answer", question.question, answer.text, [item.text for item in context])[:16]
    if criterion is not None:
        levels = tuple(f"{each.level}" for each in criterion.levels)
        word, reason, quotes = str(record.level), record.reason, record.quotes
    else:
        levels = tuple(str(level) for level in range(RELEVANT + 1))
        word, reason, quotes = str(round(record.relevance * RELEVANT)), "", ()
    return (
        ReviewItem(
            id=whole,
            what=what,
            key=row.key,
            question=question,
            answer=answer,
            context=context,
            claim="",
            choices=levels,
            judge=word,
            confidence=1.0,
            reason=reason,
            quotes=quotes,
        ),
    )


def _claim(question: Question, key: str, answer: Answer, context: tuple[Served, ...], verdict: Verdict) -> ReviewItem:
    name = content_key("claim", verdict.claim, [item.text for item in context])[:16]
    quotes = tuple(quote for _, quote in verdict.quotes)
    return ReviewItem(
        id=name,
        what=VERDICT,
        key=key,
        question=question,
        answer=answer,
        context=context,
        claim=verdict.claim,
        choices=CLASSES,
        judge=verdict.verdict,
        confidence=verdict.confidence,
        reason=verdict.reason,
        quotes=quotes,
    )


def _doubt(verdict: Verdict) -> float:
    return 0.5 if verdict.verdict not in CLASSES else 1 - verdict.confidence


def verdict_scores(verdicts: Sequence[str]) -> dict[str, float]:
    """The measures that verdicts on the claims of one answer come to; a claim that can't be told counts half."""
    share = {
        name: sum(verdict == name for verdict in verdicts) / len(verdicts) for name in CLASSES
    }  # fmt: skip
    untold = sum(verdict not in CLASSES for verdict in verdicts) / len(verdicts)
    bad = share["contradicted"] + share["not found"]
    found = {measure: share[name] for measure, name in _VALUES.items()}
    return {
        "groundedness": share["supported"] + untold / 2,
        "hallucinated": 1.0 if bad else 0.5 if untold else 0.0,
        **found,
    }


@dataclass(frozen=True)
class LabelledRun:
    """What people said of a run's items: those of questions that have a decision, in order; by the id of an item the
    decisions of each person; the questions all of whose items were decided on, of the first ones in order without a gap;
    items on which people differ; how often somebody changed their mind."""

    sample: Sample
    items: tuple[ReviewItem, ...]
    said: Mapping[str, Mapping[str, Decision]]
    complete: tuple[Drawn, ...]
    disputed: tuple[ReviewItem, ...]
    changed: int

    @property
    def count(self) -> int:
        """How many items have a decision."""
        return sum(item.id in self.said for item in self.items)


def labelled(sample: Sample, reviews: Reviews) -> LabelledRun:
    """What the reviews of a workspace say of a run's items."""
    every = reviews.last(sample.what)
    worded = {each.claim for people in every.values() for each in people.values()}
    looked = [asked for asked in sample.questions if not worded.isdisjoint(asked.claims)]
    items = [item for asked in looked for item in asked.items]
    said = {item.id: every[item.id] for item in items if item.id in every}
    complete = []
    for asked in sample.questions:
        if worded.isdisjoint(asked.claims) or not all(item.id in said for item in asked.items):
            break
        complete.append(asked)
    disputed = [
        item for item in items
        if len({each.decision for each in said.get(item.id, {}).values() if each.decision != CANT_TELL}) > 1
    ]  # fmt: skip
    ids = {item.id for item in items}
    changed = changed_minds(each for each in reviews.every if each.what == sample.what and each.item in ids)
    return LabelledRun(sample, tuple(items), said, tuple(complete), tuple(disputed), changed)


Untold = Mapping[str, int]  # of items that the judge could not tell, how often people said what


def pairs_of(labels: LabelledRun) -> tuple[list[Pair], Untold]:
    """The judge's word beside each person's, weighted so that they stand for the whole run as far as the sample was
    taken in order; and what people say of the items that the judge could not tell, which take no part."""
    chances = labels.sample.chances(len(labels.complete)) if labels.complete else {}
    inside = {asked.key for asked in labels.complete}
    pairs: list[Pair] = []
    untold: Counter[str] = Counter()
    for item in labels.items:
        told = labels.said.get(item.id, {})
        people = {who: each for who, each in told.items() if each.decision != CANT_TELL}
        if not people:
            continue
        if item.judge not in item.choices:
            untold.update(each.decision for each in people.values())
            continue
        weight = 1 / chances[item.key] if item.key in inside else 1.0
        pairs.extend(
            Pair(
                item.judge, each.decision, item.confidence, weight / len(people), item.key, group_of(item.question), who
            )
            for who, each in people.items()
        )
    return pairs, untold


def group_of(question: Question) -> str:
    """What a question is told with: its first tag, or else the folder of its evidence, or its kind."""
    if question.tags:
        return question.tags[0]
    for need in question.needs:
        doc = need.spans[0].doc
        return doc.partition("#")[0].partition("/")[0]
    return question.kind


def agreement_of(labels: LabelledRun, seed: int = 0) -> tuple[RaterAgreement | None, Untold]:
    """How far the judge and people agree on a run, None where nothing can be set side by side; and what people say of
    items that the judge could not tell."""
    pairs, untold = pairs_of(labels)
    choices = labels.items[0].choices if labels.items else ()
    return (agreement(pairs, choices) if pairs else None), untold


def corrections(
    labels: LabelledRun, keys: Sequence[str] | None = None, clusters: Mapping[str, str] | None = None
) -> dict[str, Corrected]:
    """The run's means as people would have them, by measure; over some questions alone, in their order, where `keys` are
    given. Empty with fewer than `LEAST` labelled questions."""
    sample = labels.sample
    by_key = {each.key: each for each in sample.questions}
    asked = [by_key[key] for key in (by_key if keys is None else keys) if key in by_key]
    people = {each.key: _by_people(labels, each) for each in labels.complete}
    told = [each for each in asked if people.get(each.key)]
    if len(told) < LEAST:
        return {}
    chances = sample.chances(len(labels.complete))
    found = {}
    for measure in asked[0].judged:
        found[measure] = corrected(
            [each.judged[measure] for each in asked],
            [(people.get(each.key) or {}).get(measure) for each in asked],
            [chances[each.key] for each in asked],
            None if clusters is None else [clusters.get(each.key) or each.key for each in asked],
        )
    return found


def clusters_of(sides: Sequence[Side], scope: Scope) -> dict[str, str] | None:
    """The draw of each question, by its key: its document where documents are drawn too; None where each is one."""
    asked = {key: each for side in sides for key, each in side.asked.items()}
    if scope.population == "documents like these":
        return {key: each.document for key, each in asked.items() if each.document}
    units = draws_of(list(asked.values()), scope).units
    return None if units is None else {key: str(unit) for key, unit in zip(asked, units.tolist())}


def _by_people(labels: LabelledRun, asked: Drawn) -> dict[str, float]:
    """The measures of one question by people, the mean of those who decided on all of it; empty where nobody could tell."""
    rows = []
    people = {who for item in asked.items for who in labels.said[item.id]}
    for who in sorted(people):
        said = [labels.said[item.id][who].decision for item in asked.items if who in labels.said[item.id]]
        if len(said) < len(asked.items) or all(each == CANT_TELL for each in said):
            continue
        if labels.sample.what == VERDICT:
            rows.append(verdict_scores(said))
        elif labels.sample.criterion is not None:
            rows.append({labels.sample.what: labels.sample.criterion.value(int(said[0]))})
        else:
            rows.append({RELEVANCE: int(said[0]) / RELEVANT})
    if not rows:
        return {}
    return {name: sum(row[name] for row in rows) / len(rows) for name in rows[0]}


def among_people(labels: LabelledRun) -> RaterAgreement | None:
    """How far people agree with each other on what two or more of them decided on: no judge can be expected to do better. None
    where no two decided on the same."""
    pairs = []
    for item in labels.items:
        told = {who: each.decision for who, each in labels.said.get(item.id, {}).items() if each.decision != CANT_TELL}
        several = list(combinations(sorted(told), 2))
        pairs += [
            Pair(told[one], told[other], weight=1 / len(several), cluster=item.key, who=f"{one} and {other}")
            for one, other in several
        ]
    choices = labels.items[0].choices if labels.items else ()
    return agreement(pairs, choices) if pairs else None


def disagreements(labels: LabelledRun) -> list[tuple[ReviewItem, Decision]]:
    """Items on which a person says otherwise than the judge, the judge's surest first."""
    found = [
        (item, each)
        for item in labels.items
        for each in labels.said.get(item.id, {}).values()
        if each.decision not in (item.judge, CANT_TELL) and item.judge in item.choices
    ]
    return sorted(found, key=lambda pair: -pair[0].confidence)


def among_judges(store: Store, run: Run, seed: int = 0) -> list[tuple[str, str, RaterAgreement]]:
    """How far several judges of a run agree on its claims, each against the first; empty for one judge."""
    judges = list(run.made.get("judges", ()))
    if len(judges) < 2 or not run.finished:
        return []
    rows = records_of(store, run.id, [f"verdicts{OF}{judge}" for judge in judges])
    first, found = judges[0], []
    for other in judges[1:]:
        pairs = [
            Pair(one.verdict, two.verdict, two.confidence, cluster=str(number))
            for number, row in enumerate(rows)
            if f"verdicts{OF}{first}" in row and f"verdicts{OF}{other}" in row
            for one, two in zip(row[f"verdicts{OF}{first}"].verdicts, row[f"verdicts{OF}{other}"].verdicts)
            if one.verdict in CLASSES and two.verdict in CLASSES
        ]
        if pairs:
            found.append((first, other, agreement(pairs, CLASSES)))
    return found


def by_judge(
    store: Store, labels: LabelledRun, reviews: Reviews, seed: int = 0
) -> dict[str, tuple[RaterAgreement | None, Untold]]:
    """The agreement of each of several judges of a run with people, by the judge's name; empty for one judge."""
    run = labels.sample.run
    judges = run.made.get("judges", ())
    if len(judges) < 2:
        return {}
    found = {}
    for judge in judges:
        own = sample_of(store, run, labels.sample.what, seed, judge)
        by_key = {asked.key: asked for asked in own.questions}
        ordered = [by_key[asked.key] for asked in labels.sample.questions if asked.key in by_key]
        sizes = {asked.key: asked.size for asked in labels.sample.questions}
        same = replace(own, questions=tuple(replace(asked, size=sizes[asked.key]) for asked in ordered))
        found[judge] = agreement_of(labelled(same, reviews), seed)
    return found
