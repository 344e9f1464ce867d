"""What the results of a chain rest on beside its settings: premise by premise, each under a name that a user understands."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass
from typing import Any

from ..core.keys import content_key
from .judges import stage_name
from .resolved import Resolved, WantedModel
from .stage import Chain

LIST, ANSWER = (
    "list",
    "answer",
)  # what a premise can change: the ranked list and all behind it, or the answer and its verdicts
_ANSWERING = frozenset(
    {"context", "answer", "again", "verdicts", "criterion", "agreement", "answer scores", "joined verdicts", "joined grades"}
)  # fmt: skip
KINDS = ("models", "prompts", "program", "criteria", "filter", "judge", "documents", "measuring")


@dataclass(frozen=True)
class Premise:
    """One thing that results rest on beside the settings: its kind (one of `KINDS`), its value, and whether it can change
    the ranked list or the answers alone."""

    kind: str
    value: str
    of: str = LIST


Pieces = Callable[[WantedModel], Mapping[tuple[str, str], str]]  # (kind, name) → value: the model itself, its prompts


def basis(nodes: Chain, resolved: Resolved, pieces: Pieces, condition: str = "") -> dict[str, Premise]:
    """The premises by name. The name holds whatever a setting says (which model, which filter), so that two runs differ in a
    premise of one name only where no setting explains it.

    `pieces` takes a model apart; `condition` is the key of the documents that the filter lets pass.
    """
    found: dict[str, Premise] = {}
    for node in nodes.values():
        of = ANSWER if stage_name(node.name) in _ANSWERING or node.stage.name in _ANSWERING else LIST
        found[f"the stage '{node.stage.name}' of the program"] = Premise("program", str(node.stage.version), of)
        for wanted in node.models.values():
            for (kind, name), value in pieces(wanted).items():
                if name not in found or of == LIST:
                    found[name] = Premise(kind, value, of)
    for criterion in resolved.criteria:
        found[f"the criterion '{criterion.name}'"] = Premise("criteria", content_key(asdict(criterion)), ANSWER)
    if condition:
        where = resolved.configuration.search.where
        found[f"the documents that the filter '{where}' lets pass"] = Premise("filter", condition)
    return found


def as_made(premises: Mapping[str, Premise]) -> dict[str, list[str]]:
    """The premises as a run keeps them."""
    return {name: [premise.kind, premise.value, premise.of] for name, premise in sorted(premises.items())}


def from_made(kept: Mapping[str, Any]) -> dict[str, Premise]:
    """The inverse of `as_made`."""
    return {name: Premise(*map(str, values)) for name, values in kept.items()}
