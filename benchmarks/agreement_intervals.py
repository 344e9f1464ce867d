"""How often the intervals of agreement and of kappa hold the truth: simulated verdicts of a judge and of people.

    python benchmarks/agreement_intervals.py [REPEATS]

Claims come in answers, which are easy or hard for the judge together; the truth is what as many as one likes would come to.
"""

from __future__ import annotations

import sys

import numpy as np
from scipy import special

from aventrik.core.judging.agreement import Pair, agreement

CASES = (
    (2, 20, 1, 0.0, 0.97), (2, 20, 1, 0.0, 0.85), (2, 20, 1, 0.0, 0.7), (2, 100, 1, 0.0, 0.9), (3, 20, 1, 0.0, 0.9),
    (3, 60, 1, 0.0, 0.8), (2, 20, 6, 0.3, 0.9), (2, 20, 6, 0.3, 0.75), (3, 20, 6, 0.3, 0.8), (2, 20, 6, 0.0, 0.8),
    (2, 50, 4, 0.15, 0.85), (2, 10, 5, 0.2, 0.8),
)  # fmt: skip


def main(repeats: int) -> None:
    """Prints a row a case."""
    columns = (
        "answers",
        "claims",
        "icc",
        "right",
        "classes",
        "agreement covers",
        "kappa covers",
        "kappa, median interval",
    )
    print("".join(f"{name:>{max(8, len(name) + 2)}}" for name in columns))
    for classes, answers, claims, icc, right in CASES:
        lot = np.random.default_rng([answers, claims, int(100 * right), classes])
        shares = np.array([0.65, 0.35]) if classes == 2 else np.array([0.6, 0.25, 0.15])
        # of a wrong verdict each other class is as likely
        judged = shares * right + (1 - right) * (1 - shares) / (classes - 1)
        chance = float(shares @ judged)
        kappa = (right - chance) / (1 - chance)
        held, kappas, known, ends = 0, 0, 0, []
        for _ in range(repeats):
            people = lot.choice(classes, size=(answers, claims), p=shares)
            ease = np.sqrt(icc) * lot.normal(size=(answers, 1)) + np.sqrt(1 - icc) * lot.normal(size=(answers, claims))
            wrong = ease > special.ndtri(right)
            said = np.where(wrong, (people + lot.integers(1, classes, size=people.shape)) % classes, people)
            made = agreement(
                [
                    Pair(f"c{said[a, c]}", f"c{people[a, c]}", cluster=f"a{a}")
                    for a in range(answers) for c in range(claims)
                ]
            )  # fmt: skip
            held += made.low <= right <= made.high
            if made.kappa.low is not None:
                known += 1
                kappas += made.kappa.low <= kappa <= made.kappa.high
                ends.append((made.kappa.low, made.kappa.high))
        low, high = np.median(ends, axis=0)
        print(
            f"{answers:>9}{claims:>8}{icc:>8}{right:>8}{classes:>9}{held / repeats:>18.3f}{kappas / known:>14.3f}"
            f"{f'{kappa:.2f} in [{low:.2f} {high:.2f}]':>24}", flush=True,
        )  # fmt: skip


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 500)
