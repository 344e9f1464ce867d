"""A run held against the limits of a gate, and against a baseline: a run of the store, or a file under version control."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import numpy.typing as npt

from ..core.comparing.draws import Scope, scope_of
from ..core.comparing.gates import LimitHeld, State, held_to_baseline, held_to_bound
from ..core.comparing.sides import Board, board, less_is_better
from ..core.errors import BadInput
from ..corpora.changes import changes, contents_of, without_evidence
from ..kept.baselines import baseline_of, is_judged, judge_told, marks_of
from ..kept.facets import facets_of
from ..kept.health import RunHealth, health_of
from ..kept.known import faults_of, known_of, ranks_nothing, told
from ..kept.provenance import Unexplained, among, is_of_list
from ..kept.run_names import run_named
from ..kept.sides import RunSide, settings_of, side_of
from ..pipeline.basis import from_made
from ..pipeline.judges import TASKS
from ..storage.protocols import Run, Store
from ..workspace.baselines import Baseline, load_baseline, rounded
from ..workspace.gates import Gate, Limit, share_of
from ..workspace.settings import Settings
from ..workspace.toml import nearest
from .gated import Check, Gated

if TYPE_CHECKING:
    pass

_REFUSED = 4  # premises that are told when a gate refuses


@dataclass(frozen=True)
class _Sides:
    """What limits are held against: the run, its questions' groups, and the baseline where there is one."""

    run: Run
    found: RunSide
    facets: Mapping[str, Mapping[str, tuple[str, ...]]]
    scope: Scope
    seed: int
    marks: Mapping[str, tuple[str, str]]
    baseline: Baseline | None
    keys: frozenset[str]  # of questions on which it is held against the baseline

    def board(self, measure: str) -> Board:
        return board([self.found.side], measure, self.scope)

    def theirs(self, measure: str, keys: Sequence[str]) -> npt.NDArray[np.float64]:
        """The baseline's scores of some questions, NaN where it has none."""
        assert self.baseline is not None
        rows = self.baseline.questions
        return np.array([rows[key].scores.get(measure, np.nan) if key in rows else np.nan for key in keys])


def gated(store: Store, settings: Settings, gate: Gate, run: Run, folder: Path, baseline: str = "") -> Gated:
    """Holds a finished run against all limits. `baseline` names a run or a file (in `folder` where its path is relative),
    else what the gate's file names.

    Raises `BadInput` for a run that is not finished, a measure that it does not have, a group that has no question, a
    baseline that is not there, was judged by another judge, or shares no question.
    """
    found = side_of(store, run)
    known = list(found.side.sheet.columns)
    limits = gate.settings.limit
    for place, limit in enumerate(limits):
        if limit.measure not in known:
            raise BadInput(
                f"{gate.where(place)}: run {run.id} ({run.name}) has no measure '{limit.measure}'{nearest(limit.measure, known)}"
            )
    named = baseline or gate.settings.baseline
    drops = [place for place, limit in enumerate(limits) if limit.drop is not None]
    if drops and not named:
        raise BadInput(
            f"{gate.where(drops[0], 'drop')}: needs a baseline; name a run or a file by --baseline or in {gate.path.name}"
        )
    base, told = _baseline(store, named, folder, run) if named and drops else (None, "")
    rows = store.runs.questions(run.id)
    keys, made = _paired(gate, run, found, base, told)
    asked = found.side.asked.values()
    scope = scope_of(settings.statistics.infer, asked, len(contents_of(store, run) or ()))
    sides = _Sides(
        run=run,
        found=found,
        facets=facets_of({row.key: row.body for row in rows}),
        scope=scope,
        seed=settings.seed,
        marks={row.key: marks_of(row) for row in rows},
        baseline=base,
        keys=keys,
    )
    wanted = [
        (place, limit, way, group)
        for place, limit in enumerate(limits)
        for way in ("least", "most", "drop")
        if getattr(limit, way) is not None
        for group in _groups(gate, place, limit, sides)
    ]
    checks = [_check(sides, limit, way, group, len(wanted)) for _, limit, way, group in wanted]
    checks.extend(_health_checks(gate, health_of(run, found)))
    if base is not None:
        made = _compare_made(store, gate, sides, made)
        if questions := _questions_gone(gate, base, made):
            checks.append(questions)
    return replace(made, checks=checks, scope=scope, notes=[*made.notes, *_known(run, checks)])


def _known(run: Run, checks: Sequence[Check]) -> Iterator[str]:
    """What known answers say of the judges on whose word limits stand, and which limits they can't tell."""
    names = list(dict.fromkeys(each.measure for each in checks))
    reaches = known_of(run)
    for reach in reaches:
        if line := told(reach, names, len(reaches)):
            yield f"known answers to the judge {reach.judge}: {line}"
        yield from faults_of(reach)
        for check in checks:
            looked = check.allowed if check.way == "drop" else 0.0
            if why := ranks_nothing(reach, check.measure, looked, len(reaches)):
                yield f"{why}; a limit on it decides nothing"


def _baseline(store: Store, named: str, folder: Path, run: Run) -> tuple[Baseline, str]:
    """The baseline and what it is called."""
    path = folder / named
    if path.is_file():
        return load_baseline(path), named
    if path.suffix == ".jsonl":
        raise BadInput(f"{path}: no such file; 'aventrik run CONFIG --baseline-file {named}' writes a baseline")
    other = run_named(store, named, run)
    return baseline_of(store, other), f"run {other.id} ({other.name})"


def _paired(gate: Gate, run: Run, found: RunSide, base: Baseline | None, told: str) -> tuple[frozenset[str], Gated]:
    """The questions that the run shares with the baseline, by key, and what is to be told of the others."""
    made = Gated(run, told, [], gate.settings.undecided, gate.settings.unable, limits=gate.path)
    if base is None:
        return frozenset(), made
    ours = found.side.sheet.places
    shared = [key for key in base.questions if key in ours]
    if not shared:
        raise BadInput(
            f"{told}: no question of it is in run {run.id} as it was asked then; "
            "'aventrik run CONFIG --baseline-file FILE' makes a new baseline"
        )
    gone = {
        key for key in without_evidence(found.side.lost, shared) if not base.questions[key].gone
    }  # both without it: nothing changed
    back = {key for key in shared if base.questions[key].gone} - without_evidence(found.side.lost, shared)
    names = set(found.ids.values())
    absent = [each.id for key, each in base.questions.items() if key not in ours]
    return frozenset(shared) - gone - back, replace(
        made, shared=len(shared),
        missing=sorted(name for name in absent if name not in names),
        edited=sorted(name for name in absent if name in names),
        evidence_gone=sorted(base.questions[key].id for key in gone),
        new=len(ours) - len(shared),
    )  # fmt: skip


def _groups(gate: Gate, place: int, limit: Limit, sides: _Sides) -> list[tuple[str, str]]:
    """The groups that a limit is of, as facet and label; ("", "") for all questions."""
    if limit.each is None and not limit.group:
        return [("", "")]
    facet, label = (limit.each, "") if limit.each else next(iter(limit.group.items()))
    told = sides.facets.get(facet, {})
    labels = list(dict.fromkeys(each for several in told.values() for each in several))
    if not labels:
        raise BadInput(
            f"{gate.where(place, 'each' if limit.each else facet)}: the questions of run {sides.run.id} have no {facet}"
        )
    if limit.each:
        rows = sides.found.side.sheet
        scored = {each for key, several in told.items() if limit.measure in rows[key] for each in several}
        return [(facet, each) for each in sorted(labels) if each in scored]
    if label not in labels:
        raise BadInput(
            f"{gate.where(place, facet)}: no question of run {sides.run.id} has the {facet} '{label}'{nearest(label, labels)}"
        )
    return [(facet, label)]


def _check(sides: _Sides, limit: Limit, way: str, group: tuple[str, str], together: int) -> Check:
    scored = sides.board(limit.measure)
    facet, label = group
    inside = np.array([not facet or label in sides.facets[facet].get(key, ()) for key in scored.keys], dtype=bool)
    told = f"{facet} {label}" if facet else ""
    if way != "drop":
        bound = float(getattr(limit, way))
        some = scored.of(inside)
        held = held_to_bound(
            some.values[0], scored.kind, some.draws, bound, way == "most", limit.margin, together, sides.seed
        )
        why = "" if held else f"no question{_of(told)} has {limit.measure}"
        return Check(
            measure=limit.measure,
            way=way,
            allowed=bound,
            margin=limit.margin,
            group=told,
            state=held.state if held else "undecided",
            held=held,
            base=None,
            why=why,
        )
    some = scored.of(inside & np.array([key in sides.keys for key in scored.keys], dtype=bool))
    ours = np.array([rounded(value) for value in some.values[0]])
    theirs = sides.theirs(limit.measure, some.keys)
    both = np.isfinite(ours) & np.isfinite(theirs)
    base = float(theirs[both].mean()) if both.any() else None
    share = share_of(limit.drop) if isinstance(limit.drop, str) else None
    drop = float(limit.drop or 0.0) if share is None else abs(base or 0.0) * share
    same = _same(sides, limit.measure, [key for key, here in zip(some.keys, both) if here])
    less = less_is_better(limit.measure, sides.found.side.own)
    held = held_to_baseline(ours, theirs, scored.kind, some.draws, less, drop, together, sides.seed, same)
    if base is None and sides.baseline is not None and limit.measure not in sides.baseline.measures:
        raise BadInput(
            f"the baseline has no '{limit.measure}'{nearest(limit.measure, sides.baseline.measures)}; "
            "'aventrik run CONFIG --baseline-file FILE' writes it anew, with all that the gate asks for"
        )
    why = "" if held else f"no question{_of(told)} has {limit.measure} in both"
    return Check(
        measure=limit.measure,
        way=way,
        allowed=drop,
        margin=0.0,
        group=told,
        state=held.state if held else "undecided",
        held=held,
        base=base,
        why=why,
        share=share,
    )


def _of(group: str) -> str:
    return f" with {group}" if group else ""


def _same(sides: _Sides, measure: str, keys: Sequence[str]) -> bool:
    """Whether the scores of some questions came of the very same results as the baseline's."""
    assert sides.baseline is not None
    rows, marks = sides.baseline.questions, sides.marks
    if is_of_list(measure):
        return all(rows[key].list_mark and marks[key][1] == rows[key].list_mark for key in keys)
    return all(rows[key].mark and marks[key][0] == rows[key].mark for key in keys)


def _compare_made(store: Store, gate: Gate, sides: _Sides, made: Gated) -> Gated:
    """What else the run and its baseline differ in: refused where scores then mean something else, told where not."""
    base, run = sides.baseline, sides.run
    notes: list[str] = []
    assert base is not None
    if base.cover != float(run.made["cover"]):
        raise BadInput(
            f"a need is met from cover {run.made['cover']:g} on in run {run.id}, from {base.cover:g} in the baseline: the "
            "scores do not mean the same; make the baseline anew"
        )
    own = list(sides.found.side.own)
    judged = [
        limit.measure for limit in gate.settings.limit if limit.drop is not None and is_judged(limit.measure, own)
    ]
    judge = judge_told(run)
    if judged and judge != base.judge:
        who = f"'{judge[0]}', the baseline by '{base.judge[0] if base.judge else ''}'"
        if judge[:1] == base.judge[:1]:
            who = f"'{judge[0]}' in other settings or another wording than the baseline"
        if gate.settings.judge != "any":
            raise BadInput(
                f"run {run.id} was judged by {who}: a drop of {judged[0]} may be the judge's; make the baseline anew, or say "
                f'judge = "any" in {gate.path.name}'
            )
        notes.append(f"judged by {who}: what changed may be the judge's")
    notes.extend(_unexplained(gate, base, run))
    documents = None
    if run.corpus != base.corpus and (contents := contents_of(store, run)) is not None:
        now = {doc: contents[doc][:12] for doc in base.evidence if doc in contents}
        documents = replace(changes(base.evidence, now), before=base.documents, now=len(contents))
    return replace(made, notes=notes, settings=_changed_settings(base, run), documents=documents)


def _unexplained(gate: Gate, base: Baseline, run: Run) -> Iterator[str]:
    """What else differs from the baseline that no setting explains: raises `BadInput` for what can change a measure that may
    not drop, unless the gate allows it by its kind."""
    if not base.basis or "basis" not in run.made:
        stages = dict(run.made.get("stages", {}))
        moved = sorted(name for name in stages if base.stages.get(name, stages[name]) != stages[name])
        if moved:
            yield f"the program changed (baseline {base.program or 'unknown'}): {', '.join(moved)} work otherwise"
        yield (
            "the baseline does not say which models, prompts and criteria it rests on, for an earlier version wrote it: a change "
            "in one of these would not be noticed; make it anew"
        )
        return
    limited = [limit.measure for limit in gate.settings.limit if limit.drop is not None]
    refused: list[Unexplained] = []
    let: list[Unexplained] = []
    for each in among([from_made(base.basis), from_made(run.made["basis"])]):
        if not any(each.concerns(measure) for measure in limited):
            continue
        allowed = each.kind in gate.settings.allow or (gate.settings.judge == "any" and _is_judges(each, run))
        (let if allowed else refused).append(each)
    if refused:
        kinds = ", ".join(f'"{kind}"' for kind in sorted({each.kind for each in refused}))
        more = f" and {len(refused) - _REFUSED} more" if len(refused) > _REFUSED else ""
        raise BadInput(
            f"run {run.id} ({run.name}) and the baseline differ in what no setting explains: "
            f"{', '.join(each.what for each in refused[:_REFUSED])}{more}; what changed may be that. Make the baseline anew, or say "
            f"allow = [{kinds}] in {gate.path.name}"
        )
    if let:
        yield f"not the same as in the baseline, which {gate.path.name} allows: {', '.join(each.what for each in let)}"


def _is_judges(each: Unexplained, run: Run) -> bool:
    """Whether a premise is the judge's: one of its prompts, or the model of that name."""
    names = [f"the model '{name}'" for name in run.made.get("judges", ())]
    names += [f"the prompt '{task}'" for task in (*TASKS, "criterion")]
    return any(each.what.startswith(name) for name in names)


def _changed_settings(base: Baseline, run: Run) -> dict[str, tuple[Any, Any]]:
    now = {name: value for name, value in settings_of(run).items() if value is not None}
    if not now or not base.settings:  # what another system gave has none
        return {}
    return {
        name: (base.settings.get(name), now.get(name))
        for name in sorted(base.settings.keys() | now.keys())
        if str(base.settings.get(name)) != str(now.get(name))
    }


def _health_checks(gate: Gate, health: RunHealth) -> Iterator[Check]:
    """Of a run that rests on failures: whether they are within what the gate lets pass. There is one whenever there is
    anything to tell, so that no gate passes a run without its failures being seen."""
    for measure, count, total in (
        ("failures", health.unsound, health.questions),
        ("index-failures", health.unwritten, health.texts),
    ):
        if count:
            share = count / total
            state: State = "failed" if share > gate.settings.failures else "passed"
            yield Check(
                measure=measure,
                way="failures",
                allowed=gate.settings.failures,
                margin=0.0,
                group="",
                state=state,
                held=LimitHeld(state, share, share, share, total),
                why=f"{health.in_words}; --retry-failed makes what failed again",
            )


def _questions_gone(gate: Gate, base: Baseline, made: Gated) -> Check | None:
    """A check on how many of the baseline's questions take no part; None where all of them do."""
    gone = len(made.missing) + len(made.edited) + len(made.evidence_gone)
    if not gone:
        return None
    share = gone / len(base.questions)
    parts = [
        f"{len(some)} {what} ({', '.join(some[:4])}{', …' if len(some) > 4 else ''})"
        for what, some in (
            ("missing", made.missing), ("asked otherwise", made.edited), ("without their evidence", made.evidence_gone)
        )
        if some
    ]  # fmt: skip
    state: State = "failed" if share > gate.settings.gone else "passed"
    why = f"{gone} of the baseline's {len(base.questions)} take no part: {', '.join(parts)}"
    held = LimitHeld(state, share, share, share, len(base.questions))
    return Check(
        measure="questions",
        way="gone",
        allowed=gate.settings.gone,
        margin=0.0,
        group="",
        state=state,
        held=held,
        base=None,
        why=why,
    )
