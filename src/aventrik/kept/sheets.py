"""What the questions of a run came to, in one piece: read from its results once, and kept beside the run."""

from __future__ import annotations

import json
import math
import statistics
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import chain
from typing import Any

import numpy as np
import orjson

from ..core.comparing.draws import Asked
from ..core.comparing.sheet import Sheet
from ..core.criteria import Grade
from ..core.errors import BadInput
from ..core.keys import content_key
from ..core.measures import Scores
from ..core.measures.answers import grounded_answers
from ..core.measures.loss import Losses
from ..core.testsets import Question
from ..pipeline.codec import decode, encode
from ..pipeline.judges import criterion_of, judge_of, replicate_of, stage_name
from ..pipeline.replicates import times_of
from ..storage.protocols import CUT, FAILED, Run, RunQuestion, Store
from ..workspace.toml import nearest

VERSION = 3  # of what is kept; raise it when what is read out of results changes
_SCORED: dict[str, type] = {"retrieval scores": Scores, "answer scores": Scores, "losses": Losses}
_BY_JUDGE = ("hallucinated", "groundedness", "contradicted-claims", "unfound-claims", "relevance", "correctness")
SPREAD = "-spread"  # behind a measure's name: the standard deviation over the times that a question was answered
COSTS = ("seconds", "calls", "model-tokens", "money")
_TOGETHER = 16  # runs whose results are read at a time


Flawed = dict[str, frozenset[str]]  # by stage the keys of questions


@dataclass(frozen=True)
class RunSheet:
    """The questions of a run by their keys: the id that the run gives each, what makes it lean on other questions, at which
    stages its needs were lost; the keys of the questions of which a call failed, and of those for which something
    was cut to fit a model, by the stage where it happened; all scores and costs; and for each question a mark, which is the
    same where all that was measured came of the same results."""

    ids: dict[str, str]
    asked: dict[str, Asked]
    lost: dict[str, tuple[str, ...]]
    failed: Flawed
    cut: Flawed
    scores: Sheet
    marks: dict[str, str]


def run_sheets(store: Store, runs: Sequence[Run]) -> list[RunSheet]:
    """The sheets of runs, in their order. Those that are not kept yet are made, and kept where the store can be written.

    Raises `BadInput` for a run of which results are gone.
    """
    kept = store.runs.sheets([run.id for run in runs])
    found = {number: sheet for number, body in kept.items() if (sheet := _unpacked(body)) is not None}
    missing = [run for run in {run.id: run for run in runs}.values() if run.id not in found]
    for first in range(0, len(missing), _TOGETHER):
        some = missing[first : first + _TOGETHER]
        for run, sheet in zip(some, _read(store, some)):
            found[run.id] = sheet
            if not store.read_only and run.finished:
                store.runs.keep_sheet(run.id, _packed(sheet))
    return [found[run.id] for run in runs]


def means_of(store: Store, runs: Sequence[Run], measure: str) -> dict[int, float]:
    """The mean of a measure, or of hit@5 for "", of each run that has it, by number; raises `BadInput` for one that is named
    and none of the runs has."""
    finished = [run for run in runs if run.finished and not run.newer]
    found: dict[int, float] = {}
    known: dict[str, None] = {}
    for run in finished:
        try:
            [sheet] = run_sheets(store, [run])
        except BadInput:  # its results are gone
            continue
        known.update(dict.fromkeys(sheet.scores.columns))
        if (mean := sheet.scores.mean(measure or "hit@5")) is not None:
            found[run.id] = mean
    if measure and not found:
        raise BadInput(f"none of these runs has a measure '{measure}'{nearest(measure, list(known))}")
    return found


def keep_sheet(store: Store, number: int, name: str, made: dict[str, Any]) -> None:
    """Makes the sheet of a run that has just been finished, and keeps it."""
    run = Run(id=number, name=name, testset="", made=made, questions=0, started="", finished="", costs={})
    store.runs.keep_sheet(number, _packed(_read(store, [run])[0]))


def _read(store: Store, runs: Sequence[Run]) -> list[RunSheet]:
    questions = [store.runs.questions(run.id) for run in runs]
    every: dict[str, None] = {}
    scored: dict[str, type] = {}
    for question in chain.from_iterable(questions):
        every.update(dict.fromkeys(question.results.values()))
        for name, found in question.results.items():
            if kind := scores_of(name):
                scored[found] = kind
    values = {name: decode(scored[name], body) for name, body in store.results.values(list(scored)).items()}
    costs = store.results.costs(list(every))
    flaws = {name: flaws for name, (_, flaws) in store.results.digests(list(every)).items() if flaws}
    return [_sheet(run, rows, values, costs, flaws) for run, rows in zip(runs, questions)]


@lru_cache(maxsize=1024)
def scores_of(node: str) -> type | None:
    """The record of a node that holds scores, losses or grades."""
    return Grade if criterion_of(node) else _SCORED.get(stage_name(node))


def _sheet(
    run: Run,
    questions: Sequence[RunQuestion],
    kept: Mapping[str, Any],
    costs: Mapping[str, tuple[float, float, float, float, float]],
    flaws: Mapping[str, int],
) -> RunSheet:
    scores: dict[str, dict[str, float]] = {}
    lost: dict[str, tuple[str, ...]] = {}
    asked: dict[str, Asked] = {}
    failed: dict[str, set[str]] = {}
    cut: dict[str, set[str]] = {}
    marks: dict[str, str] = {}
    for question in questions:
        results = question.results
        if any(found not in kept for name, found in results.items() if scores_of(name)):
            raise BadInput(f"run {run.id} ({run.name}): some of its results are gone; run it again")
        scores[question.key] = row_of(results, kept) | _spent(run, results, costs)
        lost[question.key] = kept[results["losses"]].lost if "losses" in results else ()
        asked[question.key] = _asked_in(question.body)
        marks[question.key] = content_key([results[name] for name in sorted(results) if scores_of(name)])[:16]
        for name, found in results.items():
            if flaws.get(found, 0) & FAILED and not _joined(name, results):
                failed.setdefault(stage_name(name), set()).add(question.key)
            if flaws.get(found, 0) & CUT:
                cut.setdefault(stage_name(name), set()).add(question.key)
    ids = {question.key: question.id for question in questions}
    return RunSheet(ids, asked, lost, _frozen(failed), _frozen(cut), Sheet.of(scores), marks)


def _frozen(found: Mapping[str, Iterable[str]]) -> Flawed:
    return {stage: frozenset(keys) for stage, keys in sorted(found.items())}


def _joined(node: str, results: Mapping[str, str]) -> bool:
    """Whether a node only joins what others gave, whose failures are told there."""
    return node == "queries" and any(name.startswith("rewrite ") for name in results)


def row_of(results: Mapping[str, str], kept: Mapping[str, Any]) -> dict[str, float]:
    """The scores of a question, those of criteria and of further judges too."""
    row: dict[str, float] = {}
    if "retrieval scores" in results:
        row.update(kept[results["retrieval scores"]].values)
    row.update(_of_all_times([kept[found].values for found in times_of(results, "answer scores")]))
    for name, found in results.items():
        if (criterion := criterion_of(name)) and kept[found].value is not None:
            row[criterion] = kept[found].value
        elif stage_name(name) == "answer scores" and (judge := judge_of(name)) and replicate_of(name) == 1:
            values = _of_all_times([kept[each].values for each in times_of(results, name)])
            row.update({f"{each}:{judge}": values[each] for each in _BY_JUDGE if each in values})
    for judge in ("", *(name.partition(":")[2] for name in row if name.startswith("groundedness:"))):
        if (value := grounded_answers(row, judge)) is not None:
            row[f"grounded-answers:{judge}" if judge else "grounded-answers"] = value
    return row


def _of_all_times(rows: Sequence[Mapping[str, float]]) -> dict[str, float]:
    """The scores of a question, of which each is the mean over the times that it was answered; and how far those by a judge
    are apart: their standard deviation, where there are several."""
    if len(rows) < 2:
        return dict(rows[0]) if rows else {}
    found: dict[str, float] = {}
    for name in dict.fromkeys(name for row in rows for name in row):
        values = [row[name] for row in rows if name in row]
        found[name] = math.fsum(values) / len(values)
        if name in _BY_JUDGE and len(values) > 1:
            found[f"{name}{SPREAD}"] = statistics.stdev(values)
    return found


def _spent(
    run: Run, results: Mapping[str, str], costs: Mapping[str, tuple[float, float, float, float, float]]
) -> dict[str, float]:
    """What a question took in a run of ours."""
    if not run.made.get("format"):
        return {}
    spent = [costs[found] for name, found in results.items() if found in costs and replicate_of(name) == 1]
    sums = [sum(cost[place] for cost in spent) for place in range(5)]
    return dict(zip(COSTS, (sums[0], sums[1], sums[2] + sums[3], sums[4])))


def _packed(sheet: RunSheet) -> bytes:
    """A sheet as bytes: a line of JSON with what runs on the same questions have in common, one with what is its own, then
    the scores as rows of doubles."""
    keys, names = sheet.scores.keys_in_order, list(sheet.scores.columns)
    alike = {
        "keys": keys,
        "ids": [sheet.ids[key] for key in keys],
        "asked": [_row_of_asked(sheet.asked[key]) for key in keys],
    }
    kinds = {lost: place for place, lost in enumerate(dict.fromkeys(sheet.lost[key] for key in keys))}
    own = {
        "version": VERSION,
        "ways": list(kinds),
        "lost": [kinds[sheet.lost[key]] for key in keys],
        "marks": [sheet.marks[key] for key in keys],
        "failed": {stage: sorted(keys) for stage, keys in sheet.failed.items()},
        "cut": {stage: sorted(keys) for stage, keys in sheet.cut.items()},
        "names": names,
    }
    rows = np.array([sheet.scores.columns[name] for name in names], dtype="<f8")
    return b"\n".join([encode(alike), encode(own), rows.tobytes()])


def _unpacked(body: bytes) -> RunSheet | None:
    """The inverse; None for one that another version kept, or that is not sound."""
    first, _, rest = body.partition(b"\n")
    second, _, rows = rest.partition(b"\n")
    try:
        keys, ids, asked = _alike(first)
        own = _parsed(second)
        if own["version"] != VERSION:
            return None
        names = own["names"]
        values = np.frombuffer(rows, dtype="<f8").reshape(len(names), len(keys))
        ways = [tuple(stages) for stages in own["ways"]]
        lost = dict(zip(keys, [ways[place] for place in own["lost"]], strict=True))
        marks = dict(zip(keys, own["marks"], strict=True))
    except (ValueError, KeyError, TypeError, IndexError):
        return None
    flawed = [_frozen(own[each]) for each in ("failed", "cut")]
    return RunSheet(ids, asked, lost, flawed[0], flawed[1], Sheet(keys, dict(zip(names, values))), marks)


@lru_cache(maxsize=64)
def _alike(line: bytes) -> tuple[tuple[str, ...], dict[str, str], dict[str, Asked]]:
    """The keys of the questions, and by these the ids and what makes them lean on each other: the same objects for runs on the
    same questions."""
    found = _parsed(line)
    keys = tuple(found["keys"])
    return keys, dict(zip(keys, found["ids"], strict=True)), dict(zip(keys, map(_asked, found["asked"]), strict=True))


def _asked(row: Sequence[Any]) -> Asked:
    document, section, evidence, turns = row
    return Asked(document, section, tuple((doc, start, end) for doc, start, end in evidence), tuple(turns))


def _row_of_asked(asked: Asked) -> tuple[Any, ...]:
    return asked.document, asked.section, asked.evidence, asked.turns


def asked_of(question: Question) -> Asked:
    """What makes a question lean on others of its test set."""
    spans = [quoted for need in question.needs for quoted in need.spans]
    return _made_of(
        [(each.doc, each.start, each.end) for each in spans],
        spans[0].near.under if spans and spans[0].near else "",
        (question.question, *question.before),
    )


def _asked_in(body: Mapping[str, Any]) -> Asked:
    """The same of a question as a run keeps it."""
    spans = [span for need in body.get("needs") or () for span in need["spans"]]
    near = spans[0].get("near") if spans else None
    return _made_of(
        [(span["doc"], span.get("start", -1), span.get("end", -1)) for span in spans],
        near[0] if near else "",
        (body["question"], *(body.get("before") or ())),
    )


def _made_of(spans: Sequence[tuple[str, int, int]], section: str, turns: Iterable[str]) -> Asked:
    return Asked(
        document=spans[0][0] if spans else "",
        section=section,
        evidence=tuple(dict.fromkeys(spans)),
        turns=tuple(sorted({_turn(text) for text in turns})),
    )


@lru_cache(maxsize=1 << 14)
def _turn(text: str) -> str:
    return content_key("turn", " ".join(text.split()).casefold())[:12]


def _parsed(line: bytes) -> dict[str, Any]:
    try:
        found = orjson.loads(line)
    except orjson.JSONDecodeError:  # half of a surrogate pair, which it does not know
        found = json.loads(line.decode("utf-8", "surrogatepass"))
    return dict(found)
