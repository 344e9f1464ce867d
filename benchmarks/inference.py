"""What is said of differences, held against worlds in which the truth is known: coverage, false positives, power.

    python benchmarks/inference.py [--worlds N] [--population these|like] [--kinds hits,ranks] [--documents 1,5] [--icc 0,0.1]
        [--runs 2,8]

A world has documents, questions about them, and runs. What a run makes of a question is a normal figure: the run's quality, the
question's ease, the document's, what this run makes of this document, and chance; `icc` is the documents' part of the variance of
ease and of chance. Scores are made of it: hits, reciprocal ranks, nDCG, or the share of claims that are supported, of which a
third of the answers are absent. With *these* the documents stay and true means are those over their questions; with *like* they are
drawn anew too. Some runs are near twins of others.
"""

from __future__ import annotations

import argparse
import warnings
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import product

import numpy as np
from scipy import special, stats

from aventrik.core.comparing.differences import paired_differences
from aventrik.core.comparing.draws import Draws
from aventrik.core.comparing.leaning import leaning
from aventrik.core.comparing.power import reach_of
from aventrik.core.comparing.simultaneous import together

GRID = special.ndtri((np.arange(1500) + 0.5) / 1500)
SIZES = {
    1: [60],
    2: [30, 30],
    5: [20] * 5,
    9: [33] * 9,
    12: [40, 20, 12, 8, 6, 5, 4, 3, 2, 2, 1, 1],
    34: [2] * 22 + [1] * 12,
    100: [3] * 100,
}
KIND = {"hits": "share", "ranks": "score", "ndcg": "score", "groundedness": "score"}
ALIKE = 0.6  # part of the variance that all runs share


def scored(kind: str, z: np.ndarray) -> np.ndarray:
    """Scores of what runs make of questions."""
    if kind == "hits":
        return (z > 0).astype(float)
    if kind == "groundedness":
        return np.floor(5 * special.ndtr(z + 0.8)).clip(0, 4) / 4
    rank = np.floor(1 + 2 * np.exp(-1.2 * z))
    value = 1 / rank if kind == "ranks" else 1 / np.log2(1 + rank)
    return np.where(rank <= 10, value, 0.0)


@dataclass
class World:
    values: np.ndarray  # (runs, questions), NaN for absent
    documents: np.ndarray
    truth: np.ndarray  # of each run


def expected(kind: str, centre: np.ndarray, spread: float) -> np.ndarray:
    """The mean score about each centre."""
    return scored(kind, centre[..., None] + spread * GRID).mean(axis=-1)


def drawn(
    lot: np.random.Generator,
    kind: str,
    documents: int,
    icc: float,
    quality: np.ndarray,
    fixed: bool,
    twins: bool = True,
) -> World:
    """A world; with `fixed`, qualities are moved so that the runs' true means over these documents are what they would be over
    all."""
    runs, sizes = len(quality), np.array(SIZES[documents])
    total = sizes.sum()
    own = 1 - ALIKE
    shared = lot.normal(size=documents) * np.sqrt(ALIKE * icc)
    apart = lot.normal(size=(runs, documents)) * np.sqrt(own * icc)
    if twins:
        for run in range(2, runs, 3):
            apart[run] = apart[run - 1]
    inside = np.sqrt((1 - icc) * (ALIKE + own))
    whole = expected(kind, quality[:, None], 1.0)[:, 0]
    if fixed:
        weights = sizes / total
        moved = quality.copy()
        for _ in range(12):  # Newton's steps with a slope by differences
            now = expected(kind, moved[:, None] + shared + apart, inside) @ weights
            slope = (expected(kind, moved[:, None] + 0.1 + shared + apart, inside) @ weights - now) / 0.1
            moved = moved + (whole - now) / np.maximum(slope, 0.02)
        quality = moved
        truth = expected(kind, quality[:, None] + shared + apart, inside) @ weights
        docs = lot.choice(documents, size=total, p=weights)
    else:
        truth, docs = whole, np.repeat(np.arange(documents), sizes)
    ease = lot.normal(size=total) * np.sqrt(ALIKE * (1 - icc))
    chance = lot.normal(size=(runs, total)) * np.sqrt(own * (1 - icc))
    if twins:
        for run in range(2, runs, 3):
            same = lot.random(total) < 0.9
            chance[run, same] = chance[run - 1, same]
    values = scored(kind, quality[:, None] + (shared + apart)[:, docs] + ease + chance)
    if kind == "groundedness":
        values[(0.7 * lot.normal(size=total) + 0.7 * lot.normal(size=(runs, total))) > 0.5] = np.nan
    return World(values, docs, truth)


def qualities(kind: str, runs: int, level: float, better: float) -> np.ndarray:
    """Runs of which the last has a mean that is better by so much than that of the others."""
    grid = np.linspace(-3, 3, 601)
    means = expected(kind, grid[:, None], 1.0)[:, 0]
    found = np.full(runs, float(np.interp(level, means, grid)))
    found[-1] = float(np.interp(level + better, means, grid))
    return found


def beside(options: argparse.Namespace, like: bool) -> None:
    """False positives and power beside what others do: Holm over McNemar's mid-p or paired t tests; where documents are drawn, t tests of
    documents' means, and a mixed model with a random mean of each document (statsmodels), both by Holm."""
    from statsmodels.regression.mixed_linear_model import MixedLM

    print(
        f"{'kind':<8}{'documents':>10}{'icc':>6}{'runs':>6} | {'here':^15} | {'by question':^15} | "
        f"{'documents, t':^15} | {'mixed model':^15}   (false / power)"
    )
    for kind, documents, icc, runs in cells(options):
        lot = np.random.default_rng([options.seed, documents, int(icc * 100), runs, len(kind)])
        better = min(0.25, 1.9 / np.sqrt(sum(SIZES[documents])))
        found = {name: ([], []) for name in ("here", "question", "documents", "mixed")}
        for seed in range(options.worlds):
            world = drawn(lot, kind, documents, icc, qualities(kind, runs, 0.6, better), not like)
            gaps = world.values[1:] - world.values[0]
            none = np.abs(world.truth[1:] - world.truth[0]) < 1e-3
            none[-1] = False
            docs = np.unique(world.documents, return_inverse=True)[1]
            p = {"here": together(gaps, KIND[kind], None, leaning(gaps, draws_of(world, like), world.values), seed).p}
            if kind == "hits":
                better_, worse = (gaps > 0).sum(axis=1), (gaps < 0).sum(axis=1)
                few = np.minimum(better_, worse)
                tail = stats.binom.cdf(few, better_ + worse, 0.5) - 0.5 * stats.binom.pmf(few, better_ + worse, 0.5)
                p["question"] = holm(np.minimum(1, 2 * tail))
            else:
                p["question"] = holm(np.nan_to_num(stats.ttest_1samp(gaps, 0, axis=1).pvalue, nan=1.0))
            if like and docs.max() > 0:
                means = np.array([[row[docs == each].mean() for each in range(docs.max() + 1)] for row in gaps])
                p["documents"] = holm(np.nan_to_num(stats.ttest_1samp(means, 0, axis=1).pvalue, nan=1.0))
                if options.mixed:
                    p["mixed"] = holm(np.array([fitted(MixedLM, row, docs) for row in gaps]))
            for name, values in p.items():
                found[name][0].append(bool((values[none] < 0.05).any()))
                found[name][1].append(values[-1] < 0.05)
        told = " | ".join(f"{np.mean(a):>6.3f} / {np.mean(b):<6.3f}" if a else f"{'':15}" for a, b in found.values())
        print(f"{kind:<8}{documents:>10}{icc:>6}{runs:>6} | {told}", flush=True)


def fitted(model: type, values: np.ndarray, documents: np.ndarray) -> float:
    """The p-value of the mean in a mixed model."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            return float(
                np.nan_to_num(model(values, np.ones((len(values), 1)), documents).fit(reml=True).pvalues[0], nan=1.0)
            )
        except (np.linalg.LinAlgError, ValueError):
            return 1.0


def holm(p: np.ndarray) -> np.ndarray:
    """Holm's correction."""
    from statsmodels.stats.multitest import multipletests

    return multipletests(p, method="holm")[1]


def shown(options: argparse.Namespace, like: bool) -> None:
    """What is printed as the least difference that a set could show, beside the one that it shows in 80 % of worlds."""
    print(
        f"{'kind':<13}{'documents':>10}{'icc':>6}{'runs':>6}{'printed':>9}{'power at it':>13}{'printed / true':>16}{'turned round':>14}"
    )
    for kind, documents, icc, runs in cells(options):
        lot = np.random.default_rng([options.seed, documents, int(icc * 100), runs, len(kind), 9])
        level = 0.6 if kind != "groundedness" else 0.7
        printed, turned = [], []
        for seed in range(options.worlds // 2):
            world = drawn(lot, kind, documents, icc, qualities(kind, runs, level, 0.0), not like)
            for sign, kept in ((1, printed), (-1, turned)):
                gaps = sign * (world.values[1:] - world.values[0])
                draws = draws_of(world, like)
                found = paired_differences(
                    gaps, np.zeros(gaps.shape[1]), KIND[kind], draws, seed, world.values, {runs - 2}
                )
                if found[-1] is not None and found[-1].smallest is not None:
                    kept.append(found[-1].smallest)
        if not printed:
            print(f"{kind:<13}{documents:>10}{icc:>6}{runs:>6}{'none':>9}", flush=True)
            continue
        least = float(np.median(printed))
        power = []
        for seed in range(options.worlds):
            world = drawn(lot, kind, documents, icc, qualities(kind, runs, level, least), not like)
            gaps = world.values[1:] - world.values[0]
            leans = leaning(gaps, draws_of(world, like), world.values)
            power.append(together(gaps, KIND[kind], None, leans, seed).p[-1] < 0.05)
        rate = float(np.clip(np.mean(power), 0.01, 0.99))
        reach = reach_of(runs - 1)
        ratio = (reach + special.ndtri(rate)) / (reach + special.ndtri(0.8))
        print(
            f"{kind:<13}{documents:>10}{icc:>6}{runs:>6}{least:>9.3f}{rate:>13.3f}{ratio:>16.3f}{np.median(turned):>14.3f}",
            flush=True,
        )


def draws_of(world: World, like: bool) -> Draws:
    return Draws(documents=np.unique(world.documents, return_inverse=True)[1]) if like else Draws()


def cells(options: argparse.Namespace) -> Iterator[tuple[str, int, float, int]]:
    yield from product(options.kinds, options.documents, options.icc, options.runs)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    several = lambda kind: lambda text: [kind(each) for each in text.split(",")]  # noqa: E731
    parser.add_argument("--worlds", type=int, default=500)
    parser.add_argument("--population", choices=["these", "like"], default="these")
    parser.add_argument("--kinds", type=several(str), default=list(KIND))
    parser.add_argument("--documents", type=several(int), default=list(SIZES))
    parser.add_argument("--icc", type=several(float), default=[0.0, 0.02, 0.1, 0.3])
    parser.add_argument("--runs", type=several(int), default=[2, 8, 40])
    parser.add_argument("--beside", action="store_true", help="beside other tests")
    parser.add_argument("--mixed", action="store_true", help="with --beside: a mixed model too, which is slow")
    parser.add_argument(
        "--shown", action="store_true", help="the least difference that a set could show, held against the truth"
    )
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    like = options.population == "like"
    if options.beside:
        return beside(options, like)
    if options.shown:
        return shown(options, like)
    print(f"{'kind':<13}{'documents':>10}{'icc':>6}{'runs':>6}{'covers':>8}{'false':>8}{'power':>8}{'by question':>13}")
    for kind, documents, icc, runs in cells(options):
        lot = np.random.default_rng([options.seed, documents, int(icc * 100), runs, len(kind)])
        total = sum(SIZES[documents])
        better = min(0.25, 1.75 / np.sqrt(total))
        level = 0.6 if kind != "groundedness" else 0.7
        covered, false, power, naive = [], [], [], []
        for seed in range(options.worlds):
            world = drawn(lot, kind, documents, icc, qualities(kind, runs, level, better), not like)
            draws = draws_of(world, like)
            gaps = world.values[1:] - world.values[0]
            truth = world.truth[1:] - world.truth[0]
            leans = leaning(gaps, draws, world.values)
            found = together(gaps, KIND[kind], None, leans, seed)
            covered.append(
                np.mean((found.low <= truth + 1e-9) & (found.high >= truth - 1e-9))
                if runs == 2
                else np.all((found.low <= truth + 1e-9) & (found.high >= truth - 1e-9))
            )
            none = np.abs(truth) < 1e-3
            none[-1] = False
            false.append(bool((found.p[none] < 0.05).any()))
            power.append(found.p[-1] < 0.05)
            if like:
                naive.append(together(gaps, KIND[kind], None, None, seed).p[-1] < 0.05)
        if runs == 2:
            false = []
            for seed in range(options.worlds):
                world = drawn(lot, kind, documents, icc, qualities(kind, runs, level, 0.0), not like)
                gaps = world.values[1:] - world.values[0]
                found = together(gaps, KIND[kind], None, leaning(gaps, draws_of(world, like), world.values), seed)
                false.append(found.p[0] < 0.05)
        told = f"{np.mean(naive):>13.3f}" if like else ""
        print(
            f"{kind:<13}{documents:>10}{icc:>6}{runs:>6}{np.mean(covered):>8.3f}{np.mean(false):>8.3f}{np.mean(power):>8.3f}{told}",
            flush=True,
        )


if __name__ == "__main__":
    main()
