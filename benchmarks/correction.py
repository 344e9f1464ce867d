"""How far corrected means can be trusted, by simulation: coverage of the interval, and how many labels a judge saves.

    python benchmarks/correction.py [REPEATS]
    python benchmarks/correction.py CLAIMS.jsonl [REPEATS]    with the built-in judge's own errors on claims by hand

A judge of a given accuracy says 0 or 1 of each question; its confidence tells a little of where it is wrong. "one run
worse" is the difference of two runs, where the judge is right as often as the accuracy says in one and by 0.15 less in
the other. "saved" compares widths with the interval of a share from labels alone, at equal width.

A file of claims has a line for each context: `context` (as a judge gets it) and `claims`, each with `text` and `wanted`
("supported" or not). Questions are then drawn from these claims with repeats.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np

from aventrik.core.comparing.correcting import Corrected, chances_of, corrected, difference, order_of, sizes_of
from aventrik.core.comparing.intervals import wilson
from aventrik.core.protocols import Task
from aventrik.english import OfflineModel

QUESTIONS = (300, 2000)
SHARES = (0.5, 0.8, 0.93)
LABELS = (50, 100, 200)
JUDGES = ((0.6, 0.0), (0.75, 0.1), (0.85, 0.0), (0.85, 0.1), (0.95, 0.0), (0.95, 0.04))


def judged(rng: np.random.Generator, right: np.ndarray, accuracy: float, lean: float) -> tuple[np.ndarray, np.ndarray]:
    """A judge's word and confidence; `lean` makes it kinder."""
    said = np.where(right == 1, rng.random(len(right)) < accuracy + lean, rng.random(len(right)) >= accuracy - lean)
    wrong = said != right
    confidence = np.where(wrong, rng.beta(3, 2.5, len(right)), rng.beta(5, 1.5, len(right))) * 0.5 + 0.5
    return said.astype(float), confidence


def once(rng: np.random.Generator, right: np.ndarray, accuracy: float, lean: float, labels: int) -> Corrected:
    """One judge, one sample, one corrected mean."""
    said, confidence = judged(rng, right, accuracy, lean)
    sizes = sizes_of(1 - confidence)
    first = order_of(sizes, rng.random(len(right)))[:labels]
    given: list[float | None] = [None] * len(right)
    for place in first:
        given[place] = float(right[place])
    return corrected(said, given, chances_of(sizes, labels))


def alone(share: float, labels: int, width: float) -> int:
    """How many labels give an interval of that width without a judge."""
    count = labels
    while (lambda ends: ends[1] - ends[0])(wilson(share * count, count)) > width:
        count += 1
    return count


def on_claims(path: Path, repeats: int) -> None:
    """The same with the judge's own word on claims that people wrote and know the truth of."""
    model = OfflineModel()
    said, truth, doubts = [], [], []
    for row in map(json.loads, path.read_text(encoding="utf-8").splitlines()):
        for claim in row["claims"] if "context" in row else ():
            [reply] = model.perform([Task("verdict", {"claim": claim["text"], "context": row["context"]})])
            assert reply.value is not None
            verdict = reply.value["verdict"]
            said.append({"supported": 1.0, "too far to tell": 0.5}.get(verdict, 0.0))
            truth.append(float(claim["wanted"] == "supported"))
            doubts.append(0.5 if verdict == "too far to tell" else 1 - reply.value["confidence"])
    f, y, d = map(np.array, (said, truth, doubts))
    rng = np.random.default_rng(5)
    print(f"{len(f)} claims, {y.mean():.2f} of them supported; the judge's mean is {f.mean():.2f}")
    for n in (len(f), 4 * len(f)):
        for labels in (50, 100, 200):
            hits, widths = 0, []
            for _ in range(repeats):
                drawn = rng.integers(0, len(f), n)
                sizes = sizes_of(d[drawn])
                given: list[float | None] = [None] * n
                for place in order_of(sizes, rng.random(n))[:labels]:
                    given[place] = float(y[drawn][place])
                found = corrected(f[drawn], given, chances_of(sizes, labels))
                hits += found.low <= y.mean() <= found.high
                widths.append(found.width)
            saved = 1 - labels / alone(float(y.mean()), labels, float(np.mean(widths)))
            print(f"{n:>6} questions, {labels:>3} labels: coverage {hits / repeats:.1%}, labels saved {saved:.0%}")


def main() -> None:
    """Prints the tables."""
    if len(sys.argv) > 1 and not sys.argv[1].isdecimal():
        on_claims(Path(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 1000)
        return
    repeats = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    rng = np.random.default_rng(7)
    low, high = 1.0, 0.0
    print("coverage of the 95 % interval of a mean, in %")
    print(f"{'questions':>9} {'share':>6}  " + "  ".join(f"{a:.2f}{'+' + str(b) if b else ''}" for a, b in JUDGES))
    for n in QUESTIONS:
        for share in SHARES:
            cells = []
            for accuracy, lean in JUDGES:
                row = []
                for labels in LABELS:
                    hits = 0
                    for _ in range(repeats):
                        right = (rng.random(n) < share).astype(float)
                        found = once(rng, right, accuracy, lean, labels)
                        hits += found.low <= share <= found.high
                    row.append(hits / repeats)
                low, high = min(low, *row), max(high, *row)
                cells.append("/".join(f"{100 * each:.0f}" for each in row))
            print(f"{n:>9} {share:>6}  " + "  ".join(cells), flush=True)
    print(f"least {low:.3f}, most {high:.3f}")
    print("\nthe same of the difference of two runs, the judge worse for one of them by 0.15")
    for n in QUESTIONS:
        cells = []
        for accuracy in (0.75, 0.85, 0.95):
            row = []
            for labels in LABELS:
                hits = 0
                for _ in range(repeats):
                    one = (rng.random(n) < 0.8).astype(float)
                    other = np.where(rng.random(n) < 0.7, one, rng.random(n) < 0.7).astype(float)
                    _, least, most = difference(
                        once(rng, one, accuracy, 0, labels), once(rng, other, accuracy - 0.15, 0, labels)
                    )
                    hits += least <= 0.8 - (0.7 * 0.8 + 0.3 * 0.7) <= most
                row.append(f"{100 * hits / repeats:.1f}")
            cells.append(f"{accuracy}: " + "/".join(row))
        print(f"{n:>9}  " + "  ".join(cells), flush=True)
    print("\nlabels that a judge saves at equal width, 2,000 questions")
    for accuracy in (0.6, 0.75, 0.85, 0.95):
        cells = []
        for share in SHARES:
            for labels in LABELS:
                widths = []
                for _ in range(repeats // 4):
                    right = (rng.random(2000) < share).astype(float)
                    found = once(rng, right, accuracy, 0, labels)
                    widths.append(found.width)
                saved = 1 - labels / alone(share, labels, float(np.mean(widths)))
                cells.append(f"{share}/{labels}: {saved:.0%}")
        print(f"  accuracy {accuracy}: " + "  ".join(cells), flush=True)


if __name__ == "__main__":
    main()
