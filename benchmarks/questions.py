"""Runs over more and more questions: seconds and memory a question, each run in a process of its own.

    python benchmarks/questions.py FOLDER [COUNT ...]        (default 1000 4000 16000)

The questions are words drawn from lines of the documents in FOLDER; they are for timing alone.
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

from aventrik.corpora.gathering import gather
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.runs.running import Runner
from aventrik.workspace.gathered import GatheredSource
from aventrik.workspace.starter import create


def questions(opened: OpenWorkspace, count: int) -> None:
    """Writes a test set of so many questions, no two alike."""
    draw, rows = random.Random(1), []
    lines = [
        (name, line)
        for name in opened.corpus.names()
        for line in map(str.strip, opened.corpus.document(name).text.split("\n"))
        if 60 < len(line) < 300
    ]
    for number in range(count):
        name, line = draw.choice(lines)
        words = " ".join(draw.sample(line.split(), min(9, len(line.split()))))
        needs = [{"fact": line, "spans": [{"doc": name, "quote": line}]}]
        rows.append({"id": f"q{number}", "question": f"{words} ({number})", "answer": line, "needs": needs})
    path = opened.workspace.testset_path("many")
    path.write_text("".join(json.dumps(row) + "\n" for row in rows), encoding="utf-8")


def one(folder: str, count: int) -> None:
    """One run; prints seconds and the most memory, in megabytes."""
    with tempfile.TemporaryDirectory() as name:
        workspace = Path(name)
        create(workspace)
        gather(OpenWorkspace(workspace), [GatheredSource(Path(folder).resolve())])
        opened = OpenWorkspace(workspace)
        questions(opened, count)
        began = time.perf_counter()
        [configuration] = opened.workspace.configurations(["starter"])
        found, _ = opened.questions("many")
        Runner(opened).run(configuration, "many", found)
        seconds = time.perf_counter() - began
        print(json.dumps([seconds, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000]))


def main() -> None:
    """Prints the table."""
    if len(sys.argv) < 2:
        sys.exit(__doc__)
    if sys.argv[-1] == "alone":
        one(sys.argv[1], int(sys.argv[2]))
        return
    print(f"{'questions':>10}{'seconds':>10}{'ms each':>10}{'MB':>10}{'KB each':>10}")
    first = None
    for count in map(int, sys.argv[2:] or ["1000", "4000", "16000"]):
        command = [sys.executable, __file__, sys.argv[1], str(count), "alone"]
        done = subprocess.run(command, capture_output=True, text=True, check=True)
        seconds, memory = json.loads(done.stdout.splitlines()[-1])
        first = first or (count, memory)
        each = f"{(memory - first[1]) * 1000 / (count - first[0]):>10.1f}" if count > first[0] else f"{'':>10}"
        print(f"{count:>10,}{seconds:>10.1f}{seconds / count * 1000:>10.2f}{memory:>10.0f}{each}", flush=True)


if __name__ == "__main__":
    main()
