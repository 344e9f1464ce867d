"""120 configurations that differ in blend, weight, top and context, on 100 questions of the demo: run, and run again.

python benchmarks/configurations.py                    this checkout
python benchmarks/configurations.py --beside FOLDER    another checkout too, in the same run, a fresh workspace each
"""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

HERE = Path(__file__).parent.parent
SWEEP = """name = "many"
[embedding]
model = "static"
[sweep]
"search.blend" = ["ranks", "scores"]
"search.weight" = [0.2, 0.35, 0.5, 0.65, 0.8]
"search.top" = [20, 40, 80]
"context.keep" = [3, 4, 5, 8]
"""
QUESTIONS = 100


def aventrik(checkout: Path, folder: Path, *arguments: str) -> float:
    """Seconds that a command of a checkout takes in a folder."""
    began = time.perf_counter()
    subprocess.run(
        [sys.executable, "-m", "aventrik", *arguments],
        cwd=folder,
        env={**os.environ, "PYTHONPATH": str(checkout / "src")},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        check=True,
    )
    return time.perf_counter() - began


def prepared(checkout: Path, folder: Path) -> Path:
    """A workspace with the demo's documents, 100 of its questions and the sweep."""
    workspace = folder / "w"
    aventrik(checkout, folder, "new", "w")
    demo = checkout / "src" / "aventrik" / "demo"
    aventrik(checkout, workspace, "gather", str(demo / "documents"))
    lines = [line for name in ("enquiries", "helpdesk") for line in (demo / f"{name}.jsonl").open(encoding="utf-8")]
    (workspace / "testsets" / "hundred.jsonl").write_text("".join(lines[:QUESTIONS]), encoding="utf-8")
    (workspace / "configs" / "many.toml").write_text(SWEEP, encoding="utf-8")
    return workspace


def main() -> None:
    """Prints the table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--beside", type=Path, help="another checkout")
    options = parser.parse_args()
    print(f"{'checkout':<12}{'run':>10}{'again':>10}{'compare':>10}   seconds")
    for name, checkout in (("other", options.beside), ("this", HERE)):
        if checkout is None:
            continue
        with tempfile.TemporaryDirectory() as folder:
            workspace = prepared(checkout.resolve(), Path(folder))
            first, second = (aventrik(checkout.resolve(), workspace, "run", "many") for _ in range(2))
            compared = aventrik(checkout.resolve(), workspace, "compare")
            print(f"{name:<12}{first:>10.1f}{second:>10.2f}{compared:>10.1f}")


if __name__ == "__main__":
    main()
