"""The page of many runs: how large it is, how long it takes to write, how soon headless Chromium has it open, and how long a
click on a heading or a typed word takes until the rows lie anew.

python -m benchmarks.reporting [--runs N] [--questions N]        (from the project's folder; runs share nothing)
"""

from __future__ import annotations

import argparse
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from tests.report.worlds import filled

_CLICK = "document.querySelectorAll('#{} thead button')[{}].click()"
_TYPE = "const f = document.querySelector('{}'); f.value = '{}'; f.dispatchEvent(new Event('input'))"
_ACTS = {
    "runs sorted by their measure": _CLICK.format("runs", 3),
    "questions sorted by their difference": _CLICK.format("questions", 6),
    "questions sorted by their words": _CLICK.format("questions", 1),
    "runs filtered": _TYPE.format("[data-filter=runs]", "run=1"),
    "questions filtered": _TYPE.format("#words", "mooring"),
}
_TIMED = "const began = performance.now(); {{ {} }} void document.body.offsetHeight; return performance.now() - began"


def opening(path: Path) -> tuple[list[float], dict[str, list[float]]]:
    """Milliseconds from navigating to the page until it is loaded, five times, and what each act takes, layout included."""
    from selenium import webdriver
    from selenium.webdriver.support.ui import WebDriverWait

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
        WebDriverWait(driver, 60).until(
            lambda page: page.execute_script("return document.documentElement.dataset.ready") == "yes"
        )
        acts = {name: [driver.execute_script(_TIMED.format(act)) for _ in range(5)] for name, act in _ACTS.items()}
        return times, acts
    finally:
        driver.quit()


def main(runs: int, questions: int) -> None:
    """Prints the table."""
    with tempfile.TemporaryDirectory() as folder:
        work = Path(folder) / "w"
        filled(work, runs, questions).store.close()
        began = time.perf_counter()
        subprocess.run([sys.executable, "-m", "aventrik", "report", "--quiet", "-w", str(work)], check=True)
        wrote = time.perf_counter() - began
        page = work / "reports" / "report.html"
        times, acts = opening(page)
        print(f"{runs} runs x {questions} questions: {page.stat().st_size / 1e6:.1f} MB, written in {wrote:.1f} s")
        print(f"{'':40}{'least':>8}{'median':>8}{'most':>8}  ms")
        for name, took in {"opened": times, **acts}.items():
            print(f"{name:40}{min(took):8.0f}{statistics.median(took):8.0f}{max(took):8.0f}")


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("--runs", type=int, default=100)
    parser.add_argument("--questions", type=int, default=500)
    given = parser.parse_args()
    main(given.runs, given.questions)
