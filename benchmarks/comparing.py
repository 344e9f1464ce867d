"""Many runs compared: 500 runs of 500 questions about 120 documents, in a store like any other; and the same tests by a
general library.

python benchmarks/comparing.py [--runs N] [--questions N]
"""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from scipy import stats

from aventrik.core.measures import Scores
from aventrik.core.measures.loss import Losses
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.kept.sheets import run_sheets
from aventrik.pipeline.codec import encode
from aventrik.storage.protocols import RUN_FORMAT, Kept, RunQuestion
from aventrik.workspace.configuration import Configuration

DOCUMENTS = 120
SIZES, METHODS, MODELS = (200, 400, 600, 900, 1400), ("keyword", "vector", "both"), ("lsa", "static")
KEPT = ("chunk", "neighbours")


def configurations(count: int) -> list[Configuration]:
    """Configurations in five settings that vary."""
    made = []
    for place in range(count):
        settings = {
            "chunking.size": SIZES[place % 5],
            "search.method": METHODS[place // 5 % 3],
            "embedding.model": MODELS[place // 15 % 2],
            "chunking.serve": KEPT[place // 30 % 2],
            "search.top": 10 + place // 60,
        }
        name = "many/" + ",".join(f"{key.rpartition('.')[2]}={value}" for key, value in settings.items())
        made.append(Configuration(name=name).with_settings(settings))
    return made


def outcomes(runs: int, questions: int) -> np.ndarray:
    """What each run hits of each question: as hard as the question, as good as the configuration."""
    lot = np.random.default_rng(7)
    hard = lot.normal(size=questions) + 0.4 * lot.normal(size=DOCUMENTS)[np.arange(questions) % DOCUMENTS]
    good = np.linspace(-0.3, 0.9, runs)[lot.permutation(runs)]
    return (good[:, None] - hard[None, :] + 0.5 * lot.normal(size=(runs, questions)) > 0).astype(float)


def filled(folder: Path, runs: int, questions: int) -> np.ndarray:
    """A workspace with these runs."""
    subprocess.run([sys.executable, "-m", "aventrik", "new", str(folder)], check=True, stdout=subprocess.DEVNULL)
    opened = OpenWorkspace(folder)
    hits = outcomes(runs, questions)
    lot = np.random.default_rng(8)
    for number, configuration in enumerate(configurations(runs)):
        kept, rows = [], []
        for place in range(questions):
            hit = hits[number, place]
            ndcg = float(hit * lot.uniform(0.4, 1))
            values = {"hit@5": hit, "ndcg@5": ndcg, "reciprocal-rank": ndcg, "density@5": 0.1 * ndcg, "tokens@5": 900.0}
            records = {
                "retrieval scores": Scores(values),
                "losses": Losses(("answered" if hit else "not among the candidates",)),
            }
            results = {}
            for stage, record in records.items():
                name = f"{stage} {number} {place}"
                body = encode(record)
                kept.append(Kept(name, stage, name, body, False, 0.001))
                results[stage] = name
            span = {"doc": f"d{place % DOCUMENTS}.md", "start": 0, "end": 9, "quote": "a mooring"}
            body = {
                "id": f"q{place}", "question": f"what of mooring {place}?", "answer": "", "kind": ("one-fact", "table")[place % 2],
                "needs": [{"fact": "", "spans": [span]}], "tags": [f"tag{place % 7}"], "meta": {}, "by": "person", "status": "kept",
            }  # fmt: skip
            rows.append(RunQuestion(f"q{place}", f"key{place}", body, results))
        opened.store.results.keep(kept)
        made = {
            "format": RUN_FORMAT, "configuration": configuration.model_dump(), "corpus": "c", "cover": 0.9,
            "cut_offs": [5], "judge": "offline", "models": {},
        }  # fmt: skip
        one = opened.store.runs.begin(f"run {number}", configuration.name, "t", made, questions)
        opened.store.runs.finish(one, rows, {})
    opened.store.close()
    return hits


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--runs", type=int, default=500)
    parser.add_argument("--questions", type=int, default=500)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "w"
        hits = filled(folder, options.runs, options.questions)
        opened = OpenWorkspace(folder)
        began = time.perf_counter()
        run_sheets(opened.store, opened.store.runs.all())
        rows = [("reading all results, once (kept as each run ends)", time.perf_counter() - began)]
        opened.store.close()
        for told, more in (
            ("aventrik compare many", []),
            ("aventrik compare many --json (every measure of every run)", ["--json"]),
            ("aventrik --help (the start alone)", None),
        ):
            began = time.perf_counter()
            arguments = ["--help"] if more is None else ["-w", str(folder), "compare", "many", *more]
            subprocess.run(
                [sys.executable, "-m", "aventrik", *arguments], check=True, stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL, env={**os.environ, "COLUMNS": "100"},
            )  # fmt: skip
            rows.append((told, time.perf_counter() - began))
        groups = np.arange(options.questions) % DOCUMENTS
        sums = np.array([np.bincount(groups, row, minlength=DOCUMENTS) for row in hits])
        began = time.perf_counter()
        some = sums[1:11]
        for row in some:
            stats.permutation_test(
                ((row - sums[0]),), lambda x, axis: x.mean(axis=axis), permutation_type="samples", vectorized=True,
                n_resamples=40_000,
            )  # fmt: skip
        rows.append(
            (
                f"SciPy: sign flips of {options.runs - 1} pairs alone, by ten of them",
                (time.perf_counter() - began) * (options.runs - 1) / 10,
            )
        )
    print(f"{options.runs} runs x {options.questions} questions")
    for told, seconds in rows:
        print(f"{told:<60} {seconds:8.2f} s")


if __name__ == "__main__":
    main()
