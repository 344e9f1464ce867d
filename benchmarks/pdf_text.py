"""PDF reading held against the plain text of the same book: token F1, running heads, page numbers.

apt-get install debian-faq debian-policy poppler-utils
python benchmarks/pdf_text.py
"""

from __future__ import annotations

import gzip
import re
import subprocess
import tempfile
from collections import Counter
from pathlib import Path

from aventrik.core.reading import read

BOOKS = {
    "debian-faq": ("/usr/share/doc/debian/FAQ/debian-faq.en.pdf.gz", "/usr/share/doc/debian/FAQ/debian-faq.en.txt.gz"),
    "debian-policy": ("/usr/share/doc/debian-policy/policy.pdf.gz", "/usr/share/doc/debian-policy/policy.txt.gz"),
}
TOKEN = re.compile(r"\w+")


def tokens(text: str) -> Counter[str]:
    """Words and figures, of contents pages and rules of dots nothing."""
    lines = [line for line in text.split("\n") if not re.search(r"(?:\. ?){4,}", line)]
    return Counter(TOKEN.findall("\n".join(lines).lower()))


def f1(ours: Counter[str], theirs: Counter[str]) -> float:
    """2 · shared ÷ (ours + theirs), each token counted as often as it stands."""
    return 2 * sum((ours & theirs).values()) / (sum(ours.values()) + sum(theirs.values()))


def main() -> None:
    """A row a book."""
    print(
        f"{'book':<16}{'pages':>6}{'F1, whole book':>16}{'F1 of its pages':>17}{'median':>8}{'heads left':>12}{'pages right':>13}"
    )
    for name, (pdf, text) in BOOKS.items():
        body = gzip.decompress(Path(pdf).read_bytes())
        book = read(f"{name}.pdf", body)
        plain = gzip.decompress(Path(text).read_bytes()).decode("utf-8", "replace")
        whole = f1(tokens(book.text), tokens(plain))
        with tempfile.NamedTemporaryFile(suffix=".pdf") as file:
            file.write(body)
            file.flush()
            other = subprocess.run(["pdftotext", "-layout", file.name, "-"], capture_output=True, text=True, check=True)
        others = other.stdout.split("\f")
        pages = book.of_kind("page")
        tables = [(part.start, part.end) for part in book.of_kind("table")]
        heads = {re.sub(r"\d+", "#", head.strip()) for head in book.meta.get("running", ())}
        shares, right, left = [], 0, 0
        for number, page in enumerate(pages):
            ours = book.text[page.start : page.end]
            lines = [re.sub(r"\d+", "#", line.strip()) for line in ours.split("\n")]
            left += sum(line in heads for line in lines)
            if any(start < page.end and end > page.start for start, end in tables):
                continue
            theirs = "\n".join(
                line for line in others[number].split("\n") if re.sub(r"\d+", "#", line.strip()) not in heads
            )
            if sum(tokens(theirs).values()) < 40:
                continue
            shares.append(f1(tokens(ours), tokens(theirs)))
            best = max(
                range(max(0, number - 2), min(len(others), number + 3)),
                key=lambda n, o=ours: f1(tokens(o), tokens(others[n])),
            )
            right += best == number
        middle = sorted(shares)[len(shares) // 2]
        mean = sum(shares) / len(shares)
        print(
            f"{name:<16}{len(pages):>6}{whole:>16.3f}{mean:>17.3f}{middle:>8.3f}{left:>12}{right:>7} of {len(shares)}"
        )
    print("F1 of its pages: against pdftotext -layout, page by page, pages with tables left out")


if __name__ == "__main__":
    main()
