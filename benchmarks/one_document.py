"""A run over a folder of documents, and again after one of them has changed.

    python benchmarks/one_document.py FOLDER [EMBEDDING [LENGTH]]

EMBEDDING is none, lsa, static (the default) or the folder of a neural model (with the extra 'neural'); of each text
file the first LENGTH characters are taken, or all.

A hundred questions are made of lines of the documents; they are for timing alone.
"""

from __future__ import annotations

import json
import random
import shutil
import sys
import tempfile
import time
from pathlib import Path

from aventrik.core.embedding import MODELS
from aventrik.corpora.gathering import gather
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.runs.running import Runner
from aventrik.workspace.gathered import GatheredSource
from aventrik.workspace.starter import create

QUESTIONS = 100


def questions(opened: OpenWorkspace) -> None:
    """Writes a test set of shuffled lines."""
    draw, rows = random.Random(1), []
    names = opened.corpus.names()
    for name in draw.sample(names, len(names)):
        text = opened.corpus.document(name).text
        lines = [line for line in map(str.strip, text.split("\n")) if 60 < len(line) < 160 and text.count(line) == 1]
        if lines:
            line = draw.choice(lines)
            needs = [{"fact": line, "spans": [{"doc": name, "quote": line}]}]
            words = " ".join(draw.sample(line.split(), min(9, len(line.split()))))
            rows.append({"id": f"q{len(rows)}", "question": words, "answer": line, "needs": needs})
        if len(rows) == QUESTIONS:
            break
    path = opened.workspace.testset_path("lines")
    path.write_text("".join(json.dumps(row) + "\n" for row in rows), encoding="utf-8")


def timed(folder: Path) -> tuple[float, dict[str, float]]:
    """Seconds of a run, and of its stages of the documents."""
    began = time.perf_counter()
    opened = OpenWorkspace(folder)
    [configuration] = opened.workspace.configurations(["timed"])
    found, _ = opened.questions("lines")
    outcome = Runner(opened).run(configuration, "lines", found)
    return time.perf_counter() - began, outcome.seconds


def main() -> None:
    """Prints the table."""
    if len(sys.argv) < 2:
        sys.exit(__doc__)
    model = sys.argv[2] if len(sys.argv) > 2 else "static"
    method = "keyword" if model == "none" else "both"
    length = int(sys.argv[3]) if len(sys.argv) > 3 else 0
    assert model in ("none", *MODELS) or Path(model).is_dir()
    with tempfile.TemporaryDirectory() as name:
        folder, documents = Path(name) / "w", Path(name) / "documents"
        shutil.copytree(sys.argv[1], documents)
        for path in documents.rglob("*.txt") if length else ():
            path.write_text(path.read_text(encoding="utf-8", errors="replace")[:length], encoding="utf-8")
        create(folder)
        if Path(model).is_dir():
            with (folder / "aventrik.toml").open("a", encoding="utf-8") as file:
                where = json.dumps(str(Path(model).resolve()))
                file.write(f'\n[models.neural]\nkind = "local"\ndoes = "embedding"\npath = {where}\n')
            model = "neural"
        text = f'name = "timed"\n[embedding]\nmodel = "{model}"\n[search]\nmethod = "{method}"\n'
        (folder / "configs" / "timed.toml").write_text(text, encoding="utf-8")
        gather(OpenWorkspace(folder), [GatheredSource(documents)])
        opened = OpenWorkspace(folder)
        questions(opened)
        count, chars = opened.corpus.figures()
        first, stages = timed(folder)
        changed = next(path for path in sorted(documents.rglob("*")) if path.suffix in (".txt", ".md"))
        with changed.open("a", encoding="utf-8") as file:
            file.write("\n\nOne more paragraph that did not stand here before.\n")
        gather(OpenWorkspace(folder), [GatheredSource(documents)])
        second, again = timed(folder)
        print(f"{count:,} documents, {chars:,} characters, embedding {model}")
        print(f"{'stage':<18}{'first':>10}{'again':>10}   seconds")
        for stage in again:
            print(f"{stage:<18}{stages.get(stage, 0):>10.2f}{again[stage]:>10.2f}")
        print(f"{'the whole run':<18}{first:>10.1f}{second:>10.2f}   {second / first:.1%}")


if __name__ == "__main__":
    main()
