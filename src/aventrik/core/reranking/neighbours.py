"""Widens items by what stands before and behind them in their document."""

from __future__ import annotations

from collections.abc import Sequence

from ..context.serving import tidy
from ..documents.spans import Range
from ..text import sentences
from . import Item, Refined, StepMeans, cut

_REACH = 4000  # characters on each side in which sentences are looked for


def apply(
    questions: Sequence[str],
    items: Sequence[Sequence[Item]],
    means: StepMeans,
    before: int,
    after: int,
    unit: str,
    keep: int,
) -> list[Refined]:
    """Adds to the first `keep` items of each question so many sentences, or chunks, before and behind; those that stand
    behind in the list stay as they are."""
    assert means.document is not None
    made: list[Refined] = []
    for row in items:
        wide: Refined = []
        for item in row[:keep]:
            document = means.document(item.doc)
            more = (
                _sentences(document.text, item.ranges, before, after)
                if unit == "sentences"
                else _chunks(item.chunk, means, before, after)
            )
            ranges = tidy(document.text, [*item.ranges, *more])
            wide.append(cut(item, ranges, document.text) if ranges != item.ranges else item)
        made.append([*wide, *row[keep:]])
    return made


def _sentences(text: str, ranges: Sequence[Range], before: int, after: int) -> list[Range]:
    """Sentences before and behind each range."""
    found: list[Range] = []
    for start, end in ranges:
        if before:
            found.extend(list(sentences(text, max(0, start - _REACH), start))[-before:])
        if after:
            found.extend(list(sentences(text, end, min(len(text), end + _REACH)))[:after])
    return found


def _chunks(chunk: int, means: StepMeans, before: int, after: int) -> list[Range]:
    assert means.beside is not None
    return [each for step in range(-before, after + 1) if step for each in means.beside(chunk, step)]
