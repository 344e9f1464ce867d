"""Runs side by side, from what they keep: which questions they share, what sets them apart, scores, costs, verdicts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any

from ..core.comparing.account import losses
from ..core.comparing.contributions import Contribution, contributions
from ..core.comparing.correcting import Corrected
from ..core.comparing.differences import Difference
from ..core.comparing.intervals import Interval
from ..core.comparing.sides import Contrast, Side, all_pairs, clustered, contrasts, means, own_measures
from ..core.criteria import Grade
from ..core.errors import BadInput
from ..core.judging.agreement import Found as Agreed
from ..core.measures import MEASURES, Measure, Scores, plain
from ..core.measures.loss import Losses
from ..storage.protocols import Run, RunQuestion, Store
from ..workspace.configuration import Configuration
from ..workspace.reviews import Reviews
from ..workspace.settings import Settings
from ..workspace.toml import nearest
from .correcting import CorrectedRun, corrected_runs
from .judges import criterion_of, judge_of, stage_name
from .opened import find_run
from .records import decode
from .reviewing import among_judges

_COLUMNS = (
    "hit@{k}",
    "reciprocal-rank",
    "ndcg@{k}",
    "density@{k}",
    "groundedness",
    "hallucinated",
    "relevance",
    "correctness",
)
_FAILING = ("brought", "answer", "verdicts", "criterion", "agreement", "retrieval scores")
_SCORED: dict[str, type] = {"retrieval scores": Scores, "answer scores": Scores, "losses": Losses}
_BY_JUDGE = ("hallucinated", "groundedness", "contradicted-claims", "unfound-claims", "relevance", "correctness")
COSTS = ("seconds", "calls", "model-tokens", "money")
# What a run was measured by and on; runs that differ in one of these differ not by their settings alone.
_BASIS = {
    "judge": "the judge",
    "corpus": "the documents",
    "cover": "cover",
    "cut_offs": "the cut-offs",
    "format": "the version of the program",
}


@dataclass(frozen=True)
class Compared:
    """All that a comparison shows. `apart` says in which respects beside their settings the runs differ; `shared` is
    the number of questions that all have, `left_out` of each run those that it has beside; `declined` of each run how
    many of how many questions it declined; `untold` of each run the mean share of claims that the judge could not tell;
    `failures` how many have no sound answer or judgement."""

    runs: list[Run]
    sides: list[Side]
    baseline: int
    measure: str
    measures: list[str]
    means: list[dict[str, Interval]]
    contrasts: list[Contrast]
    contributions: list[Contribution]
    failures: list[int]
    declined: list[tuple[int, int]]
    shared: int
    left_out: list[int]
    apart: list[str]
    by_document: bool
    ids: dict[str, str]
    costs: list[dict[str, float]]
    untold: list[float | None]
    pairs: list[Contrast] = field(default_factory=list)
    corrected: list[CorrectedRun] = field(default_factory=list)
    wordings: dict[str, str] = field(default_factory=dict)
    judges: list[list[tuple[str, str, Agreed]]] = field(default_factory=list)

    @property
    def own(self) -> dict[str, Measure]:
        """The measures of the runs' own criteria."""
        return own_measures(self.sides)

    def as_json(self) -> dict[str, Any]:
        """The documented shape of `compare --json`."""
        return {
            "baseline": self.runs[self.baseline].id,
            "measure": self.measure,
            "questions": self.shared,
            "clusters": "document" if self.by_document else "question",
            "apart": self.apart,
            "runs": [
                {
                    "run": run.id,
                    "name": run.name,
                    "testset": run.testset,
                    "questions": run.questions,
                    "left_out": left,
                    "failed": failed,
                    "declined": declined[0],
                    "measures": {name: asdict(found) for name, found in row.items()},
                    "costs": cost,
                    "untold": untold,
                    "lost": losses(side),
                    "corrected": {name: correction_json(each) for name, each in fixed.means.items()},
                    "corrected_gaps": {name: asdict(each) for name, each in fixed.gaps.items()},
                    "judges": [
                        {"judge": other, "against": first, "agreement": asdict(each)} for first, other, each in judges
                    ],
                }
                for run, side, row, failed, declined, left, cost, untold, fixed, judges in zip(
                    self.runs,
                    self.sides,
                    self.means,
                    self.failures,
                    self.declined,
                    self.left_out,
                    self.costs,
                    self.untold,
                    self.corrected or [CorrectedRun()] * len(self.runs),
                    self.judges,
                )
            ],
            "differences": [asdict(each) | {"real": each.real} for each in self.contrasts],
            "contributions": [asdict(each) | {"real": each.real} for each in self.contributions],
            "pairs": [asdict(each) | {"real": each.real} for each in self.pairs],
        }


def compare(
    store: Store,
    settings: Settings,
    runs: Sequence[Run],
    baseline: str | None = None,
    measure: str | None = None,
    measures: Sequence[str] | None = None,
    pairs: bool = False,
    reviews: Reviews | None = None,
) -> Compared:
    """Sets runs side by side on the questions that all of them have; with `reviews`, what a judge says is corrected by
    what people decided.

    Raises `BadInput` for runs with no question in common, one that is not finished, and a measure that none has.
    """
    chosen = list(runs)
    first = 0
    if baseline:
        wanted = find_run(store.runs.all(), baseline)
        if all(run.id != wanted.id for run in chosen):
            chosen.insert(0, wanted)
        first = next(place for place, run in enumerate(chosen) if run.id == wanted.id)
    whole = sides_of(store, chosen)
    ids = {key: name for found in whole for key, name in found.ids.items()}
    wordings = {key: text for found in whole for key, text in found.wordings.items()}
    shared = [key for key in whole[0].side.scores if all(key in found.side.scores for found in whole)]
    if not shared:
        raise BadInput(_nothing_shared(chosen))
    sides = [_narrowed(found.side, shared) for found in whole]
    known = list(dict.fromkeys(name for side in sides for scores in side.scores.values() for name in scores))
    own = own_measures(sides)
    measure, columns = _measures(chosen, known, measure, measures, list(own))
    by_document = clustered(sides, settings.statistics.cluster)
    alike = [
        side for side, run in zip(sides, chosen)
        if all(_basis(run, b) == _basis(chosen[first], b) for b in _BASIS) and not run.made.get("outside")
    ]  # fmt: skip
    seed = settings.seed
    return Compared(
        chosen, sides, first, measure, columns,
        means(sides, list(dict.fromkeys([*columns, measure])), seed, by_document),
        contrasts(sides, first, measure, seed, by_document),
        contributions(alike, measure, seed, by_document),
        [sum(key in found.failed for key in shared) for found in whole],
        [_declined(side) for side in sides],
        len(shared), [len(found.side.scores) - len(shared) for found in whole],
        [told for name, told in _BASIS.items() if len({str(_basis(run, name)) for run in chosen}) > 1],
        by_document, ids, [_cost(side) for side in sides], [_untold(side) for side in sides],
        all_pairs(sides, measure, seed, by_document) if pairs else [],
        corrected_runs(store, chosen, sides, first, reviews, seed, by_document) if reviews is not None else [], wordings,
        [among_judges(store, run, seed) for run in chosen],
    )  # fmt: skip


@dataclass(frozen=True)
class Found:
    """A run as a side, the id and wording that it gives each question key, and the keys of questions that failed."""

    side: Side
    ids: dict[str, str]
    failed: set[str]
    wordings: dict[str, str] = field(default_factory=dict)


def check_known(run: Run) -> None:
    """Raises `BadInput` for a run that a newer version of the program made."""
    if run.newer:
        raise BadInput(f"run {run.id} ({run.name}) was made by a newer Aventrik; upgrade, or run it again")


def side_of(store: Store, run: Run) -> Found:
    """A finished run as a side of a comparison; raises `BadInput` as `sides_of` does."""
    return sides_of(store, [run])[0]


def sides_of(store: Store, runs: Sequence[Run]) -> list[Found]:
    """Finished runs as sides of a comparison; raises `BadInput` for one that is not finished, or whose results are
    gone. What several runs share is read once."""
    for run in runs:
        if not run.finished:
            verb = "score" if run.made.get("outside") else "run"
            raise BadInput(f"run {run.id} ({run.name}) is not finished; 'aventrik {verb}' goes on with it")
        check_known(run)
    questions = {run.id: store.runs.questions(run.id) for run in runs}
    every: dict[str, None] = {}
    scored: dict[str, type] = {}
    for rows in questions.values():
        for question in rows:
            every.update(dict.fromkeys(question.results.values()))
            for name, found in question.results.items():
                if kind := _scored(name):
                    scored[found] = kind
    values = store.results.values(list(scored))
    kept = {name: decode(scored[name], body) for name, body in values.items()}
    costs = store.results.costs(list(every))
    failing = {name for name, (_, failed) in store.results.digests(list(every)).items() if failed}
    return [_side(run, questions[run.id], kept, costs, failing) for run in runs]


def _scored(node: str) -> type | None:
    """The record of a node that holds scores, losses or grades."""
    return Grade if criterion_of(node) else _SCORED.get(stage_name(node))


def _side(
    run: Run,
    questions: Sequence[RunQuestion],
    kept: Mapping[str, Any],
    costs: Mapping[str, tuple[float, float, float, float, float]],
    failing: set[str],
) -> Found:
    scores: dict[str, dict[str, float]] = {}
    lost: dict[str, tuple[str, ...]] = {}
    clusters: dict[str, str] = {}
    failed: set[str] = set()
    for question in questions:
        results = question.results
        if any(found not in kept for name, found in results.items() if _scored(name)):
            raise BadInput(f"run {run.id} ({run.name}): some of its results are gone; run it again")
        row: dict[str, float] = {}
        for name in ("retrieval scores", "answer scores"):
            if name in results:
                row.update(kept[results[name]].values)
        for name, found in results.items():
            if (criterion := criterion_of(name)) and kept[found].value is not None:
                row[criterion] = kept[found].value
            elif stage_name(name) == "answer scores" and (judge := judge_of(name)):
                values = kept[found].values
                row.update({f"{each}:{judge}": values[each] for each in _BY_JUDGE if each in values})
        if run.made.get("format"):
            spent = [costs[found] for found in results.values() if found in costs]
            row["seconds"] = sum(cost[0] for cost in spent)
            row["calls"] = sum(cost[1] for cost in spent)
            row["model-tokens"] = sum(cost[2] + cost[3] for cost in spent)
            row["money"] = sum(cost[4] for cost in spent)
        scores[question.key] = row
        lost[question.key] = kept[results["losses"]].lost if "losses" in results else ()
        needs = question.body.get("needs") or []
        clusters[question.key] = needs[0]["spans"][0]["doc"] if needs else ""
        if any(found in failing for name, found in results.items() if stage_name(name) in _FAILING):
            failed.add(question.key)
    outside = run.made.get("outside")
    settings = {} if outside else used_settings(Configuration.kept(run.made["configuration"]))
    side = Side(run.name, settings, scores, lost, clusters, own_of(run))
    wordings = {question.key: str(question.body["question"]) for question in questions}
    return Found(side, {question.key: question.id for question in questions}, failed, wordings)


def correction_json(found: Corrected) -> dict[str, float]:
    """A corrected mean in JSON."""
    names = ("judged", "mean", "low", "high", "n", "labels", "weight", "worth")
    return {name: getattr(found, name) for name in names}


def own_of(run: Run) -> dict[str, Measure]:
    """The measures of a run's own criteria."""
    return {
        each["name"]: Measure(each["name"], each["less_is_better"], "score", "answer")
        for each in run.made.get("criteria", ())
    }


def used_settings(configuration: Configuration) -> dict[str, Any]:
    """The settings by dotted name; None for one that another setting leaves without use."""
    found = configuration.settings()
    unused = []
    if configuration.rewriting.method == "none":
        unused += ["rewriting.model", "rewriting.count"]
    if configuration.index.text == "chunk":
        unused.append("index.model")
    if configuration.search.method != "both":
        unused.append("search.weight")
    return found | dict.fromkeys(unused)


def _narrowed(side: Side, keys: Sequence[str]) -> Side:
    return replace(
        side, scores={key: side.scores[key] for key in keys}, lost={key: side.lost[key] for key in keys}
    )  # fmt: skip


def _basis(run: Run, name: str) -> Any:
    if name == "judge":  # by its settings and wording too, where there is one
        models = run.made.get("models", {})
        who = {slot: told["identity"] for slot, told in models.items() if slot.startswith("verdicts")}
        return run.made.get(name), sorted(who.items())
    return run.made.get(name)


def _nothing_shared(runs: Sequence[Run]) -> str:
    sets = sorted({run.testset for run in runs})
    if len(sets) > 1:
        return f"these runs have no question in common: they were made on different test sets ({', '.join(sets)})"
    return (
        f"these runs have no question in common: the questions of '{sets[0]}' were changed between them (wording, "
        "answers or evidence); run them again on the set as it is now"
    )


def _measures(
    runs: Sequence[Run], known: list[str], measure: str | None, measures: Sequence[str] | None, own: Sequence[str]
) -> tuple[str, list[str]]:
    """The measure to compare by and the columns to show, checked against what the runs have."""
    cut_offs = sorted(int(name.partition("@")[2]) for name in known if name.startswith("hit@"))
    k = 5 if 5 in cut_offs or not cut_offs else cut_offs[-1]
    columns = list(measures) if measures else [name.format(k=k) for name in _COLUMNS]
    if not measures:
        columns = [name for name in columns if name in known]
        if "relevance" in columns:
            columns = [name for name in columns if name != f"density@{k}"]  # to make room
        columns.extend(name for name in ("declined-rightly", *own) if name in known)
    measure = measure or (f"hit@{k}" if f"hit@{k}" in known else columns[0] if columns else f"hit@{k}")
    for name in [measure, *(measures or [])]:
        if name not in known:
            why = (
                f" with answers{nearest(name, known, listing=False)}"
                if plain(name) in MEASURES
                else nearest(name, known)
            )
            raise BadInput(f"no run has a measure '{name}'{why}")
    return measure, columns


def _untold(side: Side) -> float | None:
    found = [scores["untold-claims"] for scores in side.scores.values() if "untold-claims" in scores]
    return sum(found) / len(found) if found else None


def _declined(side: Side) -> tuple[int, int]:
    rows = [scores for scores in side.scores.values() if "declined-rightly" in scores or "declined-wrongly" in scores]
    return sum(bool(row.get("declined-rightly", row.get("declined-wrongly"))) for row in rows), len(rows)


def _cost(side: Side) -> dict[str, float]:
    """Seconds a question (median and 95th percentile), and calls, tokens and money a question on average."""
    import numpy as np

    rows = [scores for scores in side.scores.values() if "seconds" in scores]
    if not rows:
        return {}
    seconds = [row["seconds"] for row in rows]
    found = {"seconds_median": float(np.median(seconds)), "seconds_95": float(np.quantile(seconds, 0.95))}
    return found | {name: sum(row[name] for row in rows) / len(rows) for name in COSTS[1:]}


def chosen_runs(store: Store, references: Sequence[str]) -> list[Run]:
    """The named runs, or with none named the latest finished one of each name on the latest run's test set."""
    runs = store.runs.all()
    if references:
        return [find_run(runs, reference) for reference in references]
    finished = [run for run in runs if run.finished]
    if not finished:
        raise BadInput("there is no finished run yet; 'aventrik run' makes one")
    newest = max(finished, key=lambda run: (run.finished, run.id))
    latest: dict[str, Run] = {}
    for run in finished:
        alike = run.made.get("format") == newest.made.get("format")
        if run.testset == newest.testset and run.corpus == newest.corpus and alike:
            latest[run.name] = run
    return sorted(latest.values(), key=lambda run: run.id)


def verdict(difference: Difference, p: float, less: bool) -> str:
    """What a difference comes to, in a few words."""
    if difference.same:
        return "the same"
    if p >= 0.05:
        told = (
            "this set can show none"
            if difference.smallest is None
            else f"this set could show {difference.smallest:.2f}"
        )
        return f"not shown ({told})"
    better = (difference.mean > 0) != less
    return "better, real" if better else "worse, real"
