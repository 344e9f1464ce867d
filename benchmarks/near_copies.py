"""Near copies planted in real paragraphs: precision, recall, and how time grows.

python benchmarks/near_copies.py [PARAGRAPHS…]
"""

from __future__ import annotations

import random
import sys
import time

from real_text import documents

from aventrik.core.vetting.copies import NEAR
from aventrik.core.vetting.minhash import shingles, similar_pairs

COPIES = 1000


def paragraphs(count: int) -> list[str]:
    """Distinct real paragraphs of 40 words or more."""
    found: dict[str, None] = {}
    for document in documents():
        for part in document.of_kind("paragraph", "item", "code"):
            text = document.text[part.start : part.end]
            if len(text.split()) >= 40:
                found.setdefault(text)
                if len(found) == count:
                    return list(found)
    return list(found)


def changed(text: str, share: float, words: list[str], draw: random.Random) -> str:
    """A copy with a share of its words put in others' place."""
    found = text.split()
    for place in draw.sample(range(len(found)), round(share * len(found))):
        found[place] = draw.choice(words)
    return " ".join(found)


def main() -> None:
    """One table: a row a size."""
    sizes = [int(each) for each in sys.argv[1:]] or [5_000, 20_000, 80_000]
    draw = random.Random(5)
    everything = paragraphs(max(sizes))
    words = [word for text in everything[:2000] for word in text.split()]
    print(f"{COPIES} copies planted, a third each with 5, 10 and 20 % of their words changed; found: Jaccard ≥ {NEAR}")
    print(f"{'paragraphs':>11}{'seconds':>9}{'µs each':>9}{'precision':>11}{'recall 5 %':>12}{'10 %':>8}{'20 %':>8}")
    for size in sizes:
        texts = everything[:size]
        if len(texts) < size:
            print(f"{size:>11,}  only {len(texts):,} real paragraphs on this machine")
        sources = draw.sample(range(len(texts)), COPIES)
        shares = [(0.05, 0.10, 0.20)[n % 3] for n in range(COPIES)]
        copies = [changed(texts[source], share, words, draw) for source, share in zip(sources, shares, strict=True)]
        began = time.perf_counter()
        sets = [shingles(text) for text in [*texts, *copies]]
        pairs = similar_pairs(sets, NEAR)
        seconds = time.perf_counter() - began
        planted = {(source, len(texts) + n): shares[n] for n, source in enumerate(sources)}
        # a copy may also be like what its source was like before: that is no false alarm
        natural = {(a, b) for a, b, _ in pairs if b < len(texts)}
        kin = {frozenset(pair) for pair in natural}
        hits = {(a, b) for a, b, _ in pairs if b >= len(texts)}
        right = hits & planted.keys()
        wrong = [
            (a, b)
            for a, b in hits - planted.keys()
            if a < len(texts) and frozenset((a, sources[b - len(texts)])) not in kin
        ]
        recall = {
            share: sum(pair in right for pair, s in planted.items() if s == share) / shares.count(share)
            for share in (0.05, 0.10, 0.20)
        }
        precision = len(right) / max(1, len(right) + len(wrong))
        print(
            f"{len(texts):>11,}{seconds:>9.1f}{seconds / len(texts) * 1e6:>9.0f}{precision:>11.3f}"
            f"{recall[0.05]:>12.3f}{recall[0.10]:>8.3f}{recall[0.20]:>8.3f}"
        )


if __name__ == "__main__":
    main()
