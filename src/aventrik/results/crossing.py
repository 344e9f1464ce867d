"""Two settings of a comparison crossed, or a setting with what the questions are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ..core.comparing.contributions import Grid
from ..core.comparing.crossing import Crossed, crossed, crossed_by_group
from ..core.comparing.groups import by_group
from ..core.errors import BadInput
from ..corpora.surveying import main_chunks, survey
from ..execution.open_workspace import OpenWorkspace
from ..kept.facets import TOPIC, facet_named
from ..workspace.configuration import Configuration
from ..workspace.testsets import question_from
from .comparison import Comparison


def crossed_by(opened: OpenWorkspace, found: Comparison, names: Sequence[str]) -> tuple[Crossed | None, str]:
    """Two settings, or a setting and a facet, crossed; (None, facet) for a facet alone, whose groups the comparison has
    then.

    Raises `BadInput` for what these runs and questions do not differ in, and for other than one or two names.
    """
    wanted = [name.strip() for name in names if name.strip()]
    if not 1 <= len(wanted) <= 2 or len(set(wanted)) < len(wanted):
        raise BadInput("--by: give one or two names, such as chunking.size,search.method or search.method,kind")
    if TOPIC in wanted:
        found.facets[TOPIC] = topics_of(opened, found)
    sides = [found.sides[place] for place in found.alike]
    grid = Grid(sides)
    resolved = [facet_named(name, found.facets, grid.varying) for name in wanted]
    settings = [name for name in resolved if name in grid.varying]
    facets = [name for name in resolved if name not in grid.varying]
    if not settings:
        if len(facets) > 1:
            raise BadInput("--by: of two names at least one must be a setting")
        if facets[0] == TOPIC:
            made = by_group(found.scored, found.best, found.against, {TOPIC: found.facets[TOPIC]})
            found.groups.extend(made)
        return None, facets[0]
    if len(resolved) < 2:
        raise BadInput(f"--by: {settings[0]} alone is in the table of contributions; give a second name")
    scored = replace(found.scored, values=found.scored.values[found.alike])
    if facets:
        return crossed_by_group(sides, scored, settings[0], facets[0], found.facets[facets[0]]), ""
    return crossed(sides, scored, settings[0], settings[1], grid.varying), ""


def topics_of(opened: OpenWorkspace, found: Comparison) -> dict[str, tuple[str, ...]]:
    """The topics of the corpus that the evidence of each question lies in, by its key: those of the chunks of the best
    run's configuration."""
    made = survey(opened, Configuration.kept(found.runs[found.best].made["configuration"]))
    names = {topic.number: f"{topic.number} {', '.join(topic.words[:3])}" for topic in made.topics}
    labels = {}
    for key, body in found.bodies.items():
        chunks = main_chunks(made.table, [question_from(dict(body))])
        topics = dict.fromkeys(names[int(made.found.topic[chunk]) + 1] for chunk in chunks)
        if topics:
            labels[key] = tuple(topics)
    return labels
