"""What growth costs: 10 thousand, 100 thousand and a million chunks through a workspace, each step in a process of its
own, in one table: time to build, to open and to search, resident memory, disk.

python benchmarks/growth.py [CHUNKS …]
"""

from __future__ import annotations

import json
import random
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from aventrik.core.text import sentences
from aventrik.corpora.gathering import gather
from aventrik.execution.chunk_texts import ChunkTexts
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.workspace.configuration import Configuration
from aventrik.workspace.gathered import GatheredSource
from aventrik.workspace.starter import create

A_DOCUMENT = 100  # chunks
A_FILE = 250  # documents
QUERIES = 20


def configuration(method: str) -> Configuration:
    """Paragraphs of some 180 characters, a chunk each."""
    return Configuration.model_validate(
        {
            "name": method,
            "chunking": {"size": 200, "overlap": 0},
            "index": {"headings": False},
            "embedding": {"model": "static"},
            "search": {"method": method},
        },
        strict=False,
    )


def lay_out(folder: Path, chunks: int) -> None:
    """Records of real sentences, put together anew, a hundred paragraphs a document."""
    from real_text import documents

    pool: list[str] = []
    for document in documents():
        pool.extend(document.text[a:b] for a, b in sentences(document.text) if 140 <= b - a <= 200)
        if len(pool) >= min(chunks, 60_000):
            break
    draw = random.Random(chunks)
    create(folder)
    (folder / "in").mkdir()
    for file in range(0, chunks // A_DOCUMENT, A_FILE):
        with open(folder / "in" / f"{file}.jsonl", "w", encoding="utf-8") as out:
            for number in range(file, min(file + A_FILE, chunks // A_DOCUMENT)):
                paragraphs = []
                for _ in range(A_DOCUMENT):
                    words = draw.choice(pool).split()
                    words[draw.randrange(len(words))] = draw.choice(draw.choice(pool).split())
                    paragraphs.append(" ".join(words)[:199])
                out.write(json.dumps({"id": number, "body": "\n\n".join(paragraphs)}) + "\n")


def step(name: str, folder: Path) -> dict[str, float]:
    """One step in this process: its seconds, and the most memory it had."""
    opened = OpenWorkspace(folder)
    began = time.perf_counter()
    told: dict[str, float] = {}
    if name == "gather":
        gather(opened, [GatheredSource(folder / "in")])
    else:
        place = opened.place(configuration("both"))
        if name == "build":
            for part in ("chunks", "terms", "keyword", "vectors"):
                start = time.perf_counter()
                place.open(part)
                told[part] = time.perf_counter() - start
            told["keyword"] += told["terms"]
        else:
            model = opened.models.get(place.nodes["query vectors"].models["embedder"])
            model.embed(["warm"], {}, "query")
            start = time.perf_counter()
            words, near = place.open("words"), place.open("near")
            told["open"] = time.perf_counter() - start
            chunks = ChunkTexts(place)
            told["chunks"] = len(chunks)
            queries = [chunks.text(n * (len(chunks) // QUERIES)) for n in range(QUERIES)]
            rows = model.embed(queries, {}, "query")
            words.by_words(queries[:1], 10, None)
            near.by_vectors(rows[:1], 10, None)
            start = time.perf_counter()
            for query in queries:
                words.by_words([query], 10, None)
            told["keyword_ms"] = (time.perf_counter() - start) / QUERIES * 1000
            start = time.perf_counter()
            for row in rows:
                near.by_vectors(row[None], 10, None)
            told["vector_ms"] = (time.perf_counter() - start) / QUERIES * 1000
    told["seconds"] = time.perf_counter() - began
    told["gigabytes"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    return told


def main(sizes: list[int]) -> None:
    """The table."""
    heads = ("chunks", "gather", "cut", "keyword", "vectors", "GB", "open", "keyword", "vector", "GB", "text", "arrays")
    print(("{:>10}{:>9}{:>8}{:>9}{:>9}{:>6}{:>9}{:>11}{:>10}{:>6}{:>9}{:>9}").format(*heads))
    for size in sizes:
        with tempfile.TemporaryDirectory() as place:
            folder = Path(place) / "w"
            lay_out(folder, size)
            told = {}
            for name in ("gather", "build", "search"):
                done = subprocess.run(
                    [sys.executable, __file__, "--step", name, str(folder)], capture_output=True, text=True, check=True
                )
                told[name] = json.loads(done.stdout)
            found, made = told["search"], told["build"]
            store = folder / ".aventrik"
            text = (store / "store.db").stat().st_size / 1e9
            arrays = sum(file.stat().st_size for file in (store / "arrays").rglob("*") if file.is_file()) / 1e9
            print(
                f"{found['chunks']:>10,.0f}{told['gather']['seconds']:>7.1f} s{made['chunks']:>6.1f} s{made['keyword']:>7.1f} s"
                f"{made['vectors']:>7.1f} s{made['gigabytes']:>6.2f}{found['open'] * 1000:>6.1f} ms"
                f"{found['keyword_ms']:>8.2f} ms{found['vector_ms']:>7.2f} ms{found['gigabytes']:>6.2f}"
                f"{text:>6.2f} GB{arrays:>6.2f} GB",
                flush=True,
            )


if __name__ == "__main__":
    if sys.argv[1:2] == ["--step"]:
        print(json.dumps(step(sys.argv[2], Path(sys.argv[3]))))
    else:
        main([int(size) for size in sys.argv[1:]] or [10_000, 100_000, 1_000_000])
