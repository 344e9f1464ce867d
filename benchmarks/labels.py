"""Suggested labels on five kinds of real documentation: right at a confidence of 0.9, and the calibration error.

apt-get install postgresql-doc-15 git-doc python3.11-doc valgrind debian-policy debian-faq
python benchmarks/labels.py
"""

from __future__ import annotations

import random
import sys
from pathlib import Path

import numpy as np

from aventrik.core.errors import Unreadable
from aventrik.core.reading import read
from aventrik.core.vetting.labelling import calibration_error, suggest

KINDS = {
    "database": ["/usr/share/doc/postgresql-doc-15/html"],
    "version control": ["/usr/share/doc/git/html", "/usr/share/doc/git"],
    "language": ["/usr/share/doc/python3.11/html/library", "/usr/share/doc/python3.11/html"],
    "memory checker": ["/usr/share/doc/valgrind/html"],
    "distribution": ["/usr/share/doc/debian-policy", "/usr/share/doc/debian/FAQ"],
}
EACH = 60
GIVEN = 5


def main() -> None:
    """One table: a row a draw of the labelled documents."""
    names, texts, truth = [], [], []
    for kind, folders in KINDS.items():
        count = 0
        for path in sorted(p for folder in folders for p in Path(folder).rglob("*.html") if not p.is_symlink()):
            try:
                text = read(path.name, path.read_bytes()).text if count < EACH else ""
            except (Unreadable, OSError, RecursionError):
                continue
            if len(text) > 800:
                names.append(str(path))
                texts.append(text)
                truth.append(kind)
                count += 1
        if count < 2 * GIVEN:
            sys.exit(f"only {count} documents of the kind '{kind}' on this machine; see the top of this file")
    print(f"{len(names)} documents of {len(KINDS)} kinds, {GIVEN} labelled of each")
    print(f"{'draw':>5}{'right':>8}{'sure ≥ 0.9':>12}{'right of these':>16}{'calibration error':>19}{'as told':>9}")
    for seed in range(5):
        draw = random.Random(seed)
        given = {}
        for kind in KINDS:
            for place in draw.sample([n for n, label in enumerate(truth) if label == kind], GIVEN):
                given[names[place]] = kind
        found = suggest(names, texts, given)
        label_of = dict(zip(names, truth, strict=True))
        right = np.array([each.label == label_of[each.document] for each in found.suggestions])
        sure = np.array([each.confidence for each in found.suggestions])
        chances = np.stack([sure, 1 - sure], axis=1)
        error = calibration_error(np.where(chances[:, :1] >= 0.5, chances, chances[:, ::-1]), (~right).astype(int))
        top = sure >= 0.9
        print(
            f"{seed:>5}{right.mean():>8.3f}{top.mean():>12.2f}{right[top].mean() if top.any() else float('nan'):>16.3f}"
            f"{error:>19.3f}{found.error:>9.3f}"
        )


if __name__ == "__main__":
    main()
