"""A comparison in JSON."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from ..core.comparing.account import losses, losses_by_step
from ..core.comparing.crossing import Crossed
from .comparison import Comparison
from .correction import CorrectedRun


def comparison_json(found: Comparison) -> dict[str, Any]:
    """The documented shape of `compare --json`."""
    ids = [run.id for run in found.runs]
    lead = found.leading
    return {
        "baseline": ids[found.baseline],
        "measure": found.measure,
        "questions": found.shared,
        "infers_to": {**asdict(found.scope), "covered": found.scope.covered},
        "apart": found.apart,
        "evidence_gone": found.evidence_gone,
        "documents": None if found.documents is None else asdict(found.documents),
        "best": lead.as_json(ids) if lead else None,
        "runs": [_run(found, place) for place in range(len(ids))],
        "differences": [asdict(each) | {"real": each.real, **_runs(each, ids)} for each in found.contrasts],
        "contributions": [asdict(each) | {"real": each.real} for each in found.contributions],
        "interactions": [asdict(each) | {"real": each.real} for each in found.interactions],
        "pairs": [asdict(each) | {"real": each.real, **_runs(each, ids)} for each in found.pairs],
        "against": ids[found.against],
        "groups": [asdict(each) | {"real": each.real} for each in found.groups],
        "beaten": [asdict(each) | {"run": ids[each.place]} for each in found.beaten],
        "known_answers": [each.as_json() for each in found.known],
        "flips": [{**asdict(each), "question": found.ids[each.key]} for each in found.flips],
    }


def crossed_json(made: Crossed) -> dict[str, Any]:
    """The documented shape of `compare --by A,B --json`."""
    return {
        "first": made.first, "second": made.second, "uneven": made.uneven,
        "cells": [asdict(cell) for cell in made.cells],
    }  # fmt: skip


def _runs(each: Any, ids: list[int]) -> dict[str, int]:
    return {"run": ids[each.place], "against_run": ids[each.against_place]}


def _run(found: Comparison, place: int) -> dict[str, Any]:
    run, lead, twin = found.runs[place], found.leading, found.twins[place]
    fixed = found.corrected.get(place, CorrectedRun())
    return {
        "run": run.id,
        "name": run.name,
        "testset": run.testset,
        "settings": found.sides[place].settings,
        "same_as": None if twin == place else found.runs[twin].id,
        "questions": run.questions,
        "left_out": found.left_out[place],
        "failed": found.failures[place],
        "health": asdict(found.health[place]),
        "declined": found.declined[place][0],
        "measures": {name: asdict(each) for name, each in found.means[place].items()},
        "may_be_best": lead.p.get(twin) if lead else None,
        "chance_of_best": lead.chance.get(twin) if lead else None,
        "costs": found.costs[place],
        "untold": found.untold[place],
        "lost": losses(found.sides[place]),
        "lost_by_step": losses_by_step(found.sides[place]),
        "corrected": {name: each.as_json() for name, each in fixed.means.items()},
        "corrected_gaps": {name: asdict(each) for name, each in fixed.gaps.items()},
        "judges": [
            {"judge": other, "against": first, "agreement": asdict(each)}
            for first, other, each in found.judges.get(place, ())
        ],
    }
