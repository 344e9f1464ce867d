"""What is said of the best of many configurations, held against worlds in which the truth is known: the group of those that may be
the best, the chance of being best, the winner's expected mean, and races.

python benchmarks/choosing.py [--worlds N]
"""

from __future__ import annotations

import argparse
from dataclasses import replace
from itertools import product

import numpy as np
from scipy.special import ndtr, ndtri

from aventrik.core.comparing.draws import EACH, Draws
from aventrik.core.comparing.errors_of_means import covariance_of
from aventrik.core.comparing.leading import ALPHA, adjusted_means, standing
from aventrik.core.comparing.orders import effects
from aventrik.core.comparing.posterior import posterior
from aventrik.core.comparing.racing import go_on, looks
from aventrik.core.comparing.sides import Side, board, contrasts
from aventrik.questions.likeness import SAFE
from aventrik.results.best import leading

TRUTH = {
    "all equal": lambda lot, count: np.full(count, 0.7),
    "evenly apart": lambda lot, count: np.linspace(0.5, 0.75, count),
    "one better": lambda lot, count: np.where(np.arange(count) == 0, 0.75, 0.65),
    "normal": lambda lot, count: np.clip(lot.normal(0.65, 0.05, count), 0.1, 0.95),
}
SPREAD = {
    "normal, 0.65 ± 0.1": lambda lot, count: np.clip(lot.normal(0.65, 0.1, count), 0.1, 0.95),
    "normal, 0.6 ± 0.15": lambda lot, count: np.clip(lot.normal(0.6, 0.15, count), 0.05, 0.95),
    "even, 0.3 to 0.8": lambda lot, count: np.linspace(0.3, 0.8, count),
    "a third near the top": lambda lot, count: np.repeat(
        [0.8, 0.75, 0.7, 0.6, 0.5], [count // 10, count // 5, 3 * count // 10, count // 5, count // 5]
    ),
}
ZONE = 0.03


def world(
    lot: np.random.Generator,
    truth: np.ndarray,
    questions: int,
    kind: str = "hits",
    alike: float = 0.6,
    documents: int = 0,
) -> np.ndarray:
    """Scores of configurations with true hit rates, on questions whose difficulty they share; or reciprocal ranks; with
    `documents`, a twentieth of the variance is these documents'."""
    shared, apart = lot.normal(size=questions), lot.normal(size=(len(truth), questions))
    if documents:
        docs = np.arange(questions) % documents
        shared = np.sqrt(0.95) * shared + np.sqrt(0.05) * lot.normal(size=documents)[docs]
        apart = np.sqrt(0.95) * apart + np.sqrt(0.05) * lot.normal(size=(len(truth), documents))[:, docs]
    ease = shared * np.sqrt(alike) + apart * np.sqrt(1 - alike)
    if kind == "hits":
        return (ease < ndtri(truth)[:, None]).astype(float)
    rank = np.floor(1 / np.maximum(ndtr(ndtri(truth)[:, None] - ease), 1e-6) ** 0.7)
    return np.where(rank <= 10, 1 / np.maximum(rank, 1), 0)


def groups(worlds: int) -> None:
    print(f"{'the group that may be the best':<50}{'holds one best':>15}{'members':>9}{'contradicts':>13}")
    for kind in ("hits", "reciprocal ranks"):
        for count, questions, documents in ((2, 30, 0), (8, 100, 0), (8, 100, 5), (40, 300, 0), (40, 300, 9)):
            for name, made in TRUTH.items():
                lot = np.random.default_rng(1)
                one, size, against = 0, 0, 0
                for seed in range(worlds):
                    truth = made(lot, count)
                    values = world(lot, truth, questions, kind, documents=documents)
                    group, contradicts = grouped(values, kind, documents, seed)
                    one += bool(group & set(np.flatnonzero(truth == truth.max()).tolist()))
                    size += len(group)
                    against += contradicts
                told = f"{kind}, {count} x {questions}, {f'{documents} drawn, ' if documents else ''}{name}"
                print(f"{told:<50}{one / worlds:>15.3f}{size / worlds:>9.1f}{against:>13}", flush=True)


def grouped(values: np.ndarray, kind: str, documents: int, seed: int) -> tuple[set[int], int]:
    """The group, and how many verdicts contradict it or their own interval."""
    name = "hit@5" if kind == "hits" else "reciprocal-rank"
    keys = [str(place) for place in range(values.shape[1])]
    sides = [
        Side(str(row), {}, {key: {name: float(value)} for key, value in zip(keys, each)})
        for row, each in enumerate(values)
    ]
    scored = board(sides, name)
    if documents:
        scored = replace(scored, draws=Draws(documents=np.arange(values.shape[1]) % documents))
        found = leading(scored, range(len(values)), [], seed)
        return set(found.group), 0
    told = contrasts(sides, 0, name, seed, power=())
    found = leading(scored, range(len(values)), [], seed, told)
    group, wrong = set(found.group), 0
    beaten = {each.place if each.difference.mean < 0 else 0 for each in told if each.real}
    for each in told:
        outside = each.difference.low > 0 or each.difference.high < 0
        wrong += outside and not each.real
        wrong += each.real and each.difference.low < 0 < each.difference.high
        worse = each.place if each.difference.mean < 0 else 0
        wrong += each.real and worse in group and worse != found.best
        wrong += not each.real and found.best in (0, each.place) and not {0, each.place} - beaten <= group
    return group, wrong


def believed(worlds: int) -> None:
    """Whether what is said with x % is so in x %."""
    print(
        f"\n{'chance of being best, said and true':<46}"
        + "".join(f"{f'{a:.0%}-{a + 0.2:.0%}':>14}" for a in np.arange(0, 1, 0.2))
        + f"{'expected - true':>17}{'covers':>8}{'naive':>8}"
    )
    for kind, (count, questions), spread, documents in product(
        ("hits", "reciprocal ranks"), ((2, 60), (8, 100), (40, 300)), (0.02, 0.05, 0.1), (0, 12)
    ):
        if documents and kind != "hits":
            continue
        lot = np.random.default_rng(3)
        said, true, off, covered, naive = [], [], [], [], []
        grid = np.linspace(0.02, 0.98, 97)
        means = (
            grid
            if kind == "hits"
            else np.array([world(np.random.default_rng(9), np.full(1, p), 400000, kind).mean() for p in grid])
        )
        for seed in range(worlds):
            truth = np.clip(lot.normal(0.65, spread, count), 0.05, 0.95)
            values = world(lot, truth, questions, kind, documents=documents)
            real = np.interp(truth, grid, means)
            draws = Draws(documents=np.arange(questions) % documents) if documents else EACH
            seen = adjusted_means(values)
            made = posterior(seen, covariance_of(values, draws), seed, questions)
            chance = made.chances()
            said.extend(chance)
            true.extend(truth == truth.max())
            best = int(seen.argmax())
            expected, low, high = made.mean(best)
            off.append(expected - real[best])
            naive.append(seen[best] - real[best])
            covered.append(low <= real[best] <= high)
        said, true = np.array(said), np.array(true)
        cells = ""
        for edge in np.arange(0, 1, 0.2):
            inside = (said >= edge) & (said < edge + 0.2 + 1e-9)
            cells += f"{said[inside].mean():>8.2f} {true[inside].mean():.2f} " if inside.sum() >= 20 else f"{'–':>13} "
        told = f"{kind}, {count} x {questions}, ± {spread}{f', {documents} drawn' if documents else ''}"
        print(f"{told:<46}{cells}{np.mean(off):>17.4f}{np.mean(covered):>8.3f}{np.mean(naive):>8.4f}", flush=True)


def two_sets(worlds: int) -> None:
    """The agreement of two test sets: whether the correlation's interval holds it, and whether a worse pick is as likely as is said."""
    print(
        f"\n{'two sets, correlation of true means':<46}{'covers':>8}{'median':>8}{'worse pick: said':>18}{'true':>7}"
        f"{'by lot':>8}{'decides: share':>16}{'wrong':>7}"
    )
    for count, ours, theirs, spread, rho in product((4, 10), (100,), (60, 200), (0.03, 0.08), (-0.5, 0.0, 0.7, 0.95)):
        lot = np.random.default_rng([count, theirs, int(spread * 100), int(100 + rho * 100)])
        covered, found, said, true, by_lot, decided, wrong = 0, [], [], [], [], 0, 0
        for seed in range(worlds):
            both = lot.normal(size=(2, count))
            both[1] = rho * both[0] + np.sqrt(1 - rho**2) * both[1]
            truths = np.clip(0.65 + spread * both, 0.05, 0.95)
            values = [world(lot, truth, size) for truth, size in zip(truths, (ours, theirs))]
            made = effects(
                [each.mean(axis=1) for each in values],
                [covariance_of(each, EACH) + np.eye(count) / each.shape[1] ** 2 for each in values],
                seed,
            )
            covered += made.low <= rho <= made.high
            found.append(made.correlation)
            picked = int(values[0].mean(axis=1).argmax())
            worse = truths[1].max() - truths[1][picked] > 0.05
            said.append(made.worse)
            by_lot.append(made.by_lot)
            true.append(worse)
            if made.worse <= SAFE < made.by_lot:
                decided += 1
                wrong += worse
        told = f"{count} runs, {ours} and {theirs} questions, ± {spread}, {rho:+}"
        print(
            f"{told:<46}{covered / worlds:>8.3f}{np.median(found):>8.2f}{np.mean(said):>18.3f}{np.mean(true):>7.3f}{np.mean(by_lot):>8.3f}"
            f"{decided / worlds:>16.3f}{wrong / max(1, decided):>7.3f}", flush=True,
        )  # fmt: skip


def races(worlds: int) -> None:
    print(
        f"\n{'race of 100, 300 questions':<52}{'in the group':>13}{'results':>9}{'most':>7}{'worse by':>9}{'> zone':>8}"
    )
    schedule = looks(300)
    for name, made in SPREAD.items():
        for zone in (0.0, ZONE):
            lot = np.random.default_rng(5)
            inside, shares, behind = 0, [], []
            for seed in range(worlds):
                truth = made(lot, 100)
                values = world(lot, truth, 300)
                left, used, done = np.arange(100), 0, 0
                for look, count in enumerate(schedule[:-1]):
                    used, done = used + len(left) * (count - done), count
                    left = left[go_on(values[left][:, :count], EACH, look, schedule, seed, zone=zone)]
                    if len(left) == 1:
                        break
                used += len(left) * (300 - done)
                shares.append(used / (100 * 300))
                chosen = left[values[left].mean(axis=1).argmax()]
                inside += standing(values, EACH, seed)[chosen] >= ALPHA
                behind.append(truth.max() - truth[chosen])
            told = f"{name}, indifferent within {zone}"
            print(
                f"{told:<52}{inside / worlds:>13.3f}{np.mean(shares):>9.2f}{max(shares):>7.2f}{np.mean(behind):>9.3f}"
                f"{np.mean(np.array(behind) > max(zone, 0.0) + 0.02):>8.3f}", flush=True,
            )  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--worlds", type=int, default=500)
    parser.add_argument("--parts", default="groups,believed,sets,races")
    options = parser.parse_args()
    parts = options.parts.split(",")
    if "groups" in parts:
        groups(options.worlds)
    if "believed" in parts:
        believed(options.worlds)
    if "sets" in parts:
        two_sets(options.worlds)
    if "races" in parts:
        races(min(options.worlds, 80))


if __name__ == "__main__":
    main()
