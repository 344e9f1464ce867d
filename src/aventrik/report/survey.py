"""A survey as a drawing: a point a chunk, coloured by topic, document, finding, or how well a run served it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from ..core.errors import BadInput
from ..core.surveying.layout import positions
from ..corpora.surveying import Survey, Topic, chosen_points, findings_by_chunk, served_well
from ..execution.open_workspace import OpenWorkspace
from ..kept.sides import side_of
from ..questions.gaps import Gaps
from ..runs.pooling import reader_of
from ..storage.protocols import Run
from ..workspace.testsets import question_from
from .map import ASKED, HELD, OTHER, Drawing, Point, kept_groups

_SHOWN_TEXT = 600  # characters of a chunk that the page shows
_NEAREST = 5  # drawn chunks among which a question is put
_LAYOUTS = {"tsne": "t-SNE", "pca": "the first two principal components"}


def drawing(
    opened: OpenWorkspace,
    made: Survey,
    points: int,
    layout: str,
    judged: Run | None,
    measure: str,
    seed: int,
    gaps: Gaps | None = None,
) -> Drawing:
    """At most so many points of a survey; with a run `judged`, its scores on a measure are one more colouring; with `gaps`,
    their questions are points too, each among the chunks that are nearest to it.

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
            groups["served"] = _served_words(scored.get(number))
        source = " › ".join(made.chunks.source(number))
        drawn.append(Point(x, y, doc, source, _short(made.chunks.text(number)), groups))
    asked = [] if gaps is None else _asked(opened, made, gaps, chosen, places)
    if gaps is not None:
        extra = dict.fromkeys(("topic", "document", "finding", *(["served"] if scored is not None else [])), ASKED)
        drawn = [replace(point, groups={**point.groups, "gap": HELD}) for point in drawn]
        drawn.extend(replace(point, groups={**extra, **point.groups}) for point in asked)
    colourings = {"topic": list(names.values())}
    for name, last in (("document", ()), ("finding", ("no finding",))):
        colourings[name] = kept_groups([point.groups[name] for point in drawn], last)
    if scored is not None:
        colourings["served"] = [_served_words(value) for value in (1.0, 0.5, 0.0, None)]
    if gaps is not None and asked:
        for names_of in colourings.values():
            names_of.append(ASKED)
        kept = set(kept_groups([point.groups["gap"] for point in asked]))
        colourings["gap"] = [HELD, *(name for name in dict.fromkeys(p.groups["gap"] for p in asked) if name in kept)]
        colourings["gap"].extend([OTHER] if OTHER in kept else [])
    note = f"{len(chosen):,} of {len(table):,} chunks of {len(table.docs):,} documents; laid out by {_LAYOUTS[layout]}"
    if asked:
        note += f"; {len(asked)} questions, each among the chunks nearest to it"
    if judged is not None:
        note += f"; served: {measure} of run {judged.id}, {judged.name}"
    return Drawing(f"{made.configuration.name}: what the documents speak of", note, drawn, colourings)


def _asked(
    opened: OpenWorkspace, made: Survey, gaps: Gaps, chosen: npt.NDArray[np.int64], places: npt.NDArray[np.float32]
) -> list[Point]:
    """The questions of gaps as points: in the middle of the drawn chunks that are nearest to each."""
    members = [(number, group, each) for number, group in enumerate(gaps.groups, 1) for each in group.members]
    if not members or not len(chosen):
        return []
    reader = reader_of(made.place)
    rows = reader.questions([each.question for _, _, each in members])
    near = np.asarray(made.place.open("vectors")[chosen] @ rows.T)
    found = []
    for column, (number, group, each) in enumerate(members):
        best = np.argsort(-near[:, column], kind="stable")[:_NEAREST]
        turn = 2.4 * column  # so that questions with the same neighbours do not hide one another
        x, y = places[best].mean(axis=0) + 0.012 * np.array([np.cos(turn), np.sin(turn)])
        name = f"{number}: {', '.join(group.words[:3])}"
        times = f"asked {each.asked} times; {each.why}" if each.asked > 1 else each.why
        found.append(Point(float(x), float(y), each.id, times, _short(each.question), {"gap": name}))
    return found


def topic_name(topic: Topic) -> str:
    """A topic by its number and the first of its own words."""
    return f"{topic.number}: {', '.join(topic.words[:4]) or 'no words of its own'}"


def _served_words(score: float | None) -> str:
    if score is None:
        return "no question"
    return "served well" if score >= 0.99 else "served badly" if score <= 0.01 else "served in part"


def _short(text: str) -> str:
    text = " ".join(text.split())
    return text if len(text) <= _SHOWN_TEXT else text[: _SHOWN_TEXT - 1].rstrip() + "…"


def _served(opened: OpenWorkspace, made: Survey, judged: Run, measure: str) -> dict[int, float]:
    found = side_of(opened.store, judged)
    scores = {found.ids[key]: each[measure] for key, each in found.side.scores.items() if measure in each}
    if not scores:
        raise BadInput(f"run {judged.id} has no score for '{measure}'")
    if not judged.made.get("format"):
        raise BadInput(f"run {judged.id} was made by an earlier version; run '{judged.name}' again")
    questions, _ = opened.located([question_from(each.body) for each in opened.store.runs.questions(judged.id)])
    return served_well(made.table, questions, scores)
