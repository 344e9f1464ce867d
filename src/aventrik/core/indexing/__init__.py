"""Indexes over chunks: `keyword` (postings) and `vectors`."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Hit = tuple[int, float]


def best(scores: npt.NDArray, top: int, floor: float = -np.inf) -> list[Hit]:
    """The `top` highest scores above `floor` as (position, score); equal scores in order of position."""
    scores = np.asarray(scores)
    if top < len(scores):
        floor_of_top = np.partition(scores, len(scores) - top)[len(scores) - top]
        places = np.flatnonzero((scores >= floor_of_top) & (scores > floor))
    else:
        places = np.flatnonzero(scores > floor)
    order = np.lexsort((places, -scores[places]))[:top]
    return [(int(place), float(scores[place])) for place in places[order]]
