"""Figures on a canvas of 1280 × 800 points, written whole as PNG or SVG."""

from __future__ import annotations

import warnings
from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING

from ..core.errors import BadInput
from ..core.visible import visible
from ..workspace.files import write_whole

if TYPE_CHECKING:
    from matplotlib.figure import Figure

KINDS = (".png", ".svg")
INK, MIDDLE, PALE = "#222222", "#777777", "#c8c8c8"
DEEP, WARM = "#1d4e89", "#c8553d"  # dark and middle where colours are not seen


def check_picture(path: Path) -> None:
    """Raises `BadInput` for a file that is no picture, or in a folder that is not there."""
    if path.suffix.lower() not in KINDS:
        raise BadInput(f"{path}: a picture's name ends in {' or '.join(KINDS)}")
    if not path.parent.is_dir():
        raise BadInput(f"{path.parent}: no such folder")
    if path.is_dir():
        raise BadInput(f"{path}: is a folder")


def write_figure(path: Path, draw: Callable[[Figure], None]) -> None:
    """Has a figure drawn and written: the same figure gives the same bytes."""
    check_picture(path)
    write_whole(path, _drawn(draw, path.suffix.lower().removeprefix("."), 12.8, 8.0))


def figure_svg(draw: Callable[[Figure], None], width: float, height: float) -> str:
    """A figure of so many inches as SVG."""
    return _drawn(draw, "svg", width, height).decode()


def _drawn(draw: Callable[[Figure], None], kind: str, width: float, height: float) -> bytes:
    import matplotlib
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure
    from matplotlib.text import Text

    with matplotlib.rc_context({"svg.hashsalt": "aventrik", "svg.fonttype": "none", "font.size": 10}):
        figure = Figure(figsize=(width, height), dpi=100, facecolor="white")
        FigureCanvasAgg(figure)
        draw(figure)
        for text in figure.findobj(Text):
            text.set_parse_math(False)  # a dollar sign in a name is a dollar sign
        body = BytesIO()
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # of letters that the font lacks
            figure.savefig(body, format=kind, metadata={"Software": None} if kind == "png" else {"Date": None})
    return body.getvalue()


def plain(text: str, width: int = 60) -> str:
    """Text for a figure: on one line, all of it visible, cut where it is long."""
    told = " ".join(visible(text).split())
    return told if len(told) <= width else told[: width - 1].rstrip() + "…"
