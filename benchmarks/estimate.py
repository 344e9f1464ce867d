"""What 100,000,000 chunks would take on many workers, reckoned on paper from what fewer took: seconds of each stage a
chunk, of workers and of the command; and two assumptions, which are printed.

python benchmarks/estimate.py FILE [CHUNKS]         FILE: what `beyond.py --keep FILE` wrote

A stage takes as long as the slowest of three: the work, divided by the workers; what the command does by itself (giving
tasks, putting in order what came of them); and the bytes over the command's link. "in place" is reckoned without the last
two but for giving tasks: parts would stay where workers wrote them, and postings be made by shard.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

CORE_HOUR = 0.05  # money for a core and an hour
LINK = 1.0  # GB a second between the command and the folder of arrays
TASK = 0.012  # seconds of the command for a task (`beyond.py --empty`)
TOGETHER = 256  # documents a task
PASSES = 4  # over the link: a part is read, written in order, and read for two checksums
DOCUMENTS = ("read", "chunks", "terms", "vectors")
WORKERS = (10, 100, 1000)


def costs(
    ways: dict[str, Any], chunks: int, wanted: int, documents: int
) -> dict[str, tuple[float, float, float, float]]:
    """Of each stage the seconds of workers, of the command, of the command's link, and of giving the tasks."""
    factor = wanted / chunks
    giving = documents * factor / TOGETHER * TASK
    made = {}
    for name in DOCUMENTS:
        size = ways["2 workers"]["bytes"].get(name, 0) / 1e9
        made[name] = (
            ways["1 worker"][name] * factor,
            ways["2 workers"]["own"][name] * factor,
            PASSES * size * factor / LINK,
            giving,
        )
        if name == "terms":
            own = ways["2 workers"]["own"]["keyword"] * factor
            made["keyword"] = (own, own, 0.0, giving)
    work = sum(ways["1 worker"]["each"].values()) * factor
    made["questions"] = (work, ways["2 workers"]["own"]["questions"], 0.0, 0.0)
    return made


def table(found: dict[str, tuple[float, float, float, float]], in_place: bool) -> None:
    """Minutes of each stage for so many workers, and what it waits for."""
    print(f"{'in place' if in_place else 'as it is':12}" + "".join(f"{f'{count:,} workers':>24}" for count in WORKERS))
    total = [0.0] * len(WORKERS)
    for name, (work, own, link, giving) in found.items():
        cells = ""
        for n, count in enumerate(WORKERS):
            alone = name == "keyword" and not in_place  # made by the command
            limits = {"work": 0.0 if alone else work / count}
            limits |= {"tasks": giving} if in_place else {"command": own, "link": link}
            reason = max(limits, key=lambda each, limits=limits: limits[each])
            total[n] += limits[reason]
            cells += f"{limits[reason] / 60:>14,.1f} {reason:<9}"
        print(f"{name:12}{cells}")
    print(f"{'hours':12}" + "".join(f"{seconds / 3600:>14,.1f} {'':9}" for seconds in total))
    money = [(count + 1) * seconds / 3600 * CORE_HOUR for count, seconds in zip(WORKERS, total)]
    print(f"{'money':12}" + "".join(f"{each:>14,.0f} {'':9}" for each in money) + "\n")


def main(path: Path, wanted: int) -> None:
    """Both tables."""
    kept = json.loads(path.read_text())
    found = costs(kept["ways"], kept["chunks"], wanted, kept["chunks"] // 100)
    print(f"{wanted:,} chunks, {kept['questions']} questions; minutes, and what each stage waits for")
    print(f"assumed: {CORE_HOUR} in money for a core and an hour, {LINK} GB/s over the command's link\n")
    table(found, False)
    table(found, True)
    bytes_of = {name: size * wanted / kept["chunks"] / 1e9 for name, size in kept["ways"]["2 workers"]["bytes"].items()}
    print("GB of arrays: " + ", ".join(f"{name} {size:,.0f}" for name, size in bytes_of.items()))


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 100_000_000)
