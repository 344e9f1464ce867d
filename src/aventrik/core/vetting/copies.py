"""Exact and near copies, and what differs between two that are nearly the same."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from ..documents import Document
from ..keys import content_key
from ..text import NUMBER, numbers, sentences
from . import Finding
from .minhash import jaccard, shingles, similar_pairs

NEAR = 0.4
_SHOWN = 6


def find(documents: Sequence[Document]) -> list[Finding]:
    """A finding on the second of each pair: the one that is older, or comes later by name."""
    texts = [" ".join(document.text.split()) for document in documents]
    first: dict[str, int] = {}
    found: list[Finding] = []
    alone: list[int] = []
    for place, text in enumerate(texts):
        same = first.setdefault(content_key(text.lower()), place)
        if same == place or not text:
            alone.append(place)
            continue
        kept, copy = in_order(documents[same], documents[place])
        found.append(Finding("exact copy", copy.name, 1.0, f"the same text as {kept.name}", (_whole(copy),), kept.name))
    sets = [shingles(texts[place]) for place in alone]
    for a, b, share in similar_pairs(sets, NEAR):
        kept, copy = in_order(documents[alone[a]], documents[alone[b]])
        gaps = differences(kept, copy)
        told = f"{share:.0%} of its wording stands in {kept.name}"
        if gaps:
            told += (
                f"; differs in {gaps[0]['here']} for {gaps[0]['there']}" if gaps[0]["figures"] else "; wording differs"
            )
        spans = tuple(tuple(gap["span"]) for gap in gaps[:_SHOWN])
        found.append(
            Finding("near copy", copy.name, min(1.0, share + 0.2), told, spans, kept.name, {"differs": gaps[:20]})
        )
    return found


def _whole(document: Document) -> tuple[int, int]:
    return (0, len(document.text))


def age_of(document: Document) -> tuple[str, ...]:
    """What tells which of two documents is newer: edition, date of issue, year in title or name; greater is newer."""
    meta = document.meta
    for key in ("edition", "version", "issued", "date", "modified", "year"):
        if meta.get(key) not in (None, ""):
            return (str(meta[key])[:10],)  # a day is exact enough, and hours are written in many ways
    years = re.findall(r"(?:19|20)\d\d", f"{document.name} {document.title}")
    return (max(years),) if years else ()


def in_order(a: Document, b: Document) -> tuple[Document, Document]:
    """(the one to keep, the other): the newer first where both say how old they are, else by name."""
    if age_of(a) and age_of(b) and age_of(a) != age_of(b):
        return (a, b) if age_of(a) > age_of(b) else (b, a)
    return (a, b) if (len(a.name), a.name) <= (len(b.name), b.name) else (b, a)


def differences(kept: Document, copy: Document) -> list[dict[str, Any]]:
    """Sentences of `copy` that stand nearly so in `kept`, with what differs: those with other figures first.

    Two sentences are alike by their words; that their figures differ makes them no less so.
    """
    there = [(kept.text[s:e], shingles(NUMBER.sub("0", kept.text[s:e]))) for s, e in sentences(kept.text)]
    exact = {text for text, _ in there}
    by_shingle: dict[int, list[int]] = {}
    for place, (_, codes) in enumerate(there):
        for code in codes.tolist():
            by_shingle.setdefault(code, []).append(place)
    found: list[dict[str, Any]] = []
    for start, end in sentences(copy.text):
        text = copy.text[start:end]
        if text in exact:
            continue
        codes = shingles(NUMBER.sub("0", text))
        rivals = {place for code in codes.tolist() for place in by_shingle.get(code, ())[:20]}
        best = max(rivals, key=lambda place: (jaccard(codes, there[place][1]), -place), default=None)
        if best is None or jaccard(codes, there[best][1]) < 0.2:
            continue
        ours, theirs = numbers(text), numbers(there[best][0])
        figures = sorted(set(ours) - set(theirs)), sorted(set(theirs) - set(ours))
        other = bool(figures[0] and figures[1])
        found.append(
            {
                "span": [start, end],
                "figures": other,
                "here": ", ".join(figures[0]) if other else text,
                "there": ", ".join(figures[1]) if other else there[best][0],
                "sentence": text,
                "against": there[best][0],
            }
        )
    return sorted(found, key=lambda gap: (not gap["figures"], gap["span"]))
