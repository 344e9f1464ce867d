"""What people ask and the documents don't answer: such questions in groups by what they are about."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from ...text import STOP_WORDS, WORD, stem
from ...wording.asking import FRAME
from ...wording.synonyms import leader

MOST = 4000  # questions that are grouped, those asked most
_APART = 0.925  # distance (0 to 2) from which two groups stay apart
_JOINS = 0.2  # mean likeness to a group, from which a doubtful question joins it
_WORDS = 0.2  # what common words count in a likeness, beside the vectors
_NAMED = 4

Embed = Callable[[Sequence[str]], npt.NDArray[np.float32]]  # texts → rows of length 1


@dataclass(frozen=True)
class Unanswered:
    """A question that is answered badly or not at all: its id, wording, how often it was asked in all and each month, and
    why it is here ("no document answers it", or how a run served it)."""

    id: str
    question: str
    asked: int = 1
    months: Mapping[str, int] = field(default_factory=dict)
    why: str = ""


@dataclass(frozen=True)
class Gap:
    """A group of such questions: the words that name it, and its members, most asked first, doubtful ones last."""

    words: tuple[str, ...]
    members: tuple[Unanswered, ...]

    @property
    def asked(self) -> int:
        """How often its questions were asked in all."""
        return sum(each.asked for each in self.members)

    @property
    def months(self) -> dict[str, int]:
        """How often in each month."""
        found: Counter[str] = Counter()
        for each in self.members:
            found.update(each.months)
        return dict(sorted(found.items()))


def gaps(
    questions: Sequence[Unanswered],
    others: Sequence[str] = (),
    embed: Embed | None = None,
    perhaps: Sequence[Unanswered] = (),
) -> list[Gap]:
    """Groups questions by weighted average linkage (McQuitty, 1966), the group asked most first.

    The distance of two questions is 1 − their likeness. Without `embed` that is the cosine of their terms, weighted by
    rarity. With it, a fifth of that and four fifths of the cosine of two vectors side by side: that of the whole question,
    and the sum of those of its words, each by its rarity; both without what all questions have in common (their mean and
    first principal component; Mu and Viswanath, 2018), for which `others`, answered ones, count too. Of `perhaps`, questions
    of which it is doubtful whether anything answers them, those that are like a group join it.
    """
    order = sorted(range(len(questions)), key=lambda place: (-questions[place].asked, place))[:MOST]
    if not order:
        return []
    chosen = [*(questions[place] for place in order), *perhaps[: MOST - len(order)]]
    terms = [_terms(each.question) for each in chosen]
    near = _by_words(terms)
    if embed is not None:
        near = _WORDS * near + (1 - _WORDS) * _by_vectors([each.question for each in chosen], others, embed)
    groups = _joined_by(_grouped(near[: len(order), : len(order)]), near, len(order))
    shown = {term: word for each in chosen for term, word in _shown(each.question).items()}
    everywhere = Counter(term for row in terms for term in row)
    made = []
    for members in groups:
        counts = Counter(term for place in members for term in terms[place])
        named = sorted(counts, key=lambda term: (-(counts[term] ** 2) / everywhere[term], term))[:_NAMED]
        made.append(Gap(tuple(shown.get(term, term) for term in named), tuple(chosen[place] for place in members)))
    return sorted(made, key=lambda gap: (-gap.asked, -len(gap.members), gap.words))


def _grouped(near: npt.NDArray[np.float32]) -> list[list[int]]:
    """The places of a matrix of likenesses in groups."""
    from scipy.cluster.hierarchy import fcluster, linkage
    from scipy.spatial.distance import squareform

    if len(near) == 1:
        return [[0]]
    apart = np.clip(1 - near, 0, 2)
    np.fill_diagonal(apart, 0)
    tree = linkage(squareform((apart + apart.T) / 2, checks=False), method="weighted")
    groups: dict[int, list[int]] = {}
    for place, number in enumerate(fcluster(tree, _APART, criterion="distance").tolist()):
        groups.setdefault(number, []).append(place)
    return list(groups.values())


def _joined_by(groups: list[list[int]], near: npt.NDArray[np.float32], first: int) -> list[list[int]]:
    """The groups with those of the places from `first` on whose mean likeness to one of several members is enough."""
    several = [number for number, group in enumerate(groups) if len(group) > 1]
    made = [list(group) for group in groups]
    for place in range(first, len(near)) if several else ():
        means = [float(near[place, groups[number]].mean()) for number in several]
        if max(means) >= _JOINS:
            made[several[int(np.argmax(means))]].append(place)
    return made


def _by_vectors(texts: Sequence[str], others: Sequence[str], embed: Embed) -> npt.NDArray[np.float32]:
    every = list(dict.fromkeys([*texts, *others]))
    whole = embed(every)
    words = [_shown(text) for text in every]
    different = sorted({word for row in words for word in row.values()})
    rows = dict(zip(different, embed(different))) if different else {}
    counts = Counter(word for row in words for word in row.values())
    sums = np.zeros_like(whole)
    for place, row in enumerate(words):
        for word in row.values():
            sums[place] += np.float32(np.log1p(len(every) / counts[word])) * rows[word]
    both = np.hstack([_own(whole), _own(_unit(sums))])[: len(texts)]
    both = _unit(both)
    return np.asarray(both @ both.T, dtype=np.float32)


def _own(vectors: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    """Vectors without their mean and first principal component, of length 1."""
    moved = vectors - vectors.mean(axis=0)
    if len(vectors) > 2:
        first = np.linalg.svd(moved, full_matrices=False)[2][:1]
        moved = moved - (moved @ first.T) @ first
    return _unit(moved)


def _unit(vectors: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.where(lengths > 1e-9, lengths, 1), dtype=np.float32)


def _shown(question: str) -> dict[str, str]:
    """The terms of a question that tell what it is about, each with the word that it has."""
    found: dict[str, str] = {}
    for word in WORD.findall(question.lower()):
        term = leader(stem(word))
        if word not in STOP_WORDS and term not in FRAME and not word[0].isdigit():
            found.setdefault(term, word)
    return found


def _terms(question: str) -> frozenset[str]:
    return frozenset(_shown(question))


def _by_words(terms: Sequence[frozenset[str]]) -> npt.NDArray[np.float32]:
    from scipy.sparse import csr_matrix

    counts = Counter(term for row in terms for term in row)
    numbers = {term: number for number, term in enumerate(sorted(counts))}
    weights = {term: float(np.log1p(len(terms) / count)) for term, count in counts.items()}
    cells = [(place, numbers[term], weights[term]) for place, row in enumerate(terms) for term in sorted(row)]
    table = csr_matrix(
        ([cell[2] for cell in cells], ([cell[0] for cell in cells], [cell[1] for cell in cells])),
        shape=(len(terms), max(1, len(numbers))), dtype=np.float32,
    )  # fmt: skip
    lengths = np.sqrt(np.asarray(table.multiply(table).sum(axis=1)).ravel())
    found = np.asarray((table @ table.T).todense(), dtype=np.float32)
    scale = np.where(lengths > 0, lengths, 1)
    return np.asarray(found / scale[:, None] / scale[None, :], dtype=np.float32)
