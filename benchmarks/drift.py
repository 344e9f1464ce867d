"""How well drift is told: 40 questions, each with a rewrite that keeps its meaning and one that has drifted to something
else of the same name. Prints the AUROC of the likeness, with each embedding model and each way of searching.

`python benchmarks/drift.py [FOLDER [FILE]]`: on the demo's documents, or on a workspace of your own with a file of lines
{"question", "faithful", "drifted"}.
"""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

from sklearn.metrics import roc_auc_score

from aventrik.core.rewriting import Queries
from aventrik.corpora.gathering import gather
from aventrik.demo.layout import lay_out
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.workspace.configuration import Configuration
from aventrik.workspace.gathered import GatheredSource


def likes(opened: OpenWorkspace, rows: list[dict[str, str]], method: str, model: str) -> list[list[float]]:
    """The likeness of the faithful and of the drifted rewrite of each row."""
    content = {
        "name": "d", "embedding": {"model": model}, "search": {"method": method}, "answering": {"model": "none"},
        "rewriting": [{"method": "keywords"}],
    }  # fmt: skip
    place = opened.place(Configuration.model_validate(content), "candidates")
    queries = [Queries((row["question"], row["faithful"], row["drifted"])) for row in rows]
    inputs: dict[str, list] = {"queries": queries}
    for name in (
        "query vectors",
        "keyword hits",
        "vector hits",
        "drift",
    ):  # with these rewrites in the place of its own
        if name in place.nodes:
            inputs[name] = place.of_questions(
                place.nodes[name], {each: inputs[each] for each in place.nodes[name].inputs if each in inputs}
            )
    return [[each.likeness for each in drift.rewrites] for drift in inputs["drift"]]


def main(folder: Path | None, file: Path) -> None:
    """Prints a row a way of searching."""
    place = Path(tempfile.mkdtemp())
    if folder is None:
        lay_out(place / "demo")
        folder = place / "demo"
        gather(OpenWorkspace(folder), [GatheredSource(folder / "documents")])
    rows = [json.loads(line) for line in file.read_text(encoding="utf-8").splitlines()]
    print(f"{len(rows)} questions\nsearch   model    AUROC  pairs told apart  lowest faithful  highest drifted")
    for method, model in (
        ("keyword", "none"),
        ("vector", "lsa"),
        ("both", "lsa"),
        ("vector", "static"),
        ("both", "static"),
    ):
        opened = OpenWorkspace(folder)
        found = likes(opened, rows, method, model)
        scores = [value for pair in found for value in pair]
        auroc = roc_auc_score([1, 0] * len(found), scores)
        told = sum(one > other for one, other in found)
        print(
            f"{method:8} {model:7} {auroc:6.3f} {told:9} of {len(found)} {min(one for one, _ in found):16.2f} "
            f"{max(other for _, other in found):16.2f}"
        )


if __name__ == "__main__":
    given = sys.argv[1:]
    main(
        Path(given[0]) if given else None,
        Path(given[1]) if len(given) > 1 else Path(__file__).parent / "data/drift.jsonl",
    )
