"""How a gate decides, held against worlds in which the truth is known: at the limit itself, and at the number of questions that it
names.

    python benchmarks/gating.py [REPEATS]

Two runs' scores lean on the questions' difficulty; the true drop is exactly what is allowed, none, or twice that. With documents drawn,
each has three or 20 questions, and a twentieth of the variance is the documents'.
"""

from __future__ import annotations

import sys

import numpy as np
from scipy import special

from aventrik.core.comparing.draws import EACH, Draws
from aventrik.core.comparing.gates import held_to_baseline

FIRST = 60


def drawn(
    lot: np.random.Generator, n: int, drop: float, kind: str, lean: float, each: int
) -> tuple[np.ndarray, np.ndarray, Draws]:
    """Scores of a run and of its baseline, whose true means are apart by just so much, and what is drawn."""
    groups = np.arange(n) // each if each else np.zeros(n, dtype=int)
    count = groups[-1] + 1
    part = 0.05 if each else 0.0
    hard = np.sqrt(1 - part) * lot.normal(size=n) + np.sqrt(part) * lot.normal(size=count)[groups]
    both = [
        np.sqrt(lean) * hard
        + np.sqrt(1 - lean) * (np.sqrt(1 - part) * lot.normal(size=n) + np.sqrt(part) * lot.normal(size=count)[groups])
        for _ in range(2)
    ]
    if kind == "share":
        ours, theirs = ((each < special.ndtri(level)).astype(float) for each, level in zip(both, (0.75 - drop, 0.75)))
    else:
        ours, theirs = (scored(each, level) for each, level in zip(both, (0.75 - drop, 0.75)))
    return ours, theirs, Draws(documents=groups) if each else EACH


GRID = special.ndtri((np.arange(4000) + 0.5) / 4000)
LEVELS = np.linspace(-2.5, 2.5, 251)
MEANS = np.array([(np.floor(5 * special.ndtr(level - GRID)).clip(0, 4) / 4).mean() for level in LEVELS])


def scored(hard: np.ndarray, mean: float) -> np.ndarray:
    """Scores in quarters with so great a true mean."""
    return np.floor(5 * special.ndtr(np.interp(mean, MEANS, LEVELS) - hard)).clip(0, 4) / 4


def main(repeats: int) -> None:
    """Prints a row a case."""
    print(
        f"{'kind':<7}{'lean':>5}{'a document':>11}{'limit':>7}{'n':>6} |{'at it: failed':>14}{'passed':>8} |{'named':>7}"
        f"{'no change passed':>18}{'twice failed':>14}{'mean':>7}"
    )
    for kind in ("share", "score"):
        for lean in (0.4, 0.8):
            for each in (0, 3, 20):
                for limit in (0.05, 0.1):
                    lot = np.random.default_rng([repeats, len(kind), int(lean * 10), int(limit * 100), each])
                    for n in (FIRST, 300):
                        states = []
                        for seed in range(repeats):
                            ours, theirs, draws = drawn(lot, n, limit, kind, lean, each)
                            states.append(held_to_baseline(ours, theirs, kind, draws, False, limit, 1, seed).state)
                        at = [states.count(state) / repeats for state in ("failed", "passed")]
                        if n != FIRST:
                            print(
                                f"{kind:<7}{lean:>5}{each:>11}{limit:>7}{n:>6} |{at[0]:>14.3f}{at[1]:>8.3f} |",
                                flush=True,
                            )
                            continue
                        named, passed, failed = [], [], []
                        for seed in range(repeats):
                            ours, theirs, draws = drawn(lot, n, 0.0, kind, lean, each)
                            count = held_to_baseline(ours, theirs, kind, draws, False, limit, 1, seed).enough
                            named.append(count)
                            ours, theirs, draws = drawn(lot, count, 0.0, kind, lean, each)
                            passed.append(
                                held_to_baseline(ours, theirs, kind, draws, False, limit, 1, seed).state == "passed"
                            )
                            ours, theirs, draws = drawn(lot, count, 2 * limit, kind, lean, each)
                            failed.append(
                                held_to_baseline(ours, theirs, kind, draws, False, limit, 1, seed).state == "failed"
                            )
                        both = (np.mean(passed) + np.mean(failed)) / 2
                        print(
                            f"{kind:<7}{lean:>5}{each:>11}{limit:>7}{n:>6} |{at[0]:>14.3f}{at[1]:>8.3f} |{np.median(named):>7.0f}"
                            f"{np.mean(passed):>18.3f}{np.mean(failed):>14.3f}{both:>7.3f}", flush=True,
                        )  # fmt: skip


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 500)
