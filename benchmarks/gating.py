"""How often a gate stops a run that is no worse, and one that is worse by twice the margin: simulated test sets.

A world has questions of some difficulty, three to a document, and two runs whose scores lean on it. The gate first sees
60 questions and names how many would decide, and new test sets of that size are drawn: without a change, and with a drop of
twice the margin (of one of its limits). `python benchmarks/gating.py [repeats]`
"""

from __future__ import annotations

import sys

import numpy as np
from scipy import special

from aventrik.core.comparing.gates import held_to_baseline

MARGINS = (0.03, 0.05, 0.1)
LIMITS = 5  # of one gate, on measures that lean on each other
FIRST = 60


def drawn(lot: np.random.Generator, n: int, drop: float, kind: str, limits: int, lean: float) -> tuple[np.ndarray, ...]:
    """Scores of a run and its baseline of shape (limits, questions), and the document of each question."""
    groups = np.arange(n) // 3
    hard = lot.normal(size=n) + 0.5 * lot.normal(size=groups[-1] + 1)[groups]
    noise = 1.0 - lean
    shared = lot.normal(size=(limits, n))
    ours, theirs = (hard + shared * lean + noise * lot.normal(size=(limits, n)) for _ in range(2))
    if kind == "share":
        spread = np.sqrt(1.25 + lean**2 + noise**2)
        level = spread * special.ndtri(0.75)
        lower = spread * special.ndtri(0.75 - drop)
        return (ours < lower).astype(float), (theirs < level).astype(float), groups
    ours, theirs = (np.clip(0.75 - 0.15 * each, 0, 1) for each in (ours, theirs))
    if drop:  # a part of the questions loses its score, so that the mean falls by just that
        lost = lot.random(ours.shape) < drop / max(1e-9, float(ours.mean()))
        ours = np.where(lost, 0.0, ours)
    return ours, theirs, groups


def states(lot: np.random.Generator, n: int, drop: float, margin: float, kind: str, limits: int, lean: float) -> list:
    ours, theirs, groups = drawn(lot, n, drop, kind, limits, lean)
    return [
        held_to_baseline(ours[row], theirs[row], kind, groups, False, margin, limits, int(lot.integers(1 << 30)))
        for row in range(limits)
    ]


def main(repeats: int) -> None:
    """Prints a row a case."""
    print(
        "kind   lean margin limits | of no change, 60 questions: failed | named  passed of no change  stopped of 2 x margin"
    )
    for kind in ("share", "score"):
        for lean, limits in ((0.0, 1), (0.7, 1), (0.7, LIMITS)):
            for margin in MARGINS:
                lot = np.random.default_rng([repeats, len(kind), int(lean * 10), int(margin * 100), limits])
                case = (margin, kind, limits, lean)
                false = [_failed(states(lot, FIRST, 0.0, *case)) for _ in range(repeats)]
                named, passed, stopped = [], [], []
                for _ in range(repeats):
                    named.append(max(states(lot, FIRST, 0.0, *case)[0].enough or 0, 12))
                    passed.append(states(lot, named[-1], 0.0, margin, kind, 1, lean)[0].state == "passed")
                    stopped.append(_failed(states(lot, named[-1], 2 * margin, *case)[:1]))
                print(
                    f"{kind:6} {lean:4.1f} {margin:6.2f} {limits:6} | {np.mean(false):35.1%} | {np.median(named):5,.0f} "
                    f"{np.mean(passed):20.1%} {np.mean(stopped):22.1%}",
                    flush=True,
                )


def _failed(held: list) -> bool:
    return any(each.state == "failed" for each in held)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 400)
