"""By what questions of a run can be told apart: their kind, style, difficulty, tags, the document they are about."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ..core.errors import BadInput
from ..core.testsets import FACETS
from ..workspace.toml import nearest

TOPIC = "topic"


def facets_of(bodies: Mapping[str, Mapping[str, Any]]) -> dict[str, dict[str, tuple[str, ...]]]:
    """For each facet the labels of each question, by its key, where it has any; facets that no question has are left out.
    `bodies` are questions as runs keep them."""
    found: dict[str, dict[str, tuple[str, ...]]] = {}
    for facet in FACETS:
        labels = {key: told for key, body in bodies.items() if (told := _labels(facet, body))}
        if labels:
            found[facet] = labels
    return found


def _labels(facet: str, body: Mapping[str, Any]) -> tuple[str, ...]:
    meta = body.get("meta") if isinstance(body.get("meta"), dict) else {}
    assert isinstance(meta, Mapping)
    if facet == "kind":
        return (str(body["kind"]),) if body.get("kind") else ()
    if facet == "tag":
        return tuple(str(tag) for tag in body.get("tags") or ())
    if facet == "writer":
        return (str(body["by"]),) if body.get("by") else ()
    if facet == "document":
        needs = body.get("needs") or ()
        return tuple(dict.fromkeys(str(span["doc"]) for need in needs for span in need["spans"][:1]))
    return (str(meta[facet]),) if meta.get(facet) not in (None, "") else ()


def facet_named(name: str, facets: Mapping[str, Any], settings: Sequence[str]) -> str:
    """The facet or setting of that name, or of that last part of a dotted name where it is the only one; raises `BadInput`
    with the nearest."""
    if name in facets or name in settings:
        return name
    short = [setting for setting in settings if setting.rpartition(".")[2] == name]
    if len(short) == 1:
        return short[0]
    known = [*settings, *facets]
    if len(short) > 1:
        raise BadInput(f"--by: '{name}' may be {' or '.join(short)}")
    raise BadInput(
        f"--by: these runs do not differ in a setting '{name}', nor do their questions{nearest(name, known)}"
    )
