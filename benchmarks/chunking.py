"""How fast documents are cut: megabytes of real text a second, for each method, beside splitting at white space alone.

python benchmarks/chunking.py [MEGABYTES]
"""

from __future__ import annotations

import sys
import time

from real_text import documents

from aventrik.core.chunking import METHODS, Cutting, chunk
from aventrik.core.documents import Document


def main() -> None:
    """One table: a row a method."""
    wanted = float(sys.argv[1]) if len(sys.argv) > 1 else 20
    found: list[Document] = []
    size = 0.0
    for document in documents():
        found.append(document)
        size += len(document.text.encode("utf-8", "replace")) / 1e6
        if size >= wanted:
            break
    began = time.perf_counter()
    pieces = sum(len(document.text.split()) for document in found)
    alone = time.perf_counter() - began
    print(f"{size:.1f} MB of real text in {len(found):,} documents; one core; 800 characters, overlap 80")
    print(f"{'method':<22}{'chunks':>10}{'MB/s':>8}")
    print(f"{'str.split, for scale':<22}{pieces:>10,}{size / alone:>8.1f}")
    for method in METHODS:
        for overlap in (80, 0) if method in ("fixed", "paragraph", "sentence") else (80,):
            cutting = Cutting(method, 800, "chars", overlap)
            for document in found:
                document.__dict__.pop("headings", None)
            began = time.perf_counter()
            count = sum(len(chunk(document, cutting)) for document in found)
            seconds = time.perf_counter() - began
            print(f"{method + ('' if overlap else ', no overlap'):<22}{count:>10,}{size / seconds:>8.1f}")


if __name__ == "__main__":
    main()
