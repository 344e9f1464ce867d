"""The page of many runs: how large it is, how long it takes to write, how soon headless Chromium has it open.

python -m benchmarks.reporting [--runs N] [--questions N]        (from the project's folder; runs share nothing)
"""

from __future__ import annotations

import argparse
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from tests.report.worlds import filled


def opening(path: Path) -> list[float]:
    """Milliseconds from navigating to the page until it is loaded, five times."""
    from selenium import webdriver

    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium") or ""
    for flag in ("--headless=new", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage"):
        options.add_argument(flag)
    driver = webdriver.Chrome(options=options, service=webdriver.ChromeService(shutil.which("chromedriver")))
    try:
        times = []
        for _ in range(5):
            driver.get(path.as_uri())
            times.append(
                driver.execute_script("return performance.timing.loadEventEnd - performance.timing.navigationStart")
            )
        return times
    finally:
        driver.quit()


def main(runs: int, questions: int) -> None:
    """Prints a row."""
    with tempfile.TemporaryDirectory() as folder:
        work = Path(folder) / "w"
        filled(work, runs, questions).store.close()
        began = time.perf_counter()
        subprocess.run([sys.executable, "-m", "aventrik", "report", "--quiet", "-w", str(work)], check=True)
        wrote = time.perf_counter() - began
        page = work / "reports" / "report.html"
        times = sorted(opening(page))
        print(
            f"{runs} runs x {questions} questions: {page.stat().st_size / 1e6:.1f} MB, written in {wrote:.1f} s, opened in "
            f"{times[0]:.0f} to {times[-1]:.0f} ms (median {times[2]:.0f})"
        )


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("--runs", type=int, default=100)
    parser.add_argument("--questions", type=int, default=500)
    given = parser.parse_args()
    main(given.runs, given.questions)
