"""Names of a claim that the sentence nearest to it does not have: another stands in their place, or they stand beside it alone."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise

from ...core.wording.figures import MONTHS
from ...core.wording.words import PRONOUNS, Word
from .pairing import CONTRADICTED, NOT_FOUND, Objection, Pairing


def names(pairing: Pairing) -> Iterator[Objection]:
    """Names and identifiers that the sentence does not have. One that stands only in the headings or in the sentences beside it
    counts where the sentence leaves its subject open, and names nothing else in its stead."""
    claim, theirs, place = pairing.claim, pairing.theirs, pairing.place
    placed = {**pairing.found.pairs, **pairing.found.moved}
    home = Counter(theirs[j].sentence for i, j in placed.items() if claim[i].content and not claim[i].name)
    own = home.most_common(1)[0][0] if home else 0
    strange = [i for i, j in placed.items() if claim[i].name and theirs[j].sentence != own]
    taken = {j for i, j in placed.items() if i not in strange}
    rivals = [
        other for j, other in enumerate(theirs)
        if j not in taken and other.sentence == own and not other.figure and other.content and not other.light
        and (other.name or (other.text[:1].isupper() and (j == 0 or theirs[j - 1].sentence != own)))
    ]  # fmt: skip
    opening = min(
        (i for i in pairing.found.pairs if claim[i].content), default=0
    )  # before it a pronoun may stand for the name
    for i in sorted([*pairing.unplaced, *strange]):
        word = claim[i]
        if not word.name or word.figure or month_in_range(word.lower, theirs) or initials(word.text, theirs):
            continue
        rival = in_its_slot(pairing, i)
        if rival and rival.name:
            yield Objection(CONTRADICTED, 0.92, f"it says {word.text}, the sentence says {rival.text}")
        elif word.term not in place.around and i not in strange:
            yield Objection(NOT_FOUND, 0.9, f"the name {word.text} does not stand there")
        elif rivals and (i > opening or not _opens_with_pronoun(theirs, own)):
            yield Objection(CONTRADICTED, 0.85, f"it says {word.text}, the sentence speaks of {rivals[0].text}")
        elif not _leaves_open(pairing, i, own):
            yield Objection(NOT_FOUND, 0.8, f"{word.text} stands beside the sentence, not in it")


def _opens_with_pronoun(words: Sequence[Word], sentence: int) -> bool:
    """Whether one of the first words of a sentence points to what was named before."""
    first = [word.lower for word in words if word.sentence == sentence][:4]
    return bool(first) and (
        first[0] in PRONOUNS or any(word in PRONOUNS - {"that", "which", "there", "such"} for word in first)
    )


def _leaves_open(pairing: Pairing, i: int, own: int) -> bool:
    """Whether a sentence leaves room for a name that stands beside it: it points back with a pronoun, is a row or a fragment,
    or has nothing of its own where the claim has the name."""
    theirs, pairs = pairing.theirs, pairing.found.pairs
    if pairing.place.row or _opens_with_pronoun(theirs, own):
        return True
    taken = {*pairs.values(), *pairing.found.moved.values()}
    before = max((pairs[k] for k in pairs if k < i), default=-1)
    behind = min((pairs[k] for k in pairs if k > i), default=len(theirs))
    return not any(theirs[j].content and not theirs[j].light for j in range(before + 1, behind) if j not in taken)


def in_its_slot(pairing: Pairing, i: int) -> Word | None:
    """The one word that the sentence has where the claim has its i-th: between the same two words; None where there is
    none."""
    pairs, theirs = pairing.found.pairs, pairing.theirs
    before, behind = pairs.get(i - 1), pairs.get(i + 1)
    if i == len(pairing.claim) - 1 and before is not None and before + 2 == len(theirs):
        behind = len(theirs)
    if before is None or behind != before + 2 or before + 1 in pairs.values():
        return None
    rival = theirs[before + 1]
    return rival if rival.content else None


def initials(name: str, theirs: Sequence[Word]) -> bool:
    """Whether a name in capitals is made of the first letters of words that follow one another."""
    if not name.isupper() or not 2 <= len(name) <= 6:
        return False
    letters = "".join(word.lower[0] for word in theirs)
    told = "".join(word.lower[0] for word in theirs if word.content)
    return name.lower() in letters or name.lower() in told


def month_in_range(month: str, theirs: Sequence[Word]) -> bool:
    number = MONTHS.get(month, 0)
    months = [(j, MONTHS[word.lower]) for j, word in enumerate(theirs) if word.lower in MONTHS]
    for (j, first), (k, last) in pairwise(months):
        linked = any(word.lower in ("to", "until", "till", "and", "through") for word in theirs[j + 1 : k])
        inside = first <= number <= last or (first > last and (number >= first or number <= last))
        if number and linked and inside:
            return True
    return False
