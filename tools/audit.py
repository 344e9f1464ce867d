"""Looks up the known faults of the packages that the program needs at run time, with pip-audit.

    python tools/audit.py

Exit code 1 where one has a fault that a newer version mends. Where the list can't be fetched, that is said, and nothing
fails: a machine without a network can still be worked on.
"""

from __future__ import annotations

import json
import re
import subprocess
import sys
from importlib.metadata import PackageNotFoundError, requires

SECONDS = 120
EXTRAS = ("static", "parquet", "neural")


def plain(name: str) -> str:
    """A package's name as registries compare it."""
    return re.sub(r"[-_.]+", "-", name).lower()


def needed(name: str, found: set[str] | None = None) -> set[str]:
    """The names of all that a package needs, and all that needs, as far as it is installed."""
    found = set() if found is None else found
    try:
        wanted = requires(name) or []
    except PackageNotFoundError:
        return found
    for each in wanted:
        extra = re.search(r"extra\s*==\s*['\"]([^'\"]+)['\"]", each)
        if extra and (name != "aventrik" or extra[1] not in EXTRAS):
            continue
        inner = plain(re.split(r"[\s\[<>=!~;(]", each, maxsplit=1)[0])
        if inner not in found:
            found.add(inner)
            needed(inner, found)
    return found


def main() -> int:
    """Prints what was found."""
    command = [sys.executable, "-m", "pip_audit", "--local", "--format", "json", "--progress-spinner", "off"]
    try:
        done = subprocess.run(command, capture_output=True, text=True, timeout=SECONDS)
        rows = json.loads(done.stdout)["dependencies"]
    except (subprocess.TimeoutExpired, ValueError, KeyError):
        print("audit: skipped, the list of known faults could not be fetched")
        return 0
    own = needed("aventrik")
    looked_up = [row for row in rows if plain(row["name"]) in own and "vulns" in row]
    faults = [(row["name"], row["version"], each) for row in looked_up for each in row["vulns"]]
    for name, version, each in faults:
        mended = ", ".join(each["fix_versions"]) or "no version yet"
        print(f"audit: {name} {version}: {each['id']}, mended in {mended}")
    if not looked_up:
        print("audit: skipped, the list of known faults knows none of the packages")
        return 0
    print(f"audit: {len(looked_up)} of {len(own)} packages looked up, {len(faults)} known faults")
    return 1 if any(each["fix_versions"] for _, _, each in faults) else 0


if __name__ == "__main__":
    sys.exit(main())
