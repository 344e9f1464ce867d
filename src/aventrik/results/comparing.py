"""Runs side by side, from what they keep: which questions they share, what sets them apart, which is best, what mattered,
what it costs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from ..core.comparing.contributions import contributions, interactions
from ..core.comparing.differences import ALPHA, Difference
from ..core.comparing.draws import Scope, scope_of
from ..core.comparing.groups import beaten, by_group
from ..core.comparing.intervals import Interval
from ..core.comparing.sides import Board, Contrast, Side, all_pairs, board, contrasts, means, own_measures
from ..core.comparing.spread import moved
from ..core.errors import BadInput
from ..core.judging.agreement import RaterAgreement as Agreed
from ..core.measures import MEASURES, plain
from ..corpora.changes import Changes, changes_between, contents_of, without_evidence
from ..kept.facets import facets_of
from ..kept.health import health_of
from ..kept.known import known_of_all
from ..kept.provenance import Unexplained, unexplained
from ..kept.run_names import run_named
from ..kept.sheets import COSTS
from ..kept.sides import RunSide, by_search, sides_of
from ..storage.protocols import Run, Store
from ..workspace.reviews import Reviews
from ..workspace.settings import Settings
from ..workspace.testsets import question_from
from ..workspace.toml import nearest
from .best import leading, prices_of
from .comparison import Comparison, first_of

if TYPE_CHECKING:
    from .correction import CorrectedRun

_POWERED = 60  # runs of which it is worked out what could be shown, of more for those that are shown first
MOST_PAIRED = 40  # runs that are set against each other in all pairs
_COLUMNS = (
    "hit@{k}",
    "reciprocal-rank",
    "ndcg@{k}",
    "density@{k}",
    "groundedness",
    "grounded-answers",
    "hallucinated",
    "relevance",
    "correctness",
)


def compare(
    store: Store,
    settings: Settings,
    runs: Sequence[Run],
    baseline: str | None = None,
    measure: str | None = None,
    measures: Sequence[str] | None = None,
    pairs: bool = False,
    reviews: Reviews | None = None,
    every: bool = True,
) -> Comparison:
    """Sets runs side by side on the questions that all of them have; with `reviews`, what a judge says is corrected by
    what people decided. Without `every`, all measures, and what people decided, are worked out for the best 15 and the
    baseline alone; of the others the measure.

    Raises `BadInput` for runs with no question in common, one that is not finished, and a measure that none has.
    """
    chosen = list({run.id: run for run in runs}.values())
    first = 0
    if baseline:
        wanted = run_named(store, baseline)
        if all(run.id != wanted.id for run in chosen):
            chosen.insert(0, wanted)
        first = next(place for place, run in enumerate(chosen) if run.id == wanted.id)
    whole = sides_of(store, chosen)
    reworded = False
    if _asked_otherwise(whole):
        searched = by_search(store, chosen, whole)
        if reworded := _in_all(searched) > _in_all(whole):  # else what was changed is not the answers alone
            whole = searched
    shared, moved_on = _standing(chosen, whole, _shared(chosen, whole))
    sides = [_narrowed(found.side, shared) for found in whole]
    own = own_measures(sides)
    known = list(dict.fromkeys(name for side in sides for name in side.sheet.columns))
    measure, columns = _measures(known, measure, measures, list(own))
    scope = _scope(store, chosen, sides, settings)
    seed = settings.seed
    costs = [_cost(side) for side in sides]
    twins = _twins(whole, shared, costs, first)
    scored = board(sides, measure, scope)
    order = _ordered(scored, twins)
    shown = order if every else first_of(order, twins[first])
    apart = unexplained(chosen)
    alike = [
        place for place, run in enumerate(chosen) if not run.made.get("outside") and _same(apart, place, first, measure)
    ]
    among = [sides[place] for place in alike]  # that differ by their settings alone
    distinct = [place for place in order if np.isfinite(scored.values[place]).any()]
    against_base = _contrasts(sides, twins, first, measure, seed, scope, shown)
    prices = prices_of(sides, _cut_off(measure, known))
    lead = leading(scored, distinct, prices, seed, against_base) if distinct else None
    best = lead.best if lead else order[0]
    against = twins[first] if best != twins[first] else next((place for place in order if place != best), best)
    bodies = _bodies(store, chosen, whole, shared)
    facets = facets_of(bodies)
    several = best != against
    return Comparison(
        runs=chosen,
        sides=sides,
        baseline=first,
        measure=measure,
        measures=columns,
        twins=twins,
        order=order,
        shown=shown,
        scored=scored,
        means=_means(sides, columns, measure, seed, scope, shown, twins),
        contrasts=against_base,
        contributions=contributions(among, measure, seed, scope),
        interactions=interactions(among, measure, seed, scope),
        leading=lead,
        against=against,
        groups=by_group(scored, best, against, facets, seed) if several else [],
        beaten=beaten(scored, best, [place for place in first_of(order, twins[first]) if place != best], facets, seed)
        if several
        else [],
        flips=moved(sides[against], sides[best], measure) if several else [],
        health=[health_of(run, found, shared) for run, found in zip(chosen, whole)],
        declined=[_declined(side) for side in sides],
        shared=len(shared),
        left_out=[len(found.side.sheet) - len(shared) - len(moved_on) for found in whole],
        evidence_gone=moved_on,
        documents=_changes(store, chosen),
        apart=[each.what for each in apart],
        unexplained=apart,
        alike=alike,
        scope=scope,
        ids={key: name for found in whole[:1] for key, name in found.ids.items()},
        costs=costs,
        untold=[_untold(side) for side in sides],
        bodies=bodies,
        answers_changed=reworded,
        named=bool(measures),
        pairs=_all_pairs(sides, order, measure, seed, scope) if pairs else [],
        corrected=_corrected(store, chosen, sides, first, shown, reviews, seed, scope),
        judges=_judges(store, chosen, shown, seed),
        known=known_of_all([chosen[place] for place in shown]),
    )


def _shared(runs: Sequence[Run], whole: Sequence[RunSide]) -> list[str]:
    first = whole[0].side.sheet.keys_in_order
    if all(found.side.sheet.keys_in_order == first for found in whole):
        return list(first)
    others = set(first).intersection(*(found.side.sheet.keys_in_order for found in whole))
    if not others:
        raise BadInput(_nothing_shared(runs))
    return [key for key in first if key in others]


def _in_all(whole: Sequence[RunSide]) -> int:
    """How many questions all runs have."""
    return len(set(whole[0].ids).intersection(*(found.ids for found in whole)))


def _asked_otherwise(whole: Sequence[RunSide]) -> bool:
    """Whether questions of the same name have other keys in some runs: perhaps nothing but their answers was changed."""
    first = whole[0]
    keys = {name: key for key, name in first.ids.items()}
    return any(
        keys.get(name, key) != key
        for found in whole[1:]
        if found.ids is not first.ids
        for key, name in found.ids.items()
    )


def _standing(runs: Sequence[Run], whole: Sequence[RunSide], shared: Sequence[str]) -> tuple[list[str], list[str]]:
    """Of the shared questions those whose evidence stands in the documents of every run, and those for which it does in some
    runs alone: what is lost there no setting lost. Raises `BadInput` where none is left."""
    if _corpora(runs) < 2:
        return list(shared), []
    without = [without_evidence(found.side.lost, shared) for found in whole]
    some = {key for each in without for key in each if not all(key in other for other in without)}
    kept = [key for key in shared if key not in some]
    if not kept:
        raise BadInput("the evidence of no question that these runs share stands in the documents of all of them")
    return kept, [whole[0].ids[key] for key in shared if key in some]


def _changes(store: Store, runs: Sequence[Run]) -> Changes | None:
    """What changed in the documents from the oldest of some runs to the newest."""
    if _corpora(runs) < 2:
        return None
    return changes_between(store, min(runs, key=lambda run: run.id), max(runs, key=lambda run: run.id))


def _corpora(runs: Sequence[Run]) -> int:
    return len({run.corpus for run in runs})


def _scope(store: Store, runs: Sequence[Run], sides: Sequence[Side], settings: Settings) -> Scope:
    """What is inferred to, by the documents of the first run."""
    contents = contents_of(store, runs[0])
    asked = {id(side.asked): side.asked for side in sides}
    every = [each for some in asked.values() for each in some.values()]
    return scope_of(settings.statistics.infer, every, len(contents or ()))


def _twins(
    whole: Sequence[RunSide], shared: Sequence[str], costs: Sequence[dict[str, float]], baseline: int
) -> list[int]:
    """For each run the one that stands for all with the same results: the baseline where it is among them, else the
    cheapest."""
    groups: dict[tuple[Any, ...], list[int]] = {}
    for place, found in enumerate(whole):
        groups.setdefault((found.side.sheet.names, *(found.marks[key] for key in shared)), []).append(place)
    stands = {}
    for places in groups.values():
        chosen = min(
            places,
            key=lambda n: (
                n != baseline,
                *(costs[n].get(name, 0.0) for name in ("money", "model-tokens", "seconds_median")),
            ),
        )
        stands.update(dict.fromkeys(places, chosen))
    return [stands[place] for place in range(len(whole))]


def _ordered(scored: Board, twins: Sequence[int]) -> list[int]:
    """The runs that stand for others, the best mean first; those without the measure last."""
    there = np.isfinite(scored.values)
    counts = there.sum(axis=1)
    sums = np.where(there, scored.values, 0.0).sum(axis=1)
    sign = 1 if scored.less else -1

    def key(place: int) -> tuple[bool, float, int]:
        mean = sums[place] / counts[place] if counts[place] else 0.0
        return (not counts[place], sign * round(float(mean), 12), place)

    return sorted(dict.fromkeys(twins), key=key)


def _means(
    sides: Sequence[Side], columns: Sequence[str], measure: str, seed: int, scope: Scope, shown: Sequence[int],
    twins: Sequence[int],
) -> list[dict[str, Interval]]:  # fmt: skip
    """The means of the measure of all runs, and of all columns for those that are shown and their like."""
    distinct = list(dict.fromkeys(twins))
    found = dict(zip(distinct, means([sides[place] for place in distinct], [measure], seed, scope)))
    others = [name for name in dict.fromkeys(columns) if name != measure]
    for place, row in zip(shown, means([sides[place] for place in shown], others, seed, scope)):
        found[place] = found[place] | row
    return [found[twin] for twin in twins]


def _contrasts(
    sides: Sequence[Side], twins: Sequence[int], baseline: int, measure: str, seed: int, scope: Scope,
    shown: Sequence[int],
) -> list[Contrast]:  # fmt: skip
    """Every run that stands for others against the baseline, under its place among all runs."""
    distinct = [place for place in dict.fromkeys(twins) if place != twins[baseline]]
    some = [sides[place] for place in (twins[baseline], *distinct)]
    first = set(shown if len(shown) <= _POWERED else first_of(shown, twins[baseline]))
    power = {row for row, place in enumerate((twins[baseline], *distinct)) if place in first}
    found = contrasts(some, 0, measure, seed, scope, power)
    names = [twins[baseline], *distinct]
    return [replace(each, place=names[each.place], against_place=names[each.against_place]) for each in found]


def _all_pairs(sides: Sequence[Side], order: Sequence[int], measure: str, seed: int, scope: Scope) -> list[Contrast]:
    """Every run against every other, under their places among all runs."""
    if len(order) > MOST_PAIRED:
        raise BadInput(
            f"--pairs: {len(order)} runs make {len(order) * (len(order) - 1) // 2:,} pairs, of which nothing would be shown; "
            f"name up to {MOST_PAIRED} runs"
        )
    found = all_pairs([sides[place] for place in order], measure, seed, scope)
    return [replace(each, place=order[each.place], against_place=order[each.against_place]) for each in found]


def _corrected(
    store: Store, runs: Sequence[Run], sides: Sequence[Side], baseline: int, shown: Sequence[int],
    reviews: Reviews | None, seed: int, scope: Scope,
) -> dict[int, CorrectedRun]:  # fmt: skip
    if reviews is None:
        return {}
    places = [place for place in dict.fromkeys([baseline, *shown]) if reviews.whats(runs[place].testset)]
    if not places:
        return {}
    from .correction import corrected_runs  # rests on all that judging rests on

    places = list(dict.fromkeys([baseline, *places]))
    found = corrected_runs(store, [runs[n] for n in places], [sides[n] for n in places], 0, reviews, seed, scope)
    return {place: each for place, each in zip(places, found) if each.means}


def _judges(
    store: Store, runs: Sequence[Run], shown: Sequence[int], seed: int
) -> dict[int, list[tuple[str, str, Agreed]]]:  # fmt: skip
    several = [place for place in shown if len(runs[place].made.get("judges", ())) > 1]
    if not several:
        return {}
    from ..people.verdicts import among_judges

    return {place: told for place in several if (told := among_judges(store, runs[place], seed))}


def _bodies(
    store: Store, runs: Sequence[Run], whole: Sequence[RunSide], shared: Sequence[str]
) -> dict[str, Mapping[str, Any]]:
    """The shared questions as the first run keeps them."""
    wanted = set(shared)
    rows = store.runs.questions(runs[0].id)
    found: dict[str, Mapping[str, Any]] = {row.key: row.body for row in rows if row.key in wanted}
    return found or {key: row.body for row in rows if (key := question_from(row.body).search_key) in wanted}


def _cut_off(measure: str, known: Sequence[str]) -> int:
    """The cut-off of the measure, or else 5 or the largest there is."""
    if "@" in measure:
        return int(measure.partition("@")[2])
    cut_offs = sorted(int(name.partition("@")[2]) for name in known if name.startswith("hit@"))
    return 5 if 5 in cut_offs or not cut_offs else cut_offs[-1]


def _narrowed(side: Side, keys: Sequence[str]) -> Side:
    if tuple(keys) == side.sheet.keys_in_order:
        return side
    return replace(side, scores=side.sheet.narrowed(keys), lost={key: side.lost[key] for key in keys})


def _same(apart: Sequence[Unexplained], place: int, other: int, measure: str) -> bool:
    """Whether two runs differ in nothing that can change a measure, but for their settings."""
    return all(
        each.values[place] == each.values[other] or not each.values[place] or not each.values[other]
        for each in apart
        if each.concerns(measure)
    )


def _nothing_shared(runs: Sequence[Run]) -> str:
    sets = sorted({run.testset for run in runs})
    if len(sets) > 1:
        return f"these runs have no question in common: they were made on different test sets ({', '.join(sets)})"
    return (
        f"these runs have no question in common: the questions of '{sets[0]}' were changed between them (wording, "
        "answers or evidence); run them again on the set as it is now"
    )


def _measures(
    known: list[str], measure: str | None, measures: Sequence[str] | None, own: Sequence[str]
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
            answers = plain(name) in MEASURES and MEASURES[plain(name)].of == "answer"
            why = f" with answers{nearest(name, known, listing=False)}" if answers else nearest(name, known)
            raise BadInput(f"no run has a measure '{name}'{why}")
    return measure, columns


def _untold(side: Side) -> float | None:
    return side.sheet.mean("untold-claims")


def _declined(side: Side) -> tuple[int, int]:
    """How many questions were declined, of how many: of those that have an answer, and of the others."""
    rightly, wrongly = (side.sheet.column(name) for name in ("declined-rightly", "declined-wrongly"))
    rows = np.where(np.isfinite(rightly), rightly, wrongly)
    return int(np.nansum(rows != 0, where=np.isfinite(rows))), int(np.isfinite(rows).sum())


def _cost(side: Side) -> dict[str, float]:
    """Seconds a question (median and 95th percentile), and calls, tokens and money a question on average."""
    seconds = side.sheet.present("seconds")
    if not len(seconds):
        return {}
    found = {"seconds_median": float(np.median(seconds)), "seconds_95": float(np.quantile(seconds, 0.95))}
    return found | {name: side.sheet.mean(name) or 0.0 for name in COSTS[1:]}


def verdict(difference: Difference, p: float, less: bool) -> str:
    """What a difference comes to, in a few words."""
    if difference.same:
        return "the same"
    if p >= ALPHA:
        if not difference.known:
            return "not shown"
        told = (
            "this set can show none"
            if difference.smallest is None
            else f"this set could show {difference.smallest:.2f}"
        )
        return f"not shown ({told})"
    better = (difference.mean > 0) != less
    return "better, real" if better else "worse, real"
