"""A run as a baseline that can be kept outside the store."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from ..core.errors import BadInput
from ..core.keys import content_key
from ..core.measures import MEASURES, plain
from ..corpora.changes import contents_of, without_evidence
from ..storage.protocols import Run, RunQuestion, Store
from ..workspace.baselines import Baseline, BaselineQuestion, rounded
from .sheets import COSTS, scores_of
from .sides import settings_of, side_of

_KEPT = (
    "hit@{k}", "need-recall@{k}", "reciprocal-rank", "groundedness", "grounded-answers", "hallucinated", "relevance", "correctness",
    "declined-rightly", "declined-wrongly",
)  # fmt: skip
_MARK = 12  # characters of one
_UNJUDGED = ("declined-rightly", "declined-wrongly", "consistency")


def judge_told(run: Run) -> list[Any]:
    """Who judged a run, by settings and wording too: the judge's name and the identity of each model that gave verdicts."""
    models = run.made.get("models", {})
    who = {slot: told["identity"] for slot, told in models.items() if slot.startswith("verdicts")}
    found: list[Any] = json.loads(json.dumps([run.made.get("judge"), sorted(who.items())]))
    return found


def marks_of(row: RunQuestion) -> tuple[str, str]:
    """Two marks of a question of a run: each is the same in another run where all scores, or those of the list alone, came of
    the very same results."""
    results = row.results
    scored = [results[name] for name in sorted(results) if scores_of(name)]
    listed = results.get("retrieval scores", "")
    return content_key(scored)[:_MARK], content_key(listed)[:_MARK] if listed else ""


def is_judged(measure: str, own: Sequence[str] = ()) -> bool:
    """Whether a measure is a judge's word."""
    name = plain(measure)
    return name in own or (name in MEASURES and MEASURES[name].of == "answer" and name not in _UNJUDGED)


def baseline_of(store: Store, run: Run, measures: Sequence[str] | None = None) -> Baseline:
    """A finished run as a baseline, with the scores of some measures: those that are named, and the common ones; without
    `measures` all that it has. Raises `BadInput` for a run that is not finished or of an earlier version."""
    if not run.made.get("format"):
        raise BadInput(f"run {run.id} ({run.name}) was made by an earlier version and can be no baseline; run it again")
    found = side_of(store, run)
    sheet, side = found.side.sheet, found.side
    names = list(sheet.columns)
    if measures is not None:
        k = 5 if 5 in run.made["cut_offs"] else max(run.made["cut_offs"])
        wanted = {*measures, *(name.format(k=k) for name in _KEPT), *side.own}
        names = [name for name in sheet.columns if name in wanted]
    names.sort(key=lambda name: (name in COSTS, name))
    gone = without_evidence(side.lost, sheet.keys_in_order)
    contents = contents_of(store, run) or {}
    rows = store.runs.questions(run.id)
    spans = (span for row in rows for need in row.body.get("needs") or () for span in need["spans"])
    evidence = sorted({span["doc"] for span in spans} & contents.keys())
    marks = {row.key: marks_of(row) for row in rows}
    questions = {
        key: BaselineQuestion(
            found.ids[key],
            {name: rounded(row[name]) for name in names if name in row},
            *marks[key],
            gone=key in gone,
        )
        for key, row in sheet.items()
    }
    return Baseline(
        name=run.name,
        testset=run.testset,
        judge=judge_told(run),
        cover=float(run.made["cover"]),
        corpus=run.corpus,
        documents=int(run.made.get("documents", 0)),
        program=str(run.made.get("program", "")),
        stages=dict(run.made.get("stages", {})),
        settings={name: value for name, value in _plain(settings_of(run)).items() if value is not None},
        evidence={doc: contents[doc][:12] for doc in evidence},
        basis=run.made.get("basis", {}),
        questions=questions,
    )


def _plain(settings: dict[str, Any]) -> dict[str, Any]:
    """Settings as JSON holds them."""
    found: dict[str, Any] = json.loads(json.dumps(settings, default=str))
    return found
