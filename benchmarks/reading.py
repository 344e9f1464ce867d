"""Reading speed beside the parsers alone, on the documentation installed on this machine, on one core.

python benchmarks/reading.py [FILE.pdf]
"""

from __future__ import annotations

import io
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pdfplumber
from lxml import html as lxml_html
from markdown_it import MarkdownIt

from aventrik.core.errors import Unreadable
from aventrik.core.reading import read
from aventrik.core.reading.pdf import read_pdf

MOST = 30_000_000


def files(suffix: str) -> list[bytes]:
    """Up to 30 MB of files with a suffix."""
    found: list[bytes] = []
    total = 0
    for path in sorted(Path("/usr/share/doc").rglob(f"*{suffix}")):
        if path.is_file() and not path.is_symlink() and 500 < path.stat().st_size < 2_000_000:
            found.append(path.read_bytes())
            total += len(found[-1])
            if total > MOST:
                break
    return found


def timed(work: Callable[[bytes], object], data: list[bytes]) -> float:
    """Seconds for all; what can't be read counts as read."""
    began = time.perf_counter()
    for each in data:
        try:
            work(each)
        except (Unreadable, ValueError, RecursionError):
            continue
    return time.perf_counter() - began


def main() -> None:
    """One table."""
    rows: list[tuple[str, str, Callable[[bytes], object]]] = [
        ("a.html", "lxml", lambda data: lxml_html.document_fromstring(data)),
        (
            "a.md",
            "markdown-it-py",
            lambda data: MarkdownIt("commonmark").enable("table").parse(data.decode("utf-8", "replace")),
        ),
        ("a.txt", "decoding", lambda data: data.decode("utf-8", "replace")),
    ]
    print(f"{'format':<8}{'files':>7}{'MB':>7}{'MB/s':>8}{'parser alone, MB/s':>21}{'times as long':>15}")
    for name, parser, alone in rows:
        suffix = Path(name).suffix
        data = files(suffix)
        if not data:
            print(f"{suffix:<8} none on this machine")
            continue
        size = sum(map(len, data)) / 1e6
        ours = timed(lambda each, name=name: read(name, each), data)  # type: ignore[misc]
        theirs = timed(alone, data)
        print(
            f"{suffix:<8}{len(data):>7,}{size:>7.1f}{size / ours:>8.1f}{f'{parser} {size / theirs:.0f}':>21}{ours / theirs:>15.1f}"
        )
    for path in map(Path, sys.argv[1:]):
        data_pdf = path.read_bytes()

        def alone_pdf(data: bytes) -> None:
            with pdfplumber.open(io.BytesIO(data)) as document:
                for page in document.pages:
                    page.extract_text()
                    page.extract_tables()
                    page.close()

        theirs = timed(alone_pdf, [data_pdf])
        ours = timed(lambda data: read_pdf("a.pdf", data), [data_pdf])
        print(
            f"{path.name}: {ours:.1f} s, pdfplumber's text and tables alone {theirs:.1f} s: {ours / theirs:.2f} times as long"
        )


if __name__ == "__main__":
    main()
