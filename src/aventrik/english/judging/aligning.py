"""Which words of a claim stand in a sentence, in the same order, moved elsewhere, or not at all."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ...core.wording.words import Word

_RUN = 0.6  # what a pair gains that follows on the pair before it, in both texts
_STEM = 5  # letters that two words of one family share at least
_MOST_PLACES = 12  # of one word in a sentence
_MOST_WORDS = 80  # of a claim; of a longer one the rest is left alone


@dataclass(frozen=True)
class Alignment:
    """`pairs` claim word → sentence word, rising in both; `moved` those of the rest that stand in the sentence in another
    order; `share` is the weight of the claim's content that stands there at all, 0 to 1; `ordered` that of `pairs` alone;
    `runs` the share of all words of the claim that stand in runs of three and more; `score` what nearness is measured by."""

    pairs: dict[int, int]
    moved: dict[int, int]
    share: float
    ordered: float
    runs: float
    score: float


def same(ours: Word, theirs: Word) -> bool:
    """Whether two words are the same, one family (sponsor, sponsorship) or the same figure."""
    if ours.term == theirs.term:
        return bool(ours.figure) == bool(theirs.figure)
    if ours.figure or theirs.figure or not ours.content or not theirs.content:
        return False
    one, other = ours.term, theirs.term
    shorter = min(len(one), len(other))
    if shorter < _STEM or one[:_STEM] != other[:_STEM]:
        return False
    common = next((n for n, (a, b) in enumerate(zip(one, other)) if a != b), shorter)
    return common >= max(_STEM, shorter - 2) and max(len(one), len(other)) - common <= 5


def align(claim: Sequence[Word], sentence: Sequence[Word], index: Index | None = None) -> Alignment:
    """The alignment with the heaviest chain of pairs that rise in both texts; of what is left, again, the moved ones.
    `index` is the sentence's, where it is at hand."""
    claim = claim[:_MOST_WORDS]
    matches = _matches(claim, sentence, index or index_of(sentence))
    pairs, score = _chain(claim, matches)
    used = set(pairs.values())
    rest = [(i, j) for i, j in matches if i not in pairs and j not in used]
    moved: dict[int, int] = {}
    while rest:
        block, _ = _chain(claim, rest)
        telling = {i: j for i, j in block.items() if claim[i].content}
        if not telling:
            break
        moved.update(block)
        taken = set(moved.values())
        rest = [(i, j) for i, j in rest if i not in moved and j not in taken]
    whole = sum(word.weight for word in claim if word.content) or 1.0
    ordered = sum(claim[i].weight for i in pairs if claim[i].content) / whole
    share = ordered + sum(claim[i].weight for i in moved if claim[i].content) / whole
    most = sum(word.weight for word in claim) + _RUN * max(0, len(claim) - 1) * 0.5 or 1.0
    return Alignment(
        pairs, moved, share, ordered, _runs(pairs, len(claim)), (score + 0.5 * (share - ordered) * whole) / most
    )


Index = tuple[dict[str, list[int]], dict[str, list[int]]]


def index_of(sentence: Sequence[Word]) -> Index:
    """Where each term stands in a sentence, and where words with the same first letters do."""
    at: dict[str, list[int]] = {}
    family: dict[str, list[int]] = {}
    for j, word in enumerate(sentence):
        at.setdefault(word.term, []).append(j)
        if word.content and not word.figure and len(word.term) >= _STEM:
            family.setdefault(word.term[:_STEM], []).append(j)
    return at, family


def _matches(claim: Sequence[Word], sentence: Sequence[Word], index: Index) -> list[tuple[int, int]]:
    """All pairs of same words."""
    at, family = index
    found: list[tuple[int, int]] = []
    for i, word in enumerate(claim):
        places = at.get(word.term)
        if places and word.figure:
            places = [j for j in places if sentence[j].figure]
        elif not places and word.content and not word.figure and len(word.term) >= _STEM:
            places = [j for j in family.get(word.term[:_STEM], ()) if same(word, sentence[j])]
        if places:
            found.extend((i, j) for j in places[:_MOST_PLACES])
    return found


def _chain(claim: Sequence[Word], matches: Sequence[tuple[int, int]]) -> tuple[dict[int, int], float]:
    """The heaviest set of pairs that rise in both, by dynamic programming over the pairs in order."""
    best: list[float] = []
    back: list[int] = []
    place_of = {pair: number for number, pair in enumerate(matches)}
    rows = [i for i, _ in matches]
    columns = [j for _, j in matches]
    for number, (i, j) in enumerate(matches):
        own = claim[i].weight
        top, before = 0.0, -1
        for other in range(number):
            if best[other] > top and columns[other] < j and rows[other] < i:
                top, before = best[other], other
        follows = place_of.get((i - 1, j - 1))
        if follows is not None and best[follows] + _RUN * (0.3 + 0.7 * own) >= top:
            top, before = best[follows] + _RUN * (0.3 + 0.7 * own), follows
        best.append(top + own)
        back.append(before)
    if not best:
        return {}, 0.0
    at = max(range(len(best)), key=best.__getitem__)
    score = best[at]
    pairs = {}
    while at >= 0:
        i, j = matches[at]
        pairs[i] = j
        at = back[at]
    return dict(sorted(pairs.items())), score


def _runs(pairs: dict[int, int], length: int) -> float:
    """The share of words in runs of at least three that follow one another in both texts."""
    told, run = 0, 0
    for i in range(length + 1):
        if i in pairs and (run == 0 or pairs.get(i - 1, -9) + 1 == pairs[i]):
            run += 1
            continue
        told += run if run >= 3 else 0
        run = 1 if i in pairs else 0
    return told / length if length else 0.0
