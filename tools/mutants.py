"""Do the tests notice when the code is wrong? Changes one thing at a time and runs the tests that reach the line.

    python tools/mutants.py [--sample N] [--seed N] [--file PART] [--coverage FILE]

What is changed: a comparison (< to <=, == to !=), a sum or product (+ to -, * to /), and/or, `not`, True/False, a number
(to one more), a condition (to its opposite). Tests are those of `tests/core` and `tests/pipeline` that reach the changed
line, told by a run under `coverage`. A change that leaves every result as it was can't be noticed by any test: these
stand in `EQUAL`, each with its reason, and count for nothing. Ends with exit code 1 when more than a tenth lives.
"""

from __future__ import annotations

import argparse
import ast
import copy
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections import defaultdict
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

import coverage

ROOT = Path(__file__).resolve().parent.parent
CORE = ROOT / "src" / "aventrik" / "core"
MUTATED = [CORE / name for name in ("comparing", "measures", "judging", "searching", "indexing")]
KEYS = ROOT / "src" / "aventrik" / "pipeline" / "keys.py"
TESTS = ("tests/core", "tests/pipeline")
LONGEST = 120  # seconds for the tests of one change: what hangs is noticed
ALIVE = 0.1  # the share of changes that may live

# (file, changed line as it stands, change): why no test can notice it.
EQUAL: dict[tuple[str, str, str], str] = {
    (
        "significance.py",
        "return _drawn_signs(np.random.default_rng([seed, 0]), rows, columns)",
        "value: 0 to 1",
    ): "another stream of random signs: as good as this one",
    (
        "spread.py",
        "if abs((one := first.scores[key][name]) - (other := second.scores[key][name])) > 1e-9",
        "ops.0: Gt to GtE",
    ): "no two scores are exactly 1e-9 apart",
    (
        "compact.py",
        "rows = np.round(kept / np.where(scale > 0, scale, 1)[:, None]).astype(np.int8)",
        "value: 1 to 2",
    ): "a vector of scale 0 is 0, whatever it is divided by",
    (
        "contributions.py",
        "if name not in corners[0] and not any(self._absent[name][mask].all() for mask in masks)",
        "value: 0 to 1",
    ): "the corners name the same settings",
    (
        "power.py",
        "if 2 * worse < count and mcnemar(count - worse, worse) < level:",
        "ops.0: Lt to LtE",
    ): "no p-value is exactly the level",
    (
        "orders.py",
        "names = [(sides[0].clusters.get(key) or key) if by_document else key for key in keys]",
        "value: 0 to 1",
    ): "both sides have the clusters of the same questions",
    ("leading.py", "out = found < level", "ops.0: Lt to LtE"): "no p-value is exactly the level",
    (
        "significance.py",
        "middle = (low + high) / 2",
        "op: Div to Mult",
    ): "a bound that is lower lets more flips be looked at, and no result depends on it",
    (
        "intervals.py",
        "low, high = bca_rows(values, groups, seed, level) if bootstrap else (np.empty(0), np.empty(0))",
        "value: 0 to 1",
    ): "what is empty is never looked at",
    ("groups.py", "return self.p < ALPHA", "ops.0: Lt to LtE"): "no p-value is exactly the level",
    (
        "intervals.py",
        "for counts in draws(totals.shape[1], seed, max(1, _BLOCK // max(totals.shape))):",
        "value: 1 to 2",
    ): "how many resamples are drawn at a time",
    (
        "intervals.py",
        "spread = np.array([np.ptp(row[here]) > 0 if here.any() else False for row, here in zip(values, there)])",
        "value: False to True",
    ): "a row without values draws none further down",
    (
        "account.py",
        "sign = -1 if less_is_better(name, side.own) else 1",
        "value: 1 to 2",
    ): "the worst stays the worst when all scores are doubled",
    (
        "sides.py",
        "best = {place for place, mean in have.items() if abs(mean - top) < 1e-9}",
        "ops.0: Lt to LtE",
    ): "no two means are exactly 1e-9 apart",
    (
        "intervals.py",
        "if count <= _HELD:",
        "test: condition to its opposite",
    ): "draws are held or drawn again: the same ones",
    (
        "approximate.py",
        "for own, near, true in zip(chosen, found(queries, top + 1, None), exact(vectors, queries, top + 1)):",
        "value: 1 to 2",
    ): "one neighbour more is cut off again",
    (
        "correcting.py",
        "if not np.isfinite(f).all() or f.min() < -1e-9 or f.max() > 1 + 1e-9 or y.min() < -1e-9 or y.max() > 1 + 1e-9:",
        "ops.0: Gt to GtE",
    ): "no score is exactly 1e-9 beyond its end",
    (
        "correcting.py",
        "slope = np.average(from_mean * (y - np.average(y, weights=w)), weights=w) / np.average(from_mean**2, weights=w)",
        "op: Sub to Add",
    ): "what is added is a constant, and its product with what has mean 0 has mean 0",
    (
        "significance.py",
        "most = MOST_FLIPS if len(gaps) <= _SEVERAL else min(MOST_FLIPS, int(max(10 * FLIPS, _FINE * together / level)))",
        "test: condition to its opposite",
    ): "how long a p-value near the level is drawn on: both ends are fine enough",
    (
        "leading.py",
        "np.max(np.where(scale > 0, gaps / np.where(scale > 0, scale, 1.0), 0.0), axis=1), dtype=np.float64",
        "ops.0: Gt to GtE",
    ): "what has scale 0 has gaps of 0",
    (
        "keyword.py",
        "fresh = (languages[0] == 0) & (part.languages[0] > 0)",
        "ops.0: Gt to GtE",
    ): "an entry is read only where its count is over 0",
    (
        "compact.py",
        "return unit(vectors[:, :keep]) if 0 < keep < vectors.shape[1] else np.asarray(vectors, dtype=np.float32)",
        "ops.1: Lt to LtE",
    ): "all columns kept: the vectors are unit vectors already",
    (
        "significance.py",
        "reach = skewness_corrected(middle, most + 6 * mean * squares, squares, n)",
        "op: Mult to Div",
    ): "a bound from which the search for the end begins",
    (
        "correcting.py",
        "more = (chances >= 1) & ~sure",
        "ops.0: GtE to Gt",
    ): "a chance of just 1 is one of those that are sure in the next round",
    (
        "racing.py",
        "best = values.mean(axis=1) >= values.mean(axis=1).max() - 1e-12",
        "op: Sub to Add",
    ): "the best has a p of 1 with or without this guard",
    (
        "spread.py",
        "return [_spread(row, low, high if high > low else low + 1) if row else None for row in values]",
        "ops.0: Gt to GtE",
    ): "where all are alike 0 over 0 lands in the first bin too",
    (
        "significance.py",
        "limits = np.where(np.isfinite(observed), finite - _ROUNDED * np.maximum(1.0, finite), np.inf).astype(np.float32)",
        "op: Mult to Div",
    ): "the allowance for rounding: no statistic falls between",
    (
        "significance.py",
        "most = MOST_FLIPS if len(gaps) <= _SEVERAL else min(MOST_FLIPS, int(max(10 * FLIPS, _FINE * together / level)))",
        "value: 10 to 11",
    ): "how long a p-value near the level is drawn on: both ends are fine enough",
    (
        "groups.py",
        "corrected = holm([gap.p for _, gap in looked] + [1.0] * (together - len(looked)))",
        "value: 1.0 to 2.0",
    ): "what is looked at for nothing comes last in the order either way",
    (
        "__init__.py",
        'return np.frombuffer(base64.b64decode(self.numbers), dtype="<f4").reshape(-1, self.dimensions)',
        "value: 1 to 2",
    ): "NumPy takes any negative length for the one that is left",
    (
        "power.py",
        "found = np.full(n + 1, -1, dtype=np.int64)",
        "value: 1 to 2",
    ): "a place more that is never looked at, or another mark of what is not there",
    (
        "groups.py",
        "sign = -1 if whole.less else 1",
        "value: 1 to 2",
    ): "means are held against each other: doubled they stand alike",
    (
        "in_memory.py",
        "short = any(len(row) < top and len(texts) == wanted for row, texts in zip(chunks, found))",
        "ops.0: Lt to LtE",
    ): "it asks for more texts than it needs, and takes the same first ones",
    (
        "significance.py",
        "reach = skewness_corrected(middle, most + 6 * mean * squares, squares, n)",
        "value: 6 to 7",
    ): "a bound from which the search for the end begins",
    (
        "orders.py",
        "b = np.sign(np.round(theirs[..., first] - theirs[..., second], 12))",
        "value: 12 to 13",
    ): "no two means are so near each other but for rounding",
    (
        "__init__.py",
        "scores[each.name] = each.function(walked, 0)",
        "value: 0 to 1",
    ): "measures of a whole list take no cut-off",
    (
        "agreement.py",
        "if count < 2 or len(found) < RESAMPLES / 2:",
        "ops.0: Lt to LtE",
    ): "no bootstrap gives just half of the resamples",
}

SWAPS: dict[type, type] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.And: ast.Or, ast.Or: ast.And,
}  # fmt: skip


@dataclass(frozen=True)
class Change:
    """One change: its file, line, the number of its place in the walk through the tree, and what it does."""

    path: Path
    line: int
    place: int
    what: str

    @property
    def told(self) -> str:
        return f"{self.path.relative_to(ROOT / 'src' / 'aventrik')}:{self.line}: {self.what}"


def changes_of(node: ast.AST) -> Iterator[tuple[str, str]]:
    """(field, what becomes of it) of every change at one node of the tree."""
    if isinstance(node, ast.Compare):
        for number, each in enumerate(node.ops):
            yield f"ops.{number}", f"{type(each).__name__} to {SWAPS[type(each)].__name__}"
    elif isinstance(node, (ast.BinOp, ast.BoolOp, ast.AugAssign)) and type(node.op) in SWAPS:
        yield "op", f"{type(node.op).__name__} to {SWAPS[type(node.op)].__name__}"
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        yield "not", "without not"
    elif isinstance(node, ast.Constant) and isinstance(node.value, bool):
        yield "value", f"{node.value} to {not node.value}"
    elif isinstance(node, ast.Constant) and isinstance(node.value, (int, float)):
        yield "value", f"{node.value} to {node.value + 1}"
    elif isinstance(node, (ast.If, ast.IfExp, ast.While)):
        yield "test", "condition to its opposite"


def nodes_of(tree: ast.AST) -> list[ast.AST]:
    """The nodes that may be changed, in a fixed order: those in functions."""
    functions = [each for each in ast.walk(tree) if isinstance(each, (ast.FunctionDef, ast.Lambda))]
    kept: dict[int, ast.AST] = {}
    for function in functions:
        for part in function.body if isinstance(function.body, list) else [function.body]:
            kept.update({id(each): each for each in ast.walk(part)})
    return list(kept.values())


def all_changes(path: Path) -> list[Change]:
    found = []
    nodes = nodes_of(ast.parse(path.read_text(encoding="utf-8")))
    for number, node in enumerate(nodes):
        for field, what in changes_of(node):
            line = node.test.lineno if isinstance(node, (ast.If, ast.While)) else getattr(node, "lineno", 0)
            found.append(Change(path, line, number, f"{field}: {what}"))
    return found


def changed_source(change: Change) -> str:
    """The file with the change made."""
    tree = ast.parse(change.path.read_text(encoding="utf-8"))
    node = nodes_of(tree)[change.place]
    field = change.what.split(":")[0]
    if field == "value":
        node.value = not node.value if isinstance(node.value, bool) else node.value + 1  # type: ignore[attr-defined]
    elif field == "op":
        node.op = SWAPS[type(node.op)]()  # type: ignore[attr-defined]
    elif field == "test":
        node.test = ast.UnaryOp(ast.Not(), node.test)  # type: ignore[attr-defined]
    elif field == "not":
        operand = copy.copy(node.operand)  # type: ignore[attr-defined]
        node.operand = ast.UnaryOp(ast.Not(), operand)  # type: ignore[attr-defined]
    else:
        number = int(field.split(".")[1])
        node.ops[number] = SWAPS[type(node.ops[number])]()  # type: ignore[attr-defined]
    return ast.unparse(ast.fix_missing_locations(tree))


def reached(file: str) -> dict[tuple[str, int], list[str]]:
    """(file, line) → the tests that reach it, those that reach the fewest lines first. They are run once for that, unless
    `file` has it from a run before; a name that is not there yet is written."""
    with tempfile.TemporaryDirectory() as folder:
        data = Path(file).resolve() if file else Path(folder) / "coverage"
        command = [
            sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", *TESTS,
            "--cov=aventrik", "--cov-context=test", "--cov-report=",
        ]  # fmt: skip
        if not data.exists():
            subprocess.run(command, cwd=ROOT, env={**os.environ, "COVERAGE_FILE": str(data)}, check=True)
        held = coverage.CoverageData(str(data))
        held.read()
        tests: dict[tuple[str, int], set[str]] = defaultdict(set)
        lines: dict[str, int] = defaultdict(int)
        for path in sorted(held.measured_files()):
            for line, contexts in held.contexts_by_lineno(path).items():
                for name in {each.split("|")[0].split("[")[0] for each in contexts if each}:
                    tests[path, line].add(name)
                    lines[name] += 1
    return {place: sorted(names, key=lambda name: (lines[name], name)) for place, names in tests.items()}


def noticed(change: Change, tests: list[str], tree: Path) -> bool:
    """Whether one of the tests fails, run on a copy of the tree that has the change."""
    path = tree / change.path.relative_to(ROOT)
    path.write_text(changed_source(change), encoding="utf-8")
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-n", "0", "-p", "no:cacheprovider", *tests]
    environment = {**os.environ, "PYTHONPATH": str(tree / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    try:
        done = subprocess.run(command, cwd=tree, env=environment, capture_output=True, timeout=LONGEST)
    except subprocess.TimeoutExpired:
        return True
    finally:
        shutil.copy(change.path, path)
    return done.returncode != 0


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--sample", type=int, default=200, help="how many changes are tried (200; 0: all)")
    parser.add_argument("--seed", type=int, default=0, help="of the draw (0)")
    parser.add_argument("--file", default="", help="only files whose path has this in it")
    parser.add_argument("--coverage", default="", help="a file that keeps which test reaches what, for the next time")
    wanted = parser.parse_args()
    paths = [*(path for folder in MUTATED for path in sorted(folder.rglob("*.py"))), KEYS]
    tests = reached(wanted.coverage)
    changes = [each for path in paths if wanted.file in str(path) for each in all_changes(path)]
    tried = [each for each in changes if (str(each.path), each.line) in tests]
    sources = {path: path.read_text(encoding="utf-8").splitlines() for path in paths}
    tried = [
        each for each in tried if (each.path.name, sources[each.path][each.line - 1].strip(), each.what) not in EQUAL
    ]
    print(f"{len(changes)} changes could be made, {len(tried)} of them where a test reaches")
    if wanted.sample:
        tried = random.Random(wanted.seed).sample(tried, min(wanted.sample, len(tried)))
    trees: Queue[Path] = Queue()
    with tempfile.TemporaryDirectory() as folder:
        for number in range(os.cpu_count() or 1):
            tree = Path(folder) / str(number)
            for name in ("src", "tests"):
                shutil.copytree(ROOT / name, tree / name, ignore=shutil.ignore_patterns("__pycache__"))
            shutil.copy(ROOT / "pyproject.toml", tree)
            trees.put(tree)

        def one(change: Change) -> bool:
            tree = trees.get()
            try:
                return noticed(change, tests[str(change.path), change.line], tree)
            finally:
                trees.put(tree)

        with ThreadPoolExecutor(trees.qsize()) as pool:
            results = list(pool.map(one, tried))
    living = [change for change, gone in zip(tried, results) if not gone]
    for change in living:
        print(f"lives: {change.told}\n    {sources[change.path][change.line - 1].strip()}")
    print(f"{len(tried)} changes tried, {len(living)} live ({100 * len(living) / max(1, len(tried)):.1f} %)")
    sys.exit(len(living) > ALIVE * len(tried))


if __name__ == "__main__":
    main()
