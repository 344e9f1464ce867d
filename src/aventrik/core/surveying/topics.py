"""Groups of chunks that speak of the same: found in their vectors, named by their own words, sampled in proportion."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from ..text import STOP_WORDS, sentences
from ..text.counting import Vocabulary, count_terms

REDUCED = 32
_FITTED_ON = 20_000  # vectors that centres are found from at the most
_WEIGHED = 2_000  # vectors that the silhouette is taken over at the most
_STARTS = 4


@dataclass(frozen=True)
class Topics:
    """`topic[i]` is the topic of vector i, numbered from 0 by falling size; `nearness[i]` its cosine with the topic's
    centre and `margin[i]` how much more that is than with the next centre. `silhouettes` has the mean silhouette
    (Rousseeuw, 1987; −1 to 1) for each number of topics that was tried, empty when the number was given."""

    topic: npt.NDArray[np.int32]
    nearness: npt.NDArray[np.float32]
    margin: npt.NDArray[np.float32]
    silhouettes: dict[int, float]

    @property
    def count(self) -> int:
        """How many topics there are."""
        return int(self.topic.max(initial=-1)) + 1

    def members(self, topic: int) -> npt.NDArray[np.int64]:
        """The vectors of a topic, in order."""
        return np.flatnonzero(self.topic == topic)

    def typical(self, topic: int, count: int) -> list[int]:
        """Vectors nearest to the topic's centre."""
        members = self.members(topic)
        return [int(place) for place in members[np.argsort(-self.nearness[members], kind="stable")][:count]]

    def border(self, topic: int, count: int) -> list[int]:
        """Vectors that another topic's centre is nearly as near to."""
        members = self.members(topic)
        return [int(place) for place in members[np.argsort(self.margin[members], kind="stable")][:count]]


def numbers_to_try(count: int) -> list[int]:
    """Numbers of topics that are worth trying for so many vectors: from 2 to 30, closer together where they are small."""
    most = max(1, min(30, count // 4))
    return [number for number in (2, 3, 4, 5, 6, 7, 8, 10, 12, 14, 17, 20, 24, 30) if number <= most]


def find_topics(
    vectors: npt.NDArray[np.float32], numbers: Sequence[int], reduced: bool = False, seed: int = 0
) -> Topics:
    """Topics of unit vectors (n, d) by k-means (Lloyd, 1982), the number being that of `numbers` whose silhouette is
    greatest.

    With `reduced`, in the space of the first 32 principal components. More topics than vectors are cut down to the
    number of different vectors; an empty array has no topics.
    """
    from sklearn.cluster import KMeans
    from sklearn.metrics import silhouette_score

    if not len(vectors):
        nothing = np.zeros(0, dtype=np.float32)
        return Topics(nothing.astype(np.int32), nothing, nothing, {})
    space = _unit(reduce(vectors, REDUCED, seed)) if reduced else np.asarray(vectors)
    draw = np.random.default_rng(seed)
    chosen = np.sort(draw.permutation(len(space))[:_FITTED_ON])
    sample = np.ascontiguousarray(space[chosen])
    different = len(np.unique(sample, axis=0))
    tried = sorted({max(1, min(number, different)) for number in numbers or [1]})
    scores: dict[int, float] = {}
    best: Any = None
    for number in tried:
        model = KMeans(number, n_init=_STARTS, random_state=seed).fit(sample)
        if len(tried) == 1:
            best = model
            break
        told = -1.0
        if 1 < number < len(sample):
            few = min(_WEIGHED, len(sample))
            told = float(silhouette_score(sample, model.labels_, sample_size=few, random_state=seed))
        if best is None or told > max(scores.values()):
            best = model
        scores[number] = told
    centres = _unit(best.cluster_centers_)
    return _assigned(space, centres, scores)


def _assigned(space: npt.NDArray, centres: npt.NDArray, scores: dict[int, float]) -> Topics:
    topic = np.empty(len(space), dtype=np.int32)
    nearness = np.empty(len(space), dtype=np.float32)
    margin = np.ones(len(space), dtype=np.float32)
    for first in range(0, len(space), 1 << 14):
        cosines = np.asarray(space[first : first + (1 << 14)]) @ centres.T
        rows = slice(first, first + len(cosines))
        topic[rows] = cosines.argmax(axis=1)
        ordered = np.sort(cosines, axis=1)
        nearness[rows] = ordered[:, -1]
        if cosines.shape[1] > 1:
            margin[rows] = ordered[:, -1] - ordered[:, -2]
    sizes = np.bincount(topic, minlength=len(centres))
    order = np.argsort(-sizes, kind="stable")
    rank = np.empty(len(centres), dtype=np.int32)
    rank[order] = np.arange(len(centres), dtype=np.int32)
    return Topics(rank[topic], nearness, margin, scores)


def reduce(vectors: npt.NDArray[np.float32], dimensions: int, seed: int = 0) -> npt.NDArray[np.float32]:
    """The first principal components of vectors (n, d), shape (n, at most `dimensions`)."""
    from sklearn.decomposition import PCA

    wanted = min(dimensions, *vectors.shape)
    if wanted < 1 or len(vectors) < 2:
        return np.zeros((len(vectors), max(1, dimensions)), dtype=np.float32)
    draw = np.random.default_rng(seed)
    model = PCA(wanted, random_state=seed).fit(vectors[np.sort(draw.permutation(len(vectors))[:_FITTED_ON])])
    found = np.asarray(model.transform(vectors), dtype=np.float32)
    for column in range(found.shape[1]):  # the sign of a component is arbitrary; its largest entry shall be positive
        if found[np.abs(found[:, column]).argmax(), column] < 0:
            found[:, column] *= -1
    return found


def _unit(vectors: npt.NDArray) -> npt.NDArray[np.float32]:
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.where(lengths > 0, lengths, 1), dtype=np.float32)


def own_words(texts: Sequence[str], topic: npt.NDArray[np.int32], count: int = 8) -> list[list[str]]:
    """For each topic the words that stand in it more than elsewhere, by the log-likelihood ratio (Dunning, 1993):
    2 · Σ observed · ln(observed ÷ expected) over the topic and the rest. Figures and stop words do not count."""
    from scipy.sparse import csr_matrix

    topics = int(topic.max(initial=-1)) + 1
    vocabulary = Vocabulary(words_left_out=STOP_WORDS)
    counts = count_terms(texts, vocabulary)
    rows = csr_matrix((np.ones(len(topic)), (topic, np.arange(len(topic)))), shape=(topics, len(topic)))
    inside = np.asarray((rows @ counts).todense(), dtype=np.float64)
    total = inside.sum(axis=0, keepdims=True)
    outside = total - inside
    size_in, size_out = inside.sum(axis=1, keepdims=True), outside.sum(axis=1, keepdims=True)
    share = total / max(1.0, total.sum())
    ratio = 2 * (_surprise(inside, size_in * share) + _surprise(outside, size_out * share))
    ratio[inside <= size_in * share] = 0
    shown = vocabulary.shown()
    found = []
    for row in ratio:
        best = np.argsort(-row, kind="stable")[: count * 3]
        words = [
            shown[place] for place in best if row[place] > 0 and len(shown[place]) > 2 and not shown[place][0].isdigit()
        ]
        found.append(words[:count])
    return found


def _surprise(observed: npt.NDArray, expected: npt.NDArray) -> npt.NDArray:
    ratio = np.divide(observed, expected, out=np.ones_like(observed), where=(observed > 0) & (expected > 0))
    return observed * np.log(ratio)


def shares(sizes: Sequence[int], total: int, floor: int = 1) -> list[int]:
    """How many to draw of each group: `total` in all, in proportion to the sizes, but at least `floor` of each group,
    or all of a smaller one. More than `total` only where the floors alone come to more. Rounding goes to the largest
    remainders."""
    given = [min(size, floor) for size in sizes]
    free = set(range(len(sizes)))
    total = max(min(total, sum(sizes)), sum(given))
    while True:
        left = total - sum(given[place] for place in range(len(sizes)) if place not in free)
        whole = sum(sizes[place] for place in free)
        exact = {place: left * sizes[place] / whole for place in free if whole}
        low = {place for place, share in exact.items() if share < given[place]}
        if not low:
            break
        free -= low  # these stay at their floor
    for place, share in exact.items():
        given[place] = int(share)
    rest = total - sum(given)
    for place in sorted(exact, key=lambda n: (given[n] - exact[n], n))[:rest]:
        given[place] += 1
    return given


def stated_share(text: str) -> float:
    """Share of a text's characters that stand in full sentences (six words or more, with an end) or in rows of a table
    with header words; 0 to 1. Navigation, lists of names and signatures have little of it."""
    told = whole = 0
    for start, end in sentences(text):
        piece = text[start:end]
        whole += len(piece)
        if (len(piece.split()) >= 6 and piece[-1] in '.!?)”"') or piece.count(": ") >= 2:
            told += len(piece)
    return told / whole if whole else 0.0
