"""Vector search: exact beside faiss's own flat index, and approximate beside exact, in one run.

python benchmarks/vectors.py [exact|approximate] [VECTORS]
"""

from __future__ import annotations

import random
import sys
import time

import faiss
import numpy as np
from real_text import documents

from aventrik.core.embedding import embedder
from aventrik.core.indexing import approximate, vectors
from aventrik.core.text import sentences

QUERIES = 1000


def best_of(times: int, work: object) -> float:
    """Seconds of the quickest of several calls."""
    found = []
    for _ in range(times):
        began = time.perf_counter()
        work()  # type: ignore[operator]
        found.append(time.perf_counter() - began)
    return min(found)


def exact(count: int, width: int = 384) -> None:
    """1,000 queries, the ten nearest of each."""
    draw = np.random.default_rng(3)
    rows = draw.normal(size=(count, width)).astype(np.float32)
    rows /= np.linalg.norm(rows, axis=1, keepdims=True)
    queries = rows[draw.permutation(count)[:QUERIES]]
    index = faiss.IndexFlatIP(width)
    index.add(rows)
    vectors.search(rows, queries[:10], 10)
    pairs = []
    for _ in range(5):  # in turn, the quickest of each: the machine is shared
        theirs = best_of(1, lambda: index.search(queries, 10))
        pairs.append((theirs, best_of(1, lambda: vectors.search(rows, queries, 10))))
    theirs, ours = (min(pair[side] for pair in pairs) for side in (0, 1))
    print(f"{QUERIES:,} queries × {count:,} × {width}, top 10: faiss flat {theirs:.2f} s, ours {ours:.2f} s")
    print(f"ours takes {ours / theirs:.2f} times as long")


def real_vectors(count: int) -> np.ndarray:
    """`static` vectors of sentences of real text; where there are too few, of pairs of them."""
    texts: list[str] = []
    for document in documents():
        texts.extend(document.text[a:b] for a, b in sentences(document.text) if b - a > 30)
        if len(texts) >= count:
            break
    draw = random.Random(4)
    found = len(texts)
    while len(texts) < count:
        texts.append(f"{texts[draw.randrange(found)]} {texts[draw.randrange(found)]}")
    model = embedder("static")
    print(f"{min(found, count):,} sentences of real text, {max(0, count - found):,} pairs of them")
    return np.concatenate([model.embed(texts[n : n + 4096], {}) for n in range(0, count, 4096)])


def nearby(count: int) -> None:
    """Recall of the ten nearest and queries a second, of both kinds of index at several settings."""
    rows = real_vectors(count)
    draw = np.random.default_rng(3)
    queries = rows[draw.permutation(count)[:QUERIES]] + draw.normal(scale=0.02, size=(QUERIES, rows.shape[1]))
    queries = (queries / np.linalg.norm(queries, axis=1, keepdims=True)).astype(np.float32)
    true = vectors.search(rows, queries, 10)
    seconds = best_of(2, lambda: vectors.search(rows, queries, 10))
    print(f"{count:,} × {rows.shape[1]}, {QUERIES:,} queries, top 10; exact: {QUERIES / seconds:,.0f} queries/s")
    print(
        f"{'index':<8}{'built in':>10}{'setting':>16}{'recall@10':>11}{'told':>8}{'queries/s':>11}{'times exact':>13}"
    )
    for way in ("lists", "graph"):
        began = time.perf_counter()
        index = approximate.build(rows, approximate.Nearness(way))
        built = time.perf_counter() - began
        for setting in (12, 16, 20, 32) if way == "lists" else (64, 256, 512):
            reach = approximate.Reach(effort=setting, probes=setting)
            found = approximate.search(index, rows, queries, 10, reach)
            quick = best_of(2, lambda i=index, r=reach: approximate.search(i, rows, queries, 10, r))
            hit = np.mean([len({p for p, _ in a} & {p for p, _ in b}) / 10 for a, b in zip(true, found, strict=True)])
            told = approximate.recall(
                lambda q, top, may, i=index, r=reach: approximate.search(i, rows, q, top, r, may), rows
            )
            name = f"{'probes' if way == 'lists' else 'effort'} {setting}"
            print(
                f"{way:<8}{built:>8.0f} s{name:>16}{hit:>11.3f}{told:>8.3f}{QUERIES / quick:>11,.0f}{seconds / quick:>13.1f}",
                flush=True,
            )


if __name__ == "__main__":
    what = sys.argv[1] if len(sys.argv) > 1 else "exact"
    number = int(sys.argv[2]) if len(sys.argv) > 2 else {"exact": 100_000, "approximate": 500_000}[what]
    exact(number) if what == "exact" else nearby(number)
