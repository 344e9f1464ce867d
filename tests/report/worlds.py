"""A workspace with many runs that hold all that a run of ours holds: lists, contexts, answers, verdicts, scores."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from aventrik.core.answering import Answer, Statement
from aventrik.core.context.serving import HandedOn, ServedList
from aventrik.core.documents import Document
from aventrik.core.judging import Judgement, Verdict
from aventrik.core.keys import content_key
from aventrik.core.measures import Scores
from aventrik.core.measures.loss import Losses
from aventrik.core.reading import read
from aventrik.core.rewriting import Queries
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.pipeline.codec import encode
from aventrik.storage.protocols import RUN_FORMAT, Kept, RunQuestion, Snapshot, Store
from aventrik.workspace.configuration import Configuration

WORDS = (
    "lock", "gauge", "mooring", "boat", "bridge", "winter", "stoppage", "level", "paddle", "towpath", "licence", "fee", "keeper",
    "reach", "weir", "berth", "notice", "channel", "pump", "arm", "summit", "windlass", "gate", "beam", "length", "draught",
)  # fmt: skip
SIZES = (200, 300, 400, 600, 800, 1000, 1200, 1600, 2000, 2400)
METHODS = ("keyword", "vector", "both")
ITEMS = 12  # of a list
SAID = ("supported", "supported", "not found", "contradicted")


def documents(count: int, length: int) -> dict[str, Document]:
    """Documents of sentences drawn by lot, a heading every twelve."""
    lot = np.random.default_rng(3)
    made = {}
    for number in range(count):
        lines = [f"# Reach {number}"]
        size = 0
        while size < length:
            words = " ".join(WORDS[n] for n in lot.integers(len(WORDS), size=int(lot.integers(7, 16))))
            lines.append(f"{words.capitalize()} {int(lot.integers(10, 9999))}.")
            size += len(lines[-1])
            if len(lines) % 12 == 0:
                lines.append(f"\n## Part {len(lines)} {WORDS[int(lot.integers(len(WORDS)))]}\n")
        name = f"reaches/{number:03}.md"
        made[name] = read(name, "\n\n".join(lines).encode())
    return made


def filled(
    folder: Path, runs: int, questions: int, docs: int = 60, planted: Mapping[str, str] | None = None, alike: int = 1
) -> OpenWorkspace:
    """The workspace. So many runs are `alike` in what they found and answered. `planted` has texts that stand in place of a
    name, a question, an answer, a document's text and name."""
    subprocess.run([sys.executable, "-m", "aventrik", "new", str(folder)], check=True, stdout=subprocess.DEVNULL)
    opened = OpenWorkspace(folder)
    store, planted = opened.store, planted or {}
    texts = documents(docs, 16_000)
    if "document" in planted:
        texts[planted["document"]] = replace(read("x.txt", planted["text"].encode()), name=planted["document"])
    names = tuple(texts)
    keys = tuple(document.key for document in texts.values())
    store.documents.keep_contents(list(texts.values()))
    corpus = content_key(list(zip(names, keys)))
    store.documents.keep_snapshot(Snapshot(corpus, names, keys))
    lot = np.random.default_rng(11)
    bodies = [_body(place, names, texts, lot, planted) for place in range(questions)]
    hard = lot.normal(size=questions)
    for run in range(runs):
        name = planted.get("name", "") if run == 0 and planted else f"wide/run={run}"
        settings = {
            "chunking.size": SIZES[run % 10],
            "search.method": METHODS[run // 10 % 3],
            "context.keep": 5 + run // 30,
        }
        _run(store, run, alike, name, settings, bodies, names, texts, hard, corpus, planted)
    return opened


def _body(place: int, names: Any, texts: Any, lot: np.random.Generator, planted: Mapping[str, str]) -> dict[str, Any]:
    doc = names[place % len(names)]
    text = texts[doc].text
    start = min(int(lot.integers(0, max(1, len(text) - 200))), max(0, len(text) - 60))
    quote = text[start : start + 60]
    words = (
        planted.get("question", "") if place == 0 and planted else f"What is the {WORDS[place % 26]} of reach {place}?"
    )
    return {
        "id": f"q{place:04}", "question": words, "answer": f"It is {place}.", "status": "kept", "by": "person",
        "kind": ("one-fact", "table", "joined")[place % 3], "tags": [WORDS[place % 7]], "meta": {},
        "needs": [{"fact": f"it is {place}", "spans": [{"doc": doc, "start": start, "end": start + len(quote), "quote": quote}]}],
    }  # fmt: skip


def _run(
    store: Store, run: int, alike: int, name: str, settings: dict[str, Any], bodies: list[dict[str, Any]], names: Any, texts: Any,
    hard: np.ndarray, corpus: str, planted: Mapping[str, str],
) -> None:  # fmt: skip
    """A run; `alike` runs one after the other share lists, answers and verdicts."""
    group = run // alike
    lot = np.random.default_rng([11, group])
    good = 0.02 * group * alike - hard + lot.normal(size=len(bodies)) > 0
    kept, rows = [], []
    for place, body in enumerate(bodies):
        hit = bool(good[place])
        verdicts = [SAID[(place + n + group) % 4] for n in range(3)]
        own: dict[str, Any] = {
            "retrieval scores": Scores(
                {
                    "hit@5": float(hit), "ndcg@5": 0.6 * hit + 0.001 * (run % alike), "tokens@5": float(settings["chunking.size"]),
                    "reciprocal-rank": 1 / (1 + place % 5) if hit else 0.0,
                }
            ),
            "answer scores": Scores({"groundedness": round(verdicts.count("supported") / 3, 6), "correctness": float(hit)}),
            "losses": Losses(("answered" if hit else "not among the candidates",)),
        }  # fmt: skip
        shared: dict[str, Any] = {"queries": Queries((body["question"],)), "context": Scores({})}
        if run % alike == 0:
            shared |= _found(place, group, settings["chunking.size"], hit, verdicts, body, names, texts, lot, planted)
        results = {stage: f"{stage} {run} {place}" for stage in own}
        results |= {
            stage: f"{stage} {group} {place}" for stage in ("queries", "context", "served", "answer", "verdicts")
        }
        for stage, record in (own if run % alike else own | shared).items():
            cost = (0.0, 0.0, 0.0, 0.0)
            kept.append(Kept(results[stage], stage, results[stage], encode(record), False, 0.001 * (1 + run % 7), cost))
        rows.append(RunQuestion(body["id"], f"key{place}", body, results))
    store.results.keep(kept)
    made = {
        "format": RUN_FORMAT, "program": "0", "configuration": Configuration(name="x").with_settings(settings).model_dump(),
        "corpus": corpus, "documents": len(names), "cover": 0.9, "cut_offs": [5], "judge": "offline",
        "models": {"verdicts: judge": {"identity": "offline 4"}}, "stages": {"chunks": 4}, "seed": 0,
        "prompts": {"verdict": planted.get("answer", "Judge this claim.")}, "outside": None,
    }  # fmt: skip
    made["configuration"]["name"] = name
    number = store.runs.begin(f"identity {run}", name, "reaches", made, len(rows))
    store.runs.finish(number, rows, {"seconds": {"answer": 1.0}})


def _found(
    place: int, group: int, size: int, hit: bool, verdicts: list[str], body: dict[str, Any], names: Any, texts: Any,
    lot: np.random.Generator, planted: Mapping[str, str],
) -> dict[str, Any]:  # fmt: skip
    """A list, an answer and its verdicts."""
    span = body["needs"][0]["spans"][0]
    items = []
    for rank in range(ITEMS):
        doc = names[int(lot.integers(len(names)))]
        first = int(lot.integers(0, max(1, len(texts[doc].text) // size))) * size
        if hit and rank == place % 5:
            doc, first = span["doc"], max(0, span["start"] - size // 3)
        items.append(HandedOn(rank, doc, ((first, min(first + size, len(texts[doc].text))),), size // 5))
    said = f"The {WORDS[(place + group) % 26]} is {place} by rule {group}."
    if place == 0 and planted:
        said = planted.get("answer", "")
    reason = "a sentence says it in nearly the same words"
    claims = [
        Verdict(f"{said} {n}", verdict, reason, (1,), ((1, span["quote"]),), 0.9) for n, verdict in enumerate(verdicts)
    ]
    return {
        "served": ServedList(tuple(items)),
        "answer": Answer(said, False, (Statement(said, (1,)),)),
        "verdicts": Judgement(tuple(claims), (hit,), (hit,), "", 0.8),
    }
