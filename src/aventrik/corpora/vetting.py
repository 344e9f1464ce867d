"""Findings on a corpus, kept by content key, and the table of decisions."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict
from typing import Any

from ..core.keys import content_key
from ..core.vetting import Finding, vet
from ..execution.corpus import Corpus
from ..execution.open_workspace import OpenWorkspace
from ..pipeline.codec import decode, digest, encode
from ..storage.protocols import Kept
from ..workspace.labels import Labels

_VERSION = 2


def findings(opened: OpenWorkspace, progress: Callable[[str, int, int], None] | None = None) -> list[Finding]:
    """All findings on all documents, those that were left out too; computed once for a state of the corpus."""
    corpus, store = opened.corpus, opened.store
    rows = [
        (name, key, {**meta, **opened.workspace.metadata.of(name)}) for name, key, _, meta, _ in corpus.store.details()
    ]
    key = content_key("findings", _VERSION, rows)
    known = store.results.values([key])
    if key in known:
        return [_finding(row) for row in decode(list, known[key])]
    found = vet([corpus.document(row[0]) for row in rows], progress)
    body = encode([asdict(each) for each in found])
    store.results.keep([Kept(key, "findings", digest(body), body)])
    return found


def _finding(row: dict[str, Any]) -> Finding:
    return Finding(**{**row, "spans": tuple((span[0], span[1]) for span in row["spans"])})


def decisions(corpus: Corpus, found: Sequence[Finding], labels: Labels) -> list[dict[str, Any]]:
    """A line a document: whether it takes part and why not, its labels, its findings, and its reading figures."""
    by_document: dict[str, list[Finding]] = {}
    for each in found:
        by_document.setdefault(each.document, []).append(each)
    return [
        {
            "document": report["document"],
            "title": report["title"],
            "decision": "left out" if report["left_out"] else "in",
            "reason": report["left_out"],
            **{column: labels.rows.get(report["document"], {}).get(column, "") for column in labels.columns},
            "findings": "; ".join(dict.fromkeys(each.kind for each in by_document.get(report["document"], ()))),
            "confidence": max((each.confidence for each in by_document.get(report["document"], ())), default=0.0),
            "messages": "; ".join(each.message for each in by_document.get(report["document"], ())),
            **{key: report[key] for key in ("pages", "chars", "words", "tables", "headings", "odd")},
            "warnings": "; ".join(report["warnings"]),
        }
        for report in corpus.reports()
    ]
