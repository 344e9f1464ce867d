"""The embedding models that ship with the tool, beside what they are made of: the tokenizer alone, scikit-learn alone.

python benchmarks/embedding.py [CHUNKS]
"""

from __future__ import annotations

import sys
import time

import numpy as np
from real_text import chunks
from sklearn.decomposition import TruncatedSVD
from sklearn.feature_extraction.text import TfidfVectorizer

from aventrik.core.embedding import embedder
from aventrik.core.embedding.static import tokenizer
from aventrik.core.text import STOP_WORDS, content_terms

BATCH = 1024


def timed(work: object) -> float:
    """Seconds that a call takes."""
    began = time.perf_counter()
    work()  # type: ignore[operator]
    return time.perf_counter() - began


def main() -> None:
    """One table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 40_000
    texts = chunks(count)
    length = np.mean([len(text) for text in texts])
    print(f"{count:,} chunks of {length:.0f} characters")
    batches = [texts[n : n + BATCH] for n in range(0, count, BATCH)]
    model = embedder("static")
    model.embed(texts[:10], {})
    cutter = tokenizer()
    pairs = []
    for _ in range(3):
        alone = timed(lambda: [cutter.encode_batch_fast(batch, add_special_tokens=False) for batch in batches])
        pairs.append((alone, timed(lambda: [model.embed(batch, {}) for batch in batches])))
    alone, ours = (min(pair[side] for pair in pairs) for side in (0, 1))
    print(
        f"static: {count / ours:,.0f} chunks/s; its tokenizer alone {count / alone:,.0f}; {ours / alone:.2f} times as long"
    )

    lsa = embedder("lsa")

    def whole() -> None:
        state = lsa.fit(lambda: texts)
        for batch in batches:
            lsa.embed(batch, state)

    def library(analyzer: object) -> None:
        vectorizer = TfidfVectorizer(analyzer=analyzer, sublinear_tf=True, dtype=np.float32, min_df=2, stop_words=(
            None if callable(analyzer) else list(STOP_WORDS)))  # fmt: skip
        TruncatedSVD(192, n_iter=4, random_state=0).fit_transform(vectorizer.fit_transform(texts))

    mine = min(timed(whole) for _ in range(2))
    content_terms.cache_clear()
    plain = min(timed(lambda: library("word")) for _ in range(2))
    content_terms.cache_clear()
    same = timed(lambda: library(content_terms))
    print(f"lsa, fitted and embedded: {mine:.1f} s; scikit-learn alone: {plain:.1f} s with its own words, ", end="")
    print(f"{same:.1f} s with the same stems; {mine / plain:.2f} and {mine / same:.2f} times as long")


if __name__ == "__main__":
    main()
