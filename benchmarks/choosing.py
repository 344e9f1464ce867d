"""What is said of the best of many configurations, held against worlds in which the truth is known: the model confidence set, the
winner's corrected mean, and races.

python benchmarks/choosing.py [--worlds N]
"""

from __future__ import annotations

import argparse

import numpy as np
from scipy.special import ndtr, ndtri

from aventrik.core.comparing.leading import corrected_mean, model_confidence_set
from aventrik.core.comparing.racing import go_on, looks

TRUTH = {
    "all equal": lambda lot, count: np.full(count, 0.7),
    "evenly apart": lambda lot, count: np.linspace(0.5, 0.75, count),
    "one better": lambda lot, count: np.where(np.arange(count) == 0, 0.75, 0.65),
}
SPREAD = {
    "normal, 0.65 ± 0.1": lambda lot, count: np.clip(lot.normal(0.65, 0.1, count), 0.1, 0.95),
    "normal, 0.6 ± 0.15": lambda lot, count: np.clip(lot.normal(0.6, 0.15, count), 0.05, 0.95),
    "even, 0.3 to 0.8": lambda lot, count: np.linspace(0.3, 0.8, count),
    "a third near the top": lambda lot, count: np.repeat(
        [0.8, 0.75, 0.7, 0.6, 0.5], [count // 10, count // 5, 3 * count // 10, count // 5, count // 5]
    ),
}


def world(
    lot: np.random.Generator, truth: np.ndarray, questions: int, kind: str = "hits", alike: float = 0.6
) -> np.ndarray:
    """Scores of configurations with true hit rates, on questions whose difficulty they share; or reciprocal ranks."""
    ease = lot.normal(size=questions) * np.sqrt(alike) + lot.normal(size=(len(truth), questions)) * np.sqrt(1 - alike)
    if kind == "hits":
        return (ease < ndtri(truth)[:, None]).astype(float)
    rank = np.floor(1 / np.maximum(ndtr(ndtri(truth)[:, None] - ease), 1e-6) ** 0.7)
    return np.where(rank <= 10, 1 / np.maximum(rank, 1), 0)


def confidence_sets(worlds: int) -> None:
    print(f"{'model confidence set':<34}{'holds one best':>15}{'all best':>10}{'size':>8}")
    for kind in ("hits", "reciprocal ranks"):
        for count, questions in ((2, 30), (10, 30), (10, 150), (40, 300)):
            for name, made in TRUTH.items():
                lot = np.random.default_rng(1)
                one, every, size = 0, 0, 0
                for seed in range(worlds):
                    truth = made(lot, count)
                    p = model_confidence_set(world(lot, truth, questions, kind), None, seed)
                    best = p[truth == truth.max()]
                    one, every, size = (
                        one + (best.max() >= 0.05),
                        every + bool((best >= 0.05).all()),
                        size + int((p >= 0.05).sum()),
                    )
                told = f"{kind}, {count} x {questions}, {name}"
                print(f"{told:<46}{one / worlds:>8.3f}{every / worlds:>8.3f}{size / worlds:>8.1f}")


def winners(worlds: int) -> None:
    print(f"\n{'mean of the winner less its true mean':<46}{'naive':>9}{'corrected':>11}{'± 2 se':>8}{'held':>7}")
    cases = (("100 equal x 300", np.full(100, 0.7), 300), ("100 evenly apart x 200", np.linspace(0.5, 0.75, 100), 200),
             ("20, one better by 0.1, x 200", np.array([0.8] + [0.7] * 19), 200), ("5 equal x 200", np.full(5, 0.7), 200))  # fmt: skip
    for name, truth, questions in cases:
        lot = np.random.default_rng(3)
        naive, corrected, held = [], [], 0
        for seed in range(worlds):
            values = world(lot, truth, questions)
            true = truth[values.mean(axis=1).argmax()]
            found = corrected_mean(values, None, seed)
            naive.append(found.mean - true)
            corrected.append(found.corrected - true)
            held += found.low <= true <= found.high
        error = 2 * np.std(corrected) / np.sqrt(worlds)
        print(f"{name:<46}{np.mean(naive):>9.4f}{np.mean(corrected):>11.4f}{error:>8.4f}{held / worlds:>7.3f}")


def races(worlds: int) -> None:
    print(f"\n{'race of 100, 300 questions':<46}{'in the group':>13}{'results':>9}{'most':>7}{'worse by':>9}")
    schedule = looks(300)
    for name, made in SPREAD.items():
        for alike in (0.6, 0.8):
            lot = np.random.default_rng(5)
            inside, shares, behind = 0, [], []
            for seed in range(worlds):
                truth = made(lot, 100)
                values = world(lot, truth, 300, alike=alike)
                left, used, done = np.arange(100), 0, 0
                for look, count in enumerate(schedule[:-1]):
                    used, done = used + len(left) * (count - done), count
                    left = left[go_on(values[left][:, :count], None, look, schedule, seed)]
                    if len(left) == 1:
                        break
                used += len(left) * (300 - done)
                shares.append(used / (100 * 300))
                chosen = left[values[left].mean(axis=1).argmax()]
                inside += model_confidence_set(values, None, seed)[chosen] >= 0.05
                behind.append(truth.max() - truth[chosen])
            told = f"{name}, questions alike {alike}"
            print(
                f"{told:<46}{inside / worlds:>13.3f}{np.mean(shares):>9.2f}{max(shares):>7.2f}{np.mean(behind):>9.3f}"
            )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--worlds", type=int, default=200)
    options = parser.parse_args()
    confidence_sets(options.worlds)
    winners(options.worlds)
    races(min(options.worlds, 80))


if __name__ == "__main__":
    main()
