"""What can be shown on the corpora that people have: a FAQ of one file or of a few, its headings as questions.

    python benchmarks/few_documents.py FOLDER…

Each FOLDER holds documents with headings that ask; these are hidden from what is searched. Eight configurations run on them, and it is
printed how many of their pairs are told apart where one infers to these documents and to documents like these, how much questions of
a document lean on each other in the differences, and what a gate says of the worst one beside the best.
"""

from __future__ import annotations

import argparse
import shutil
import tempfile
from pathlib import Path

import numpy as np

from aventrik import api
from aventrik.core.comparing.draws import Scope
from aventrik.core.comparing.gates import held_to_baseline
from aventrik.core.comparing.leaning import _variances
from aventrik.core.comparing.sides import all_pairs, board
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.kept.sides import sides_of
from aventrik.workspace.starter import create

MEASURES = ("hit@5", "reciprocal-rank", "ndcg@5")
CASES = {
    "40": {"chunking.size": 40, "chunking.overlap": 0}, "120": {"chunking.size": 120, "chunking.overlap": 0},
    "300": {"chunking.size": 300}, "800": {"chunking.size": 800}, "1600": {"chunking.size": 1600},
    "words": {"search.method": "keyword"}, "vectors": {"search.method": "vector"},
    "neighbours": {"chunking.size": 300, "chunking.serve": "neighbours"},
}  # fmt: skip


def runs_of(folder: Path) -> tuple[OpenWorkspace, list]:
    """A workspace with the documents, and a side for each configuration."""
    create(folder / "w")
    shutil.copytree(folder / "documents", folder / "w" / "documents")
    opened = OpenWorkspace(folder / "w")
    api.gather(opened, [opened.folder / "documents"])
    api.draft(opened, "asked", 10_000, from_headings=True)
    names = []
    for name, settings in CASES.items():
        (opened.folder / "configs" / f"c{name}.toml").write_text(told(name, settings), encoding="utf-8")
        names.append(f"c{name}")
    made = api.run(opened, names, "asked", until="served")
    runs = {run.id: run for run in opened.store.runs.all()}
    return opened, [found.side for found in sides_of(opened.store, [runs[each.run] for each in made.outcomes])]


def told(name: str, settings: dict) -> str:
    """A configuration file."""
    lines = [f'name = "c{name}"']
    for table in ("chunking", "search", "embedding"):
        rows = {key.partition(".")[2]: value for key, value in settings.items() if key.startswith(table)}
        if table == "embedding":
            rows["model"] = "static"
        lines.append(f"[{table}]")
        lines += [
            f"{key} = {value if isinstance(value, int) else repr(value).replace(chr(39), chr(34))}"
            for key, value in rows.items()
        ]
    return "\n".join(lines) + "\n"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folders", nargs="+", type=Path)
    options = parser.parse_args()
    print(
        f"{'documents':<24}{'':>6}{'questions':>10}{'measure':>17}{'pairs':>7}{'these':>7}{'like':>6}"
        f"{'median icc':>12}{'most':>7}{'lowest':>8}{'highest':>9}{'  gate, these / like'}"
    )
    for folder in options.folders:
        with tempfile.TemporaryDirectory() as name:
            shutil.copytree(folder, Path(name) / "documents")
            _, sides = runs_of(Path(name))
            for measure in MEASURES:
                scopes = [Scope(), Scope("documents like these")]
                pairs = [all_pairs(sides, measure, 0, scope) for scope in scopes]
                real = [sum(each.real for each in some) for some in pairs]
                like = board(sides, measure, scopes[1])
                gaps = np.array([like.values[a] - like.values[b] for a in range(len(sides)) for b in range(a)])
                gaps = gaps[gaps.any(axis=1)]
                sizes, between, within, freedom, _ = _variances(gaps, like.draws.documents)
                n = sizes.sum(axis=1)
                typical = (n - (sizes**2).sum(axis=1) / n) / np.maximum(freedom, 1)
                icc = np.where(freedom > 0, (between - within) / (between + (typical - 1) * within), np.nan)
                means = like.values.mean(axis=1)
                low, high = int(means.argmin()), int(means.argmax())
                gates = [
                    held_to_baseline(
                        like.values[low], like.values[high], like.kind, board(sides, measure, scope).draws, False, 0.05
                    )
                    for scope in scopes
                ]
                count = len(np.unique(like.draws.documents))
                print(
                    f"{folder.name:<24}{count:>6}{len(like.keys):>10}{measure:>17}{len(pairs[0]):>7}{real[0]:>7}{real[1]:>6}"
                    f"{np.nanmedian(icc) if freedom[0] else np.nan:>12.3f}{np.nanmax(icc) if freedom[0] else np.nan:>7.3f}"
                    f"{means[low]:>8.2f}{means[high]:>9.2f}"
                    f"  {' / '.join(gate.state for gate in gates if gate)}", flush=True,
                )  # fmt: skip


if __name__ == "__main__":
    main()
