"""Keyword search beside SQLite FTS5's bm25(): the same chunks, the same OR-queries, top 10, in one run.

python benchmarks/keyword_search.py [CHUNKS]
"""

from __future__ import annotations

import random
import sqlite3
import sys
import time

from real_text import chunks

from aventrik.core.indexing import keyword
from aventrik.core.text import WORD

QUERIES = 200


def main() -> None:
    """Builds both, times both, prints one table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 40_000
    texts = chunks(count)
    size = sum(map(len, texts)) / 1e6
    draw = random.Random(1)
    queries = [
        " ".join(draw.sample(WORD.findall(text), 8))
        for text in draw.sample([t for t in texts if len(t) > 300], QUERIES)
    ]

    keyword.build(texts[:10])  # what is imported at the first use is not the building's time
    builds: list[tuple[float, float]] = []
    for _ in range(3):  # in turn, the quickest of each: the machine is shared
        began = time.perf_counter()
        index = keyword.build(texts)
        middle = time.perf_counter()
        db = sqlite3.connect(":memory:")
        db.execute("CREATE VIRTUAL TABLE chunks USING fts5(body, tokenize = 'porter unicode61')")
        db.executemany("INSERT INTO chunks (rowid, body) VALUES (?, ?)", enumerate(texts, 1))
        db.commit()
        builds.append((middle - began, time.perf_counter() - middle))
    built, fts_built = (min(pair[side] for pair in builds) for side in (0, 1))

    began = time.perf_counter()
    ours = [[place for place, _ in index.search(query, 10)] for query in queries]
    searched = (time.perf_counter() - began) / QUERIES
    statement = "SELECT rowid FROM chunks WHERE chunks MATCH ? ORDER BY bm25(chunks) LIMIT 10"
    began = time.perf_counter()
    theirs = [
        [row[0] - 1 for row in db.execute(statement, (" OR ".join(f'"{word}"' for word in query.split()),))]
        for query in queries
    ]
    fts_searched = (time.perf_counter() - began) / QUERIES
    shared = sum(len(set(a) & set(b)) for a, b in zip(ours, theirs, strict=True)) / sum(map(len, theirs))

    print(f"{count:,} chunks, {size:.1f} million characters; {QUERIES} OR-queries of 8 words each, top 10")
    print(f"{'':14}{'build':>10}{'a query':>12}{'queries/s':>12}")
    print(f"{'aventrik':14}{built:>8.2f} s{searched * 1e3:>9.3f} ms{1 / searched:>12,.0f}")
    print(f"{'SQLite FTS5':14}{fts_built:>8.2f} s{fts_searched * 1e3:>9.3f} ms{1 / fts_searched:>12,.0f}")
    print(
        f"build {built / fts_built:.2f} times FTS5's time; search {fts_searched / searched:.0f} times its queries a second"
    )
    print(f"share of FTS5's top 10 that is in ours too: {shared:.2f} (its stemmer and its idf are others)")


if __name__ == "__main__":
    main()
