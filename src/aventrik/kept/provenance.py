"""In what runs differ that no setting of theirs explains: a model behind a name, a prompt, a criterion, the program, what a
filter lets pass, the documents, the judge, how hits are counted."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..core.keys import content_key
from ..core.measures import MEASURES, plain
from ..pipeline.basis import ANSWER, LIST, Premise, from_made
from ..pipeline.judges import stage_name
from ..storage.protocols import Run

# What a node of an earlier run read its model's task from: where these settings differ, another model identity may be theirs.
_SECTIONS = {
    "written": "index",
    "rewrite": "rewriting",
    "step": "reranking",
    "fitted": "embedding",
    "vectors": "embedding",
}
_ANSWERS = ("answer", "again", "verdicts", "criterion", "agreement")


@dataclass(frozen=True)
class Unexplained:
    """One respect in which some runs differ and that none of their settings explains: its name and kind, whether it can
    change ranked lists or answers alone, and the value of each run, in their order ("" for one that has no such premise)."""

    what: str
    kind: str
    of: str
    values: tuple[str, ...]

    def concerns(self, measure: str) -> bool:
        """Whether it can change a measure: all but what lies behind the list can change a measure of the list."""
        return self.of == LIST or not is_of_list(measure)


def is_of_list(measure: str) -> bool:
    """Whether a measure is of a ranked list, and of nothing else."""
    return plain(measure) in MEASURES and MEASURES[plain(measure)].of in ("list", "ranking")


def premises_of(run: Run, early: bool = False) -> dict[str, Premise]:
    """What a run rests on beside its settings; `early`: as far as a run of an earlier version of the program tells."""
    made = run.made
    found = _early(made) if early or "basis" not in made else from_made(made["basis"])
    found["the documents"] = Premise("documents", run.corpus)
    found["the judge"] = Premise("judge", str(made.get("judge")), ANSWER)
    found["cover"] = Premise("measuring", str(made.get("cover")))
    found["the cut-offs"] = Premise("measuring", str(made.get("cut_offs")))
    found["the version of the program"] = Premise("program", str(made.get("format")))
    return found


def unexplained(runs: Sequence[Run]) -> list[Unexplained]:
    """Every premise that several of some runs have, with more than one value among them."""
    return among([premises_of(run, any("basis" not in each.made for each in runs)) for run in runs])


def among(sides: Sequence[Mapping[str, Premise]]) -> list[Unexplained]:
    """The same of premises."""
    found = []
    for name in dict.fromkeys(name for each in sides for name in each):
        have = [each[name] for each in sides if name in each]
        if len({premise.value for premise in have}) > 1:
            of = LIST if any(premise.of == LIST for premise in have) else ANSWER
            values = tuple(each[name].value if name in each else "" for each in sides)
            found.append(Unexplained(name.partition("\0")[0], have[0].kind, of, values))
    return found


def _early(made: Mapping[str, Any]) -> dict[str, Premise]:
    found: dict[str, Premise] = {}
    configuration = made.get("configuration") or {}
    for stage, version in dict(made.get("stages", {})).items():
        of = ANSWER if stage in _ANSWERS else LIST
        found[f"the stage '{stage}' of the program"] = Premise("program", str(version), of)
    for slot, told in dict(made.get("models", {})).items():
        node = slot.partition(":")[0]
        stage = stage_name(node)
        if told.get("kind") == "embedding" and not ("address" in told or "path" in told):
            continue  # a built-in one: all of it is settings and program
        section = configuration.get(_SECTIONS.get(stage, ""))
        mark = f"\0{node} {content_key(section)}" if section is not None else f"\0{node}"
        of = ANSWER if stage in _ANSWERS else LIST
        found[f"the model '{told.get('name')}' ({stage}){mark}"] = Premise("models", str(told.get("identity")), of)
    for criterion in made.get("criteria", ()):
        found[f"the criterion '{criterion['name']}'"] = Premise("criteria", content_key(criterion), ANSWER)
    return found
