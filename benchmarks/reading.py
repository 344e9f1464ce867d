"""Reading speed beside the parsers alone, on the documentation installed on this machine.

python benchmarks/reading.py [FILE.pdf]

Reading is bytes to a document; gathering is that, its figures and its row in a store, by worker processes.
"""

from __future__ import annotations

import io
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import pdfplumber
from cmarkgfm import markdown_to_html_with_extensions
from cmarkgfm.cmark import Options
from selectolax.lexbor import LexborHTMLParser

from aventrik.core.errors import Unreadable
from aventrik.core.reading import read
from aventrik.core.reading.pdf import read_pdf
from aventrik.corpora.gathering import Gatherer
from aventrik.storage import open_store

MOST = 30_000_000
ROUNDS = 5


def files(suffix: str) -> list[bytes]:
    """Up to 30 MB of files with a suffix, from all over the folder."""
    found = [
        path
        for path in sorted(Path("/usr/share/doc").rglob(f"*{suffix}"))
        if path.is_file() and not path.is_symlink() and 500 < path.stat().st_size < 2_000_000
    ]
    every = max(1, sum(path.stat().st_size for path in found) // MOST)
    return [path.read_bytes() for path in found[::every]]


def timed(work: Callable[[bytes], object], data: list[bytes]) -> float:
    """Seconds for all; what can't be read counts as read."""
    began = time.perf_counter()
    for each in data:
        try:
            work(each)
        except (Unreadable, ValueError, RecursionError):
            continue
    return time.perf_counter() - began


def read_some(paths: list[str]) -> None:
    """What a process of its own does."""
    for path in paths:
        timed(lambda each, path=path: read(path, each), [Path(path).read_bytes()])  # type: ignore[misc]


def by_two(pool: ProcessPoolExecutor, folder: Path) -> float:
    """Seconds that two processes take to open and read all files of a folder."""
    paths = sorted(map(str, folder.iterdir()))
    began = time.perf_counter()
    list(pool.map(read_some, [paths[start::16] for start in range(16)]))
    return time.perf_counter() - began


def gathered(folder: Path) -> float:
    """Seconds that gathering a folder into a new store takes."""
    with tempfile.TemporaryDirectory() as place:
        store = open_store(Path(place) / "store")
        began = time.perf_counter()
        Gatherer(store).gather([folder])
        seconds = time.perf_counter() - began
        store.close()
    return seconds


def markdown_alone(data: bytes) -> None:
    """The Markdown parser, to HTML."""
    markdown_to_html_with_extensions(data.decode("utf-8", "replace"), Options.CMARK_OPT_UNSAFE, extensions=["table"])


PARSERS: list[tuple[str, str, Callable[[bytes], object]]] = [
    (".html", "lexbor", lambda data: LexborHTMLParser(data)),
    (".md", "cmark", markdown_alone),
    (".txt", "decoding", lambda data: data.decode("utf-8", "replace")),
]


def main() -> None:
    """A table of formats, and a line for each PDF."""
    print(f"MB/s, each the best of {ROUNDS} rounds taken in turn; this machine's speed varies from minute to minute\n")
    print(
        f"{'format':<8}{'files':>7}{'MB':>7}{'parser alone':>16}{'read':>7}{'times as long':>15}"
        f"{'read by two':>13}{'gather':>8}"
    )
    sizes = both = 0.0
    with ProcessPoolExecutor(2) as pool, tempfile.TemporaryDirectory() as place:
        for suffix, parser, alone in PARSERS:
            data = files(suffix)
            if not data:
                print(f"{suffix:<8} none on this machine")
                continue
            folder = Path(place) / suffix[1:]
            folder.mkdir()
            for number, each in enumerate(data):
                (folder / f"{number}{suffix}").write_bytes(each)
            size = sum(map(len, data)) / 1e6
            best = [9e9] * 4
            for _ in range(ROUNDS):
                taken = [
                    timed(alone, data),
                    timed(lambda each, suffix=suffix: read(f"a{suffix}", each), data),  # type: ignore[misc]
                    by_two(pool, folder),
                    gathered(folder),
                ]
                best = list(map(min, best, taken))
            theirs, ours, two, store = best
            sizes, both = sizes + size, both + two
            print(
                f"{suffix:<8}{len(data):>7,}{size:>7.1f}{f'{parser} {size / theirs:.0f}':>16}{size / ours:>7.1f}"
                f"{ours / theirs:>15.1f}{size / two:>13.1f}{size / store:>8.1f}"
            )
        stored = min(gathered(Path(place)) for _ in range(ROUNDS))
    print(f"{'in all':<15}{sizes:>7.1f}{'':>38}{sizes / both:>13.1f}{sizes / stored:>8.1f}")
    for path in map(Path, sys.argv[1:]):
        pdf(path)


def pdf(path: Path) -> None:
    """A PDF beside pdfplumber's text and tables alone."""
    data = path.read_bytes()

    def alone(data: bytes) -> None:
        with pdfplumber.open(io.BytesIO(data)) as document:
            for page in document.pages:
                page.extract_text()
                page.extract_tables()
                page.close()

    theirs = timed(alone, [data])
    ours = timed(lambda data: read_pdf("a.pdf", data), [data])
    print(
        f"{path.name}: {ours:.1f} s, pdfplumber's text and tables alone {theirs:.1f} s: {ours / theirs:.2f} times as long"
    )


if __name__ == "__main__":
    main()
