"""pgvector beside this program's own exact search: what an index finds of the true ten nearest, and queries a second, for
HNSW and IVFFlat at three settings each, and both searched exactly. One process asks, one query at a time.

python benchmarks/server_search.py [VECTORS [WIDTH]]         (1,000,000 × 256)

Vectors are those of the `static` model for sentences of real text, put together anew; queries are other such sentences.
"""

from __future__ import annotations

import random
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
from beyond import server
from real_text import documents

from aventrik.core.embedding import embedder
from aventrik.core.indexing.approximate import Nearness, Reach, build
from aventrik.core.indexing.approximate import search as near
from aventrik.core.indexing.vectors import search as exact
from aventrik.core.text import sentences
from aventrik.storage.server.searching import Layout, Reaching, SearchDatabase

QUERIES = 200
TOP = 10


def vectors_of(count: int, width: int) -> npt.NDArray[np.float32]:
    """Unit vectors of sentences, in each of which two words are those of another."""
    pool: list[str] = []
    for document in documents():
        pool.extend(document.text[a:b] for a, b in sentences(document.text) if 60 <= b - a <= 300)
        if len(pool) > 80_000:
            break
    draw, model = random.Random(count), embedder("static", 0)
    made = np.empty((count, width), dtype=np.float32)
    for first in range(0, count, 20_000):
        texts = []
        for _ in range(min(20_000, count - first)):
            words = draw.choice(pool).split()
            for _ in range(2):
                words[draw.randrange(len(words))] = draw.choice(draw.choice(pool).split())
            texts.append(" ".join(words))
        rows = model.embed(texts, {})[:, :width]
        made[first : first + len(texts)] = rows / np.maximum(np.linalg.norm(rows, axis=1, keepdims=True), 1e-9)
    return made


def show(name: str, built: float, lists: list[Any], true: list[Any], seconds: float) -> None:
    """A line of the table."""
    share = np.mean([len({p for p, _ in a} & {p for p, _ in b}) / TOP for a, b in zip(lists, true)])
    print(f"{name:34}{built:>8.0f} s{share:>9.3f}{len(lists) / seconds:>12,.0f}", flush=True)


def timed(work: Any) -> tuple[list[Any], float]:
    """What work gives for all queries, and the seconds that took; once before, so that memory is warm."""
    work()
    began = time.perf_counter()
    found = work()
    return found, time.perf_counter() - began


def main(count: int, width: int) -> None:
    """The table."""
    everything = vectors_of(count + QUERIES, width)
    vectors, queries = everything[:count], everything[count:]
    print(f"{count:,} vectors of {width} numbers, the {TOP} nearest of {QUERIES} queries")
    print(f"{'':34}{'built':>10}{'recall':>9}{'queries/s':>12}")
    each = [queries[n : n + 1] for n in range(QUERIES)]
    true, seconds = timed(lambda: [exact(vectors, one, TOP)[0] for one in each])
    show("own, exact", 0, true, true, seconds)
    began = time.perf_counter()
    graph = build(vectors, Nearness("graph", 16, 64))
    built = time.perf_counter() - began
    for effort in (40, 100, 400):
        found, seconds = timed(lambda e=effort: [near(graph, vectors, one, TOP, Reach(effort=e))[0] for one in each])
        show(f"own, graph, effort {effort}", built, found, true, seconds)
    with tempfile.TemporaryDirectory(dir="/tmp", prefix="v") as place:
        database = SearchDatabase(server(Path(place) / "pg"), "measured", megabytes=4000)
        for way, settings in (("exact", [0]), ("lists", [5, 20, 80]), ("graph", [40, 100, 400])):
            layout = Layout(way, 16, 64)
            began = time.perf_counter()
            database.load(f"t_{way}", ((n, n, None, vectors[n], None) for n in range(count)), width, layout, count)
            built = time.perf_counter() - began
            for setting in settings:
                how = Reaching(way, effort=setting, probes=setting)
                found, seconds = timed(lambda how=how, way=way: database.nearest(f"t_{way}", queries, TOP, how))
                names = {"exact": "exact", "lists": f"IVFFlat, probes {setting}", "graph": f"HNSW, ef_search {setting}"}
                show(f"pgvector, {names[way]}", built, found, true, seconds)


if __name__ == "__main__":
    numbers = [int(each) for each in sys.argv[1:3]]
    main(*(numbers + [1_000_000, 256][len(numbers) :]))
