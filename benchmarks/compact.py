"""Vectors in less room: bytes a vector, queries a second, and the share of the true ten nearest that are found.

On random unit vectors around so many centres, like those of texts: `python benchmarks/compact.py [VECTORS [DIMENSIONS]]`. The first
row is faiss over whole vectors, whose lists are the truth; all in one run, on one machine.
"""

from __future__ import annotations

import sys
import time

import numpy as np

from aventrik.core.embedding import unit
from aventrik.core.indexing.compact import Coding, Compact, compacted, search
from aventrik.core.indexing.vectors import search as exact

QUERIES, TOP = 100, 10
CASES = [
    (Coding(0, 8), 0), (Coding(0, 8), 4), (Coding(0, 1), 0), (Coding(0, 1), 4), (Coding(0, 1), 20), (Coding(128, 32), 0),
    (Coding(128, 32), 4), (Coding(64, 32), 4), (Coding(64, 8), 4), (Coding(128, 1), 20),
]  # fmt: skip


def drawn(count: int, width: int) -> tuple[np.ndarray, np.ndarray]:
    """Vectors and queries around common centres, their first directions the weightiest."""
    lot = np.random.default_rng(7)
    scale = (1 / np.sqrt(1 + np.arange(width) / 16)).astype(np.float32)
    centres = lot.normal(size=(max(8, count // 200), width)).astype(np.float32)
    rows = centres[lot.integers(len(centres), size=count)]
    rows += 0.7 * lot.standard_normal(size=rows.shape, dtype=np.float32)
    asked = centres[lot.integers(len(centres), size=QUERIES)] + 0.7 * lot.standard_normal(
        size=(QUERIES, width), dtype=np.float32
    )
    return unit(rows * scale), unit(asked * scale)


def main(count: int, width: int) -> None:
    """Prints a row a coding."""
    rows, asked = drawn(count, width)
    began = time.perf_counter()
    true = [{place for place, _ in hits} for hits in exact(rows, asked, TOP)]
    took = time.perf_counter() - began
    print(f"{count:,} vectors of {width} numbers, {QUERIES} queries, the {TOP} nearest")
    print(f"{'kept':34} bytes each  queries/s   found")
    print(f"{'whole (faiss, exact)':34} {4 * width:10,} {QUERIES / took:10,.0f} {1:7.1%}", flush=True)
    for coding, rescore in CASES:
        if coding.keep >= width:
            continue
        parts = [compacted(rows[first : first + 65536], coding) for first in range(0, count, 65536)]
        codes = np.concatenate([part["rows"] for part in parts])
        scale = np.concatenate([part["scale"] for part in parts])
        kept = Compact(coding, codes, scale, int(parts[0]["width"][0]))
        search(kept, rows, asked[:1], TOP, rescore=rescore)
        began = time.perf_counter()
        found = search(kept, rows, asked, TOP, rescore=rescore)
        took = time.perf_counter() - began
        share = np.mean([len(wanted & {place for place, _ in hits}) / TOP for wanted, hits in zip(true, found)])
        name = f"{coding.bits} bit{'s' if coding.bits > 1 else ''}, first {coding.keep or width}" + (
            f", {rescore} x scored again" if rescore else ""
        )
        print(f"{name:34} {kept.bytes_each:10,.0f} {QUERIES / took:10,.0f} {share:7.1%}", flush=True)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000, int(sys.argv[2]) if len(sys.argv) > 2 else 256)
