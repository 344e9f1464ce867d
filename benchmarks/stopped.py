"""Stops every verb at random moments, by Ctrl-C as a terminal sends it or by kill -9, and counts what came of it.

    python benchmarks/stopped.py int COUNT [SEED]
    python benchmarks/stopped.py kill COUNT [SEED]

Ctrl-C: the exit code must be 130 (or that of a program that had ended before), one line must be shown, nothing may be
left running, and the end must come in under 3 seconds. Kill: the store must be sound, the same command must then end
well, and the runs must have the scores of a run that nobody stopped.
"""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

PROGRAM = [sys.executable, "-m", "aventrik"]
VERBS = [
    ["--help"],
    ["models"],
    ["gather", "documents"],
    ["vet", "--least", "0.5"],
    ["vet"],
    ["cut", "baseline"],
    ["survey", "baseline"],
    ["draft", "--testset", "other", "-n", "20"],
    ["ask", "When does the lock open?", "plain"],
    ["run", "baseline", "--testset", "enquiries"],
    ["run", "baseline", "axes", "--testset", "enquiries"],
    ["runs"],
    ["compare"],
    ["explain", "1"],
    ["store", "--check"],
    ["store", "--clean"],
    ["standin", "--port", "0"],
]


def started(arguments: list[str], folder: Path) -> subprocess.Popen[str]:
    """The program in a process group of its own, Ctrl-C as a terminal would have it."""
    return subprocess.Popen(
        [*PROGRAM, *arguments], cwd=folder, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
        text=True, start_new_session=True, restore_signals=True,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.default_int_handler),
    )  # fmt: skip


def left_in(group: int) -> int:
    """Processes of a group that still run."""
    count = 0
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                fields = (entry / "stat").read_text().rsplit(")", 1)[1].split()
            except OSError:
                continue
            count += fields[2] == str(group) and fields[0] != "Z"
    return count


def copied(base: Path, folder: Path, arguments: list[str]) -> None:
    """A workspace to stop a verb in; of one that is to gather, the store is taken away."""
    shutil.copytree(base, folder)
    if arguments[0] == "gather":
        shutil.rmtree(folder / ".aventrik")


def state(folder: Path, arguments: list[str]) -> str:
    """What must be the same in the end as without a stop: the documents after gathering, else what the runs came to."""
    if arguments[0] != "gather":
        return scores(folder)
    done = subprocess.run([*PROGRAM, "gather", "--report", "--json"], cwd=folder, capture_output=True, text=True)
    return done.stdout or f"exit {done.returncode}: {done.stderr[-300:]}"


def lasting(base: Path, arguments: list[str]) -> float:
    """Seconds that a verb takes when nobody stops it, at most 20."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "w"
        copied(base, folder, arguments)
        began = time.monotonic()
        process = started(arguments, folder)
        try:
            process.communicate(timeout=20 if arguments[0] != "standin" else 3)
        except subprocess.TimeoutExpired:
            os.killpg(process.pid, signal.SIGKILL)
            process.communicate()
        return time.monotonic() - began


def scores(folder: Path) -> str:
    """What all runs of a workspace came to."""
    done = subprocess.run([*PROGRAM, "compare", "--json"], cwd=folder, capture_output=True, text=True)
    if done.returncode:
        return f"exit {done.returncode}: {done.stderr[-300:]}"
    found = json.loads(done.stdout)["result"]
    return json.dumps([[run["name"], run["measures"]] for run in found["runs"]], sort_keys=True)


def interrupted(base: Path, arguments: list[str], after: float) -> tuple[str, float]:
    """What came of a Ctrl-C so many seconds after the start, and the seconds until the end."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "w"
        copied(base, folder, arguments)
        process = started(arguments, folder)
        time.sleep(after)
        over = process.poll() is not None
        began = time.monotonic()
        if not over:
            os.killpg(process.pid, signal.SIGINT)
        try:
            _, told = process.communicate(timeout=20)
        except subprocess.TimeoutExpired:
            os.killpg(process.pid, signal.SIGKILL)
            process.communicate()
            return "hung", 20.0
        took = time.monotonic() - began
        time.sleep(0.05)
        if left_in(process.pid):
            os.killpg(process.pid, signal.SIGKILL)
            return "left processes behind", took
        lines = [line for line in told.strip().splitlines() if "interrupted" in line or "Traceback" in line]
        if over or (process.returncode in (0, 1) and not lines):
            return "had ended before", took
        if process.returncode in (1, -signal.SIGINT) and (not told.strip() or "aventrik" not in told):
            return "ended by Python before the program began", took
        if process.returncode == -signal.SIGINT and "Traceback" not in told:
            return "ended while Python went down, its work done", took
        if process.returncode != 130:
            return f"exit {process.returncode}: {told.strip().splitlines()[-1:]}", took
        if len(lines) != 1 or "Traceback" in told:
            return f"not one line: {told.strip().splitlines()[-3:]}", took
        return "exit 130, one line", took


def killed(base: Path, arguments: list[str], after: float, wanted: str) -> str:
    """What came of a kill so many seconds after the start."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "w"
        copied(base, folder, arguments)
        process = started(arguments, folder)
        time.sleep(after)
        over = process.poll() is not None
        if not over:
            process.kill()  # of the program alone: what it started must end with it
        process.communicate()
        time.sleep(0.3)
        if left_in(process.pid):
            os.killpg(process.pid, signal.SIGKILL)
            return "left processes behind"
        check = subprocess.run([*PROGRAM, "store", "--check"], cwd=folder, capture_output=True, text=True)
        if check.returncode:
            return f"the store is damaged: {check.stdout[-200:]} {check.stderr[-200:]}"
        if arguments[0] not in ("standin",):
            again = subprocess.run([*PROGRAM, *arguments], cwd=folder, capture_output=True, text=True)
            if again.returncode not in (0, 1):
                return f"the same command ends with {again.returncode}: {again.stderr[-300:]}"
        if state(folder, arguments) != wanted:
            return "something else than without the kill"
        return "had ended before" if over else "sound, and the same command went on to the same end"


def main() -> None:
    """Prints the counts."""
    if len(sys.argv) < 3 or sys.argv[1] not in ("int", "kill"):
        sys.exit(__doc__)
    how, count, seed = sys.argv[1], int(sys.argv[2]), int(sys.argv[3]) if len(sys.argv) > 3 else 1
    draw = random.Random(seed)
    with tempfile.TemporaryDirectory() as name:
        base = Path(name) / "demo"
        subprocess.run([*PROGRAM, "demo", str(base)], capture_output=True, check=True)
        wanted = {each: state(base, [each]) for each in ("gather", "run")}
        shutil.rmtree(base / ".aventrik" / "arrays")  # so that there is something to make again
        verbs = VERBS if how == "int" else [each for each in VERBS if each[0] not in ("--help", "models")]
        length = {tuple(each): lasting(base, each) for each in verbs}
        outcomes: Counter[str] = Counter()
        slowest = 0.0
        for number in range(count):
            arguments = verbs[number % len(verbs)]
            after = draw.uniform(0.0, length[tuple(arguments)])
            if how == "int":
                outcome, took = interrupted(base, arguments, after)
                slowest = max(slowest, took if outcome == "exit 130, one line" else 0.0)
            else:
                outcome = killed(base, arguments, after, wanted["gather" if arguments[0] == "gather" else "run"])
            if outcome.startswith(("exit 130", "had ended", "sound", "ended ")):
                outcomes[outcome] += 1
            else:
                outcomes[f"{' '.join(arguments)} after {after:.2f} s: {outcome}"] += 1
        for outcome, times in outcomes.most_common():
            print(f"{times:>5}  {outcome}")
        if how == "int":
            print(f"the slowest end took {slowest:.2f} s")


if __name__ == "__main__":
    main()
