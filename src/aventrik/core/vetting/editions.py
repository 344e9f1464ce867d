"""Superseded editions, and sentences that say another figure in the same words."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Sequence

from ..documents import Document
from . import Finding
from .copies import age_of, differences
from .minhash import jaccard, shingles

_ALIKE = 0.12


def find(documents: Sequence[Document]) -> list[Finding]:
    """For documents of one name or title but another edition: the older is superseded by the newest that is like it,
    and contradicts that one wherever a sentence in the same words has another figure."""
    groups: dict[str, list[Document]] = defaultdict(list)
    for document in _distinct(documents):
        for mark in {_stem(document.name.rsplit("/", 1)[-1]), _stem(document.title)} - {""}:
            groups[mark].append(document)
    found: list[Finding] = []
    told: set[str] = set()
    for group in groups.values():
        if len(group) > 40:  # a name that says nothing, such as 'index'
            continue
        ordered = sorted((each for each in group if age_of(each)), key=age_of, reverse=True)
        for place, older in enumerate(ordered):
            if older.name in told:
                continue
            newer = (each for each in ordered[:place] if age_of(each) != age_of(older))
            against = next((made for each in newer if (made := _compared(each, older))), [])
            if against:
                told.add(older.name)
                found.extend(against)
    return found


def _distinct(documents: Sequence[Document]) -> list[Document]:
    """One of each text: the one with the shortest name."""
    kept: dict[str, Document] = {}
    for document in sorted(documents, key=lambda each: (len(each.name), each.name)):
        kept.setdefault(" ".join(document.text.split()), document)
    return list(kept.values())


def _stem(name: str) -> str:
    """A name without edition, year, suffix and brackets: what two editions of one thing share."""
    plain = re.sub(r"\.\w+$|\([^)]*\)|(?:19|20)\d\d|\bedition\b|\bv?\d+(?:\.\d+)*\b", " ", name.lower())
    return " ".join(re.findall(r"[a-z]{2,}", plain))


def _compared(newer: Document, older: Document) -> list[Finding]:
    share = jaccard(shingles(newer.text), shingles(older.text))
    if share < _ALIKE:
        return []
    gaps = [gap for gap in differences(newer, older) if gap["figures"]]
    spans = tuple((gap["span"][0], gap["span"][1]) for gap in gaps)
    told = f"{newer.name} is a later edition ({age_of(newer)[0]} after {age_of(older)[0]})"
    confidence = min(0.98, 0.6 + share + 0.03 * len(gaps))
    found = [Finding("superseded", older.name, confidence, told, ((0, len(older.text)),), newer.name)]
    if gaps:
        first = gaps[0]
        message = f"{len(gaps)} sentences say other figures than {newer.name}: {first['here']} for {first['there']}"
        found.append(Finding("contradicts", older.name, 0.9, message, spans, newer.name, {"differs": gaps[:20]}))
    return found
