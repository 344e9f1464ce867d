"""A survey as a drawing: a point a chunk, coloured by topic, document, finding, or how well a run served it."""

from __future__ import annotations

from ..core.errors import BadInput
from ..core.surveying.layout import positions
from ..engine.comparing import side_of
from ..engine.opened import Opened
from ..engine.surveying import Survey, Topic, chosen_points, findings_by_chunk, served_well
from ..storage.protocols import Run
from ..workspace.testsets import question_from
from .map import Drawing, Point, kept_groups

_SNIPPET = 600  # characters of a chunk that the page shows
_LAYOUTS = {"tsne": "t-SNE", "pca": "the first two principal components"}


def drawing(
    opened: Opened, made: Survey, points: int, layout: str, judged: Run | None, measure: str, seed: int
) -> Drawing:
    """At most so many points of a survey; with a run `judged`, its scores on a measure are one more colouring.

    Raises `BadInput` for a run without that measure, or of an earlier version.
    """
    table = made.table
    chosen = chosen_points(made.found, points)
    opened.progress("map", 0, 1)
    places = positions(made.place.open("vectors"), chosen, layout, seed)
    names = {topic.number: topic_name(topic) for topic in made.topics}
    many = len(table.docs) > 20
    findings = findings_by_chunk(opened, made)
    scored = None if judged is None else _served(opened, made, judged, measure)
    drawn = []
    for number, (x, y) in zip(chosen.tolist(), places.tolist()):
        doc = table.name(number)
        groups = {
            "topic": names[int(made.found.topic[number]) + 1],
            "document": doc.rsplit("/", 1)[0] + "/" if many and "/" in doc else doc,
            "finding": findings.get(number, "no finding"),
        }
        if scored is not None:
            groups["served"] = _told(scored.get(number))
        source = " › ".join(made.chunks.source(number))
        drawn.append(Point(x, y, doc, source, _short(made.chunks.text(number)), groups))
    colourings = {"topic": list(names.values())}
    for name, last in (("document", ()), ("finding", ("no finding",))):
        colourings[name] = kept_groups([point.groups[name] for point in drawn], last)
    if scored is not None:
        colourings["served"] = [_told(value) for value in (1.0, 0.5, 0.0, None)]
    note = f"{len(drawn):,} of {len(table):,} chunks of {len(table.docs):,} documents; laid out by {_LAYOUTS[layout]}"
    if judged is not None:
        note += f"; served: {measure} of run {judged.id}, {judged.name}"
    return Drawing(f"{made.configuration.name}: what the documents speak of", note, drawn, colourings)


def topic_name(topic: Topic) -> str:
    """A topic by its number and the first of its own words."""
    return f"{topic.number}: {', '.join(topic.words[:4]) or 'no words of its own'}"


def _told(score: float | None) -> str:
    if score is None:
        return "no question"
    return "served well" if score >= 0.99 else "served badly" if score <= 0.01 else "served in part"


def _short(text: str) -> str:
    text = " ".join(text.split())
    return text if len(text) <= _SNIPPET else text[: _SNIPPET - 1].rstrip() + "…"


def _served(opened: Opened, made: Survey, judged: Run, measure: str) -> dict[int, float]:
    found = side_of(opened.store, judged)
    scores = {found.ids[key]: each[measure] for key, each in found.side.scores.items() if measure in each}
    if not scores:
        raise BadInput(f"run {judged.id} has no score for '{measure}'")
    if not judged.made.get("format"):
        raise BadInput(f"run {judged.id} was made by an earlier version; run '{judged.name}' again")
    questions, _ = opened.located([question_from(each.body) for each in opened.store.runs.questions(judged.id)])
    return served_well(made.table, questions, scores)
