"""The map of a corpus: each chunk a point, near ones alike. As a picture, and as a page to look around in."""

from __future__ import annotations

import json
import textwrap
import warnings
from base64 import b64encode
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from ..core.surrogates import HALF
from ..core.visible import visible
from ..workspace.files import write_whole

COLOURINGS = ("topic", "document", "finding", "served", "gap")
OTHER = "all others"
ASKED = "asked, and not answered"  # of the points that are questions
HELD = "what the documents hold"
_KEPT = 20  # groups that have a colour of their own
_HUES = (
    "#3b6fb5", "#c8553d", "#4f9d69", "#8e5ea2", "#d19a2a", "#4aa3a8", "#a0522d", "#7a8b2f", "#c2578b", "#5c6b80",
)  # fmt: skip
_SHAPES = (("o", "circle"), ("^", "triangle-up"), ("s", "square"))
_GREY = "#b8bcc2"
_DRAWN_BY_CARD = 4000  # points beyond which the page has the graphics card draw them
_MARKS = {
    "served well": (_HUES[0], "o", "circle"),
    "served in part": (_HUES[4], "^", "triangle-up"),
    "served badly": (_HUES[1], "X", "x"),
    ASKED: ("#222222", "X", "x"),
}


@dataclass(frozen=True)
class Point:
    """A chunk on the map, or a question; `groups` names its group in each colouring that is offered."""

    x: float
    y: float
    doc: str
    source: str
    text: str
    groups: Mapping[str, str]


@dataclass(frozen=True)
class Drawing:
    """What is drawn: `colourings` maps each offered colouring to its groups in the order of the legend."""

    title: str
    note: str
    points: Sequence[Point]
    colourings: Mapping[str, Sequence[str]]


def kept_groups(names: Sequence[str], last: Sequence[str] = ()) -> list[str]:
    """The most frequent names, those of `last` at the end, and "all others" where there are too many for colours."""
    counts = Counter(name for name in names if name not in last)
    order = [name for name, _ in sorted(counts.items(), key=lambda pair: (-pair[1], pair[0]))]
    kept = order[:_KEPT] + ([OTHER] if len(order) > _KEPT else [])
    return kept + [name for name in last if name in names]


def look_of(place: int, name: str, plain: Sequence[str]) -> tuple[str, str, str]:
    """(colour, Matplotlib marker, Plotly symbol) of a group: never by colour alone where there are many."""
    if name in plain:
        return _GREY, ".", "circle-open"
    if name in _MARKS:
        return _MARKS[name]
    marker, symbol = _SHAPES[place // len(_HUES) % len(_SHAPES)]
    return _HUES[place % len(_HUES)], marker, symbol


PLAIN = (OTHER, "no finding", "no question", HELD)


def write_picture(path: Path, drawing: Drawing, colouring: str) -> None:
    """The map as a PNG of 1280 × 800 points, its groups numbered in the middle and named at the side."""
    from io import BytesIO

    import matplotlib

    matplotlib.use("Agg")
    from matplotlib import pyplot as plt
    from matplotlib.text import Text

    groups = drawing.colourings[colouring]
    figure, axes = plt.subplots(figsize=(12.8, 8.0), dpi=100)
    figure.subplots_adjust(left=0.02, right=0.66, top=0.92, bottom=0.05)
    size = float(np.clip(24_000 / max(1, len(drawing.points)), 4, 42))
    for place, name in enumerate(groups):
        at = _places(drawing, colouring, name)
        if not len(at):
            continue
        colour, marker, _ = look_of(place, name, PLAIN)
        label = textwrap.shorten(f"{_plain(name)} ({len(at):,})", 62, placeholder="…")
        axes.scatter(at[:, 0], at[:, 1], s=size, c=colour, marker=marker, alpha=0.8, linewidths=0, label=label)
    for name in groups:
        at = _places(drawing, colouring, name)
        mark = name.split(":", 1)[0]
        if len(at) and mark.isdigit():
            x, y = np.median(at, axis=0).tolist()
            axes.annotate(
                mark, (x, y), xytext=(0, 11), textcoords="offset points", ha="center", va="center", fontsize=10,
                weight="bold", bbox={"boxstyle": "round,pad=0.15", "fc": "white", "ec": "#888888", "alpha": 0.85},
            )  # fmt: skip
    axes.set_xticks([])
    axes.set_yticks([])
    for side in axes.spines.values():
        side.set_color("#cccccc")
    axes.set_title(_plain(drawing.title), loc="left", fontsize=13)
    figure.text(0.02, 0.015, _plain(drawing.note), fontsize=9, color="#555555")
    figure.legend(
        *axes.get_legend_handles_labels(), loc="upper left", bbox_to_anchor=(0.665, 0.925), fontsize=9, frameon=False,
        title=f"coloured by {colouring}", title_fontsize=10, alignment="left",
    )  # fmt: skip
    for text in figure.findobj(Text):
        text.set_parse_math(False)  # a dollar sign in a name is a dollar sign
    body = BytesIO()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of letters that the font lacks
        figure.savefig(body, format="png", metadata={"Software": None})
    plt.close(figure)
    write_whole(path, body.getvalue())


def _plain(text: str) -> str:
    return " ".join(visible(text).split())


def _places(drawing: Drawing, colouring: str, name: str) -> npt.NDArray[np.float64]:
    named = set(drawing.colourings[colouring])
    at = [
        (point.x, point.y)
        for point in drawing.points
        if (point.groups[colouring] if point.groups[colouring] in named else OTHER) == name
    ]
    return np.array(at).reshape(-1, 2)


def write_page(path: Path, drawing: Drawing, colouring: str) -> None:
    """The map as one self-contained page: hover over points, zoom, select a region and read its chunks, and choose
    what they are coloured by. It asks nothing of the network."""
    from jinja2 import Environment, PackageLoader
    from plotly.offline import get_plotlyjs

    data: dict[str, Any] = {
        "points": [
            {
                "x": p.x,
                "y": p.y,
                "doc": visible(p.doc),
                "source": visible(p.source),
                "text": visible(p.text),
                "groups": {name: visible(group) for name, group in p.groups.items()},
            }
            for p in drawing.points
        ],
        "colourings": {
            name: [{"name": visible(group), "look": look_of(place, group, PLAIN)} for place, group in enumerate(groups)]
            for name, groups in drawing.colourings.items()
        },
        "chosen": colouring,
        "card": len(drawing.points) > _DRAWN_BY_CARD,
        "other": OTHER,
    }
    environment = Environment(loader=PackageLoader(__package__), autoescape=True)
    scripts = [get_plotlyjs(), environment.get_template("map.js").render()]
    page = environment.get_template("map.html").render(
        title=visible(drawing.title),
        note=visible(drawing.note),
        points=len(drawing.points),
        colourings=list(drawing.colourings),
        data=embedded(data),
        scripts=scripts,
        # The library builds the code of its large drawings as it goes.
        policy=policy(scripts, builds=len(drawing.points) > _DRAWN_BY_CARD),
    )
    write_whole(path, page)


def embedded(value: Any) -> str:
    """A value, or a text that is JSON already, to stand in an element of a page: no text in it can end the element, or begin
    another."""
    body = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    for char in "<>&\u2028\u2029":
        body = body.replace(char, f"\\u{ord(char):04x}")
    return HALF.sub(lambda found: f"\\u{ord(found[0]):04x}", body)


def policy(scripts: Sequence[str], builds: bool) -> str:
    """The content security policy of a page: nothing from any network, and no script but these, known by their hashes."""
    marks = [f"'sha256-{b64encode(sha256(script.encode()).digest()).decode()}'" for script in scripts]
    allowed = " ".join([*marks, *(["'unsafe-eval'"] if builds else [])])
    return (
        f"default-src 'none'; script-src {allowed}; style-src 'unsafe-inline'; img-src data: blob:; base-uri 'none'; "
        "form-action 'none'"
    )
