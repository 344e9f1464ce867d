"""What stands against a claim in the sentence that is nearest to it: figures, names, denials, extent, conditions, roles,
and words that stand nowhere."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise

from ...core.wording.figures import MONTHS, within
from ...core.wording.words import OPENING, PRONOUNS, Word
from .amounts import bears_out
from .naming import in_its_slot, initials, month_in_range, names
from .operators import (
    BOLD,
    CONDITIONS,
    HEDGES,
    NARROW,
    RECKONING,
    STRONG,
    WEAK,
    is_condition,
    is_negation,
    is_wide,
    opposite,
)
from .pairing import CONTRADICTED, LITTLE, NOT_FOUND, REASONED, TOO_FAR, Objection, Pairing
from .units import is_unit, same_amount

_ENOUGH = 0.9  # weight of what is left over from which something is missing
_PREPOSITIONS = frozenset(
    """in on at with for during since until before after under over between through via within without as into onto if when unless
    while because although""".split()
)


def against(pairing: Pairing) -> Iterator[Objection]:
    """All that stands against a claim whose wording is near."""
    yield from figures(pairing)
    yield from cells(pairing)
    yield from names(pairing)
    yield from operators(pairing)
    yield from roles(pairing)
    yield from left_over(pairing)


def against_far(pairing: Pairing) -> Iterator[Objection]:
    """What stands against a claim whose wording is far from every sentence: a figure that stands nowhere, or a bold word
    on what the nearest sentence is about."""
    claim, share = pairing.claim, pairing.found.share
    here = {word.lower for word in pairing.theirs}
    for i in pairing.unplaced:
        word = claim[i]
        if word.figure and word.text[:1].isdigit() and share >= 0.25 and word.figure not in pairing.everywhere():
            yield Objection(NOT_FOUND, 0.7, f"the figure {word.text} stands nowhere in the context")
        if word.lower in BOLD and word.lower not in here and share >= 0.45:
            yield Objection(NOT_FOUND, 0.6, f"it says {word.lower!r}, the nearest sentence does not")


def figures(pairing: Pairing) -> Iterator[Objection]:
    """Figures that the sentence does not have; one that it has instead contradicts."""
    claim, theirs, place = pairing.claim, pairing.theirs, pairing.place
    paired = {*pairing.found.pairs.values(), *pairing.found.moved.values()}
    for i in pairing.unplaced:
        word = claim[i]
        if not word.figure or same_elsewhere(claim, i, theirs) or _in_range(word.figure, theirs):
            continue
        rivals = [other for j, other in enumerate(theirs) if other.figure and j not in paired]
        reckons = _reckons(claim)
        if bears_out(_around(claim, i), word.figure, " ".join(place.texts)):
            if reckons or (
                rivals and _unit_at(claim, i) not in {_unit_at(theirs, j) for j, o in enumerate(theirs) if o.figure}
            ):
                yield Objection(REASONED, 0.0, f"{word.text} follows from the figures that stand there")
            else:
                yield Objection(TOO_FAR, 0.5, f"{word.text} may follow from the figures that stand there")
        elif reckons and not _reckons(theirs):
            yield Objection(TOO_FAR, 0.5, f"{word.text} would have to be reckoned from what stands there")
        elif rivals:
            yield Objection(CONTRADICTED, 0.95, f"it says {word.text}, the sentence says {rivals[0].text}")
        else:
            yield Objection(NOT_FOUND, 0.9, f"the figure {word.text} does not stand there")


def _around(claim: Sequence[Word], i: int) -> str:
    return " ".join(word.text for word in claim[max(0, i - 3) : i + 4])


def _reckons(words: Sequence[Word]) -> bool:
    """Whether a text tells something reckoned: a total, a difference, a rate."""
    return any(word.lower in RECKONING for word in words)


def same_elsewhere(claim: Sequence[Word], i: int, theirs: Sequence[Word]) -> bool:
    """Whether the sentence has the amount in another unit, or with another mark for thousands."""
    unit = _unit_at(claim, i)
    for j, other in enumerate(theirs):
        if not other.figure:
            continue
        if unit and same_amount(claim[i].figure, unit, other.figure, _unit_at(theirs, j)):
            return True
        if _thousands(claim[i].text) == other.figure or _thousands(other.text) == claim[i].figure:
            return True
        if ":" in other.figure and _clock(claim[i].figure) == _clock(other.figure):
            return True
    return False


def _unit_at(words: Sequence[Word], at: int) -> str:
    if words[at].unit:
        return words[at].unit
    behind = words[at + 1].lower if at + 1 < len(words) else ""
    return behind if is_unit(behind) else ""


def _thousands(text: str) -> str:
    parts = text.split(".")
    grouped = len(parts) > 1 and parts[0].isdigit() and len(parts[0]) <= 3 and all(len(p) == 3 for p in parts[1:])
    return "".join(parts) if grouped else text


def _clock(figure: str) -> tuple[int, str]:
    hour, _, minutes = figure.partition(":")
    return (int(hour) % 12 if hour.isdigit() else -1, minutes)


def _in_range(figure: str, theirs: Sequence[Word]) -> bool:
    """Whether the sentence has a range, 'between 5 and 10' or '5 to 10', that holds the figure."""
    for low, link, high in zip(theirs, theirs[1:], theirs[2:]):
        if (
            low.figure
            and high.figure
            and link.lower in ("to", "and", "until")
            and within(figure, low.figure, high.figure)
        ):
            return True
    return False


def cells(pairing: Pairing) -> Iterator[Objection]:
    """In a row of a table: a value that stands under another column than the claim says."""
    if not pairing.place.row:
        return
    placed = {**pairing.found.pairs, **pairing.found.moved}
    told = Counter(
        pairing.theirs[j].segment for i, j in placed.items() if not pairing.claim[i].figure and pairing.claim[i].content
    )
    for i, j in placed.items():
        segment = pairing.theirs[j].segment
        if (
            pairing.claim[i].figure
            and segment
            and not told[segment]
            and any(other and other != segment for other in told)
        ):
            yield Objection(CONTRADICTED, 0.85, f"{pairing.claim[i].text} stands in another column")


def operators(pairing: Pairing) -> Iterator[Objection]:
    """Denials, opposites, words of extent, of duty and of condition that only one of the two has."""
    claim, theirs = pairing.claim, pairing.theirs
    astray = _astray(pairing)
    added = sorted([*pairing.unplaced, *astray])
    dropped = sorted([*pairing.dropped, *(pairing.found.pairs[i] for i in astray)])
    told = {j for j in (*pairing.found.pairs.values(), *pairing.found.moved.values()) if theirs[j].content}
    home = Counter(theirs[j].sentence for j in told)
    most = max(home.values(), default=0)
    turned = Counter(
        theirs[j].clause for j in dropped
        if is_negation(theirs, j) and 2 * home[theirs[j].sentence] >= most
        and any(k > j and theirs[k].clause == theirs[j].clause for k in told)
    )  # fmt: skip
    turned.update(_clause_there(pairing, i) for i in added if is_negation(claim, i))
    turns = any(count % 2 for count in turned.values())
    rivals = [
        (claim[i].lower, theirs[j].lower) for i in added for j in dropped if opposite(claim[i].lower, theirs[j].lower)
    ]  # fmt: skip
    if rivals and not turns:
        yield Objection(CONTRADICTED, 0.92, f"it says {rivals[0][0]!r}, the sentence says {rivals[0][1]!r}")
    elif turns and not rivals:
        yield Objection(CONTRADICTED, 0.93, "one of the two is negated, the other is not")
    yield from _cases(pairing)
    yield from _extent(claim, theirs, added, dropped)
    yield from _conditions(claim, theirs, added, dropped)


def _cases(pairing: Pairing) -> Iterator[Objection]:
    """What the sentence says of another case ('otherwise …'), or a figure that it gives to another thing in a list."""
    claim, theirs, pairs = pairing.claim, pairing.theirs, pairing.found.pairs
    ours = {word.lower for word in claim}
    content = [j for i, j in pairs.items() if claim[i].content]
    for j, word in enumerate(theirs):
        if (
            word.lower in ("otherwise", "else")
            and word.lower not in ours
            and content
            and min(content) < j < max(content)
        ):
            yield Objection(CONTRADICTED, 0.8, f"what follows {word.lower!r} belongs to another case")
    for i, j in pairs.items():
        before = pairs.get(i - 1)
        if not claim[i].figure or before is None or pairing.place.row:
            continue
        skipped = theirs[before + 1 : j]
        link = next((n for n, word in enumerate(skipped) if word.lower in ("and", "but", "while", "whereas")), -1)
        if link > 0 and any(word.figure for word in skipped[:link]) and any(word.content for word in skipped[link:]):
            yield Objection(CONTRADICTED, 0.8, f"{claim[i].text} is said of {skipped[-1].text}")


def _extent(
    claim: Sequence[Word], theirs: Sequence[Word], added: Sequence[int], dropped: Sequence[int]
) -> Iterator[Objection]:
    wide = [claim[i].lower for i in added if is_wide(claim, i)]
    if wide and not any(is_wide(theirs, j) for j in dropped):
        hedged = any(theirs[j].lower in HEDGES for j in dropped)
        yield Objection(CONTRADICTED if hedged else NOT_FOUND, 0.85, f"it says {wide[0]!r}, the sentence does not")
    narrow = [claim[i].lower for i in added if claim[i].lower in NARROW]
    if narrow and not any(theirs[j].lower in NARROW for j in dropped):
        yield Objection(NOT_FOUND, 0.85, f"it says {narrow[0]!r}, the sentence does not")
    strong = [claim[i].lower for i in added if claim[i].lower in STRONG]
    weak = [theirs[j].lower for j in dropped if theirs[j].lower in WEAK]
    if strong and weak:
        yield Objection(CONTRADICTED, 0.85, f"it says {strong[0]!r}, the sentence says {weak[0]!r}")


def _conditions(
    claim: Sequence[Word], theirs: Sequence[Word], added: Sequence[int], dropped: Sequence[int]
) -> Iterator[Objection]:
    there = [theirs[j].lower for j in dropped if is_condition(theirs, j)]
    for i in added:
        word = claim[i].lower
        if not is_condition(claim, i) or any(CONDITIONS[word] == CONDITIONS[other] for other in there):
            continue
        if there:
            yield Objection(CONTRADICTED, 0.85, f"it says {word!r}, the sentence says {there[0]!r}")
        else:
            yield Objection(NOT_FOUND, 0.7, f"it sets a condition ({word!r}) that the sentence does not have")


def _astray(pairing: Pairing) -> list[int]:
    """Words that turn, widen or condition, paired with one of another clause than the content that they belong to."""
    claim, theirs, pairs = pairing.claim, pairing.theirs, pairing.found.pairs
    astray = []
    for i, j in pairs.items():
        if claim[i].content or not (is_negation(claim, i) or is_wide(claim, i) or is_condition(claim, i)):
            continue
        if pairs.get(i - 1) == j - 1 or pairs.get(i + 1) == j + 1:
            continue
        behind = [k for k in pairs if claim[k].content and i < k <= i + 3]
        beside = behind[:1] or [k for k in pairs if claim[k].content and abs(k - i) <= 4]
        if not any(theirs[pairs[k]].clause == theirs[j].clause for k in beside):
            astray.append(i)
    return astray


def _clause_there(pairing: Pairing, i: int) -> int:
    """The clause of the place in which the content next to the claim's i-th word stands: behind it, or else before it."""
    placed = {**pairing.found.moved, **pairing.found.pairs}
    for at in (*sorted(k for k in placed if k > i), *sorted((k for k in placed if k < i), reverse=True)):
        if pairing.theirs[placed[at]].content:
            return pairing.theirs[placed[at]].clause
    return -1


def roles(pairing: Pairing) -> Iterator[Objection]:
    """Shared words in another order, where that changes who does what to whom."""
    claim, theirs, found = pairing.claim, pairing.theirs, pairing.found
    if pairing.place.row or not (found.runs >= LITTLE or found.share >= 0.9):
        return
    own = Counter(theirs[j].sentence for i, j in found.pairs.items() if claim[i].content).most_common(1)
    telling = [
        i for i, j in found.moved.items()
        if claim[i].content and not claim[i].light and (not own or theirs[j].sentence == own[0][0])
    ]  # fmt: skip
    segments = {theirs[j].segment for i, j in found.pairs.items() if claim[i].content}
    turned = _is_passive(claim, 0) != _is_passive(theirs, own[0][0] if own else 0)
    for i in telling:
        rival = in_its_slot(pairing, i)
        if rival and not rival.light:
            yield Objection(CONTRADICTED, 0.85, f"it says {claim[i].text}, the sentence says {rival.text}")
    stands = {claim[i].clause for i in found.pairs if claim[i].content and not claim[i].light}
    for block in _blocks(sorted(telling)):
        if not stands & {claim[i].clause for i in block} and not _ordered(claim, block, found.pairs):
            continue  # whole clauses in another order
        if segments and not segments & {theirs[found.moved[i]].segment for i in block}:
            yield Objection(CONTRADICTED, 0.8, f"{claim[block[0]].text!r} belongs to another case in the sentence")
        elif not (
            turned
            or (_in_adjunct(claim, block[0]) and _in_adjunct(theirs, found.moved[block[0]]))
            or _changes_places(pairing, block)
        ):
            yield Objection(CONTRADICTED, 0.8, f"{claim[block[0]].text!r} has another part in the sentence")


_ORDERING = frozenset("before after until till than that which who whose to from".split())


def _ordered(claim: Sequence[Word], block: Sequence[int], pairs: Mapping[int, int]) -> bool:
    """Whether a word that orders two things stands between some words of a claim and the nearest that is paired."""
    nearest = min(pairs, key=lambda i: min(abs(i - block[0]), abs(i - block[-1])), default=None)
    if nearest is None:
        return True
    low, high = sorted((nearest, block[0] if nearest < block[0] else block[-1]))
    return any(word.lower in _ORDERING for word in claim[low : high + 1])


def _is_passive(words: Sequence[Word], sentence: int) -> bool:
    """Whether 'by' follows a participle: 'is written by', 'sent by'."""
    return any(
        word.lower == "by" and before.sentence == sentence and before.lower.endswith(("ed", "en", "wn", "t", "d", "ne"))
        for before, word in pairwise(words)
    )


def _blocks(places: Sequence[int]) -> list[list[int]]:
    blocks: list[list[int]] = []
    for i in places:
        if blocks and i - blocks[-1][-1] <= 2:
            blocks[-1].append(i)
        else:
            blocks.append([i])
    return blocks


def _in_adjunct(words: Sequence[Word], at: int) -> bool:
    """Whether a phrase that can stand at either end of a sentence ('in 1993', 'if value is present') begins within three
    words before a place."""
    for back in range(1, min(4, at + 1)):
        lower = words[at - back].lower
        if lower in _PREPOSITIONS or lower in OPENING:
            return True
        if lower == "from" and (words[at].figure or words[at].lower in MONTHS):
            return True
        if lower in ("of", "to", "from", "by"):
            return False
    return False


def _changes_places(pairing: Pairing, block: Sequence[int]) -> bool:
    """Whether a moved word only changes places with its neighbour: in a list, or of a compound."""
    claim, placed = pairing.claim, {**pairing.found.pairs, **pairing.found.moved}
    if len(block) > 2:
        return False
    for at, step in ((block[0], -1), (block[-1], 1)):
        beside = at + step
        if (
            0 <= beside < len(claim) and beside in placed and claim[beside].content
        ):  # 'Hexley Lock', 'the lock at Hexley'
            low, high = sorted((placed[beside], placed[at]))
            link = pairing.theirs[low + 1 : high]
            if len(link) == 1 and link[0].lower in ("of", "at", "in", "for", "on"):
                return True
        join, other = at + step, at + 2 * step
        if 0 <= other < len(claim) and claim[join].lower in ("and", "or") and other in placed:
            low, high = sorted((placed[other], placed[at]))
            between = pairing.theirs[low + 1 : high]
            if len(between) <= 2 and all(not word.content for word in between):
                return True
    return False


def left_over(pairing: Pairing) -> Iterator[Objection]:
    """Content that the sentence does not have, in a claim whose wording is else near; what stands around it counts little
    where it stands for a pronoun or opens the claim."""
    if not pairing.tells:
        return
    found, place = pairing.found, pairing.place
    paired = set(found.pairs.values())
    pronoun = any(word.lower in PRONOUNS for j, word in enumerate(place.words) if j not in paired)
    first = min(found.pairs, default=0)
    total, lost = 0.0, []
    for i in pairing.unplaced:
        word = pairing.claim[i]
        if (
            word.light
            or word.figure
            or month_in_range(word.lower, pairing.theirs)
            or initials(word.text, pairing.theirs)
        ):
            continue
        if word.term in place.around:
            total += 0.15 if pronoun or place.row or i < first else 0.5
        else:
            total += 0.8 if word.term in place.whole else 1.0
        lost.append(word.text)
    if total >= _ENOUGH:
        yield Objection(NOT_FOUND, min(0.95, 0.6 + 0.15 * total), f"not there: {', '.join(lost[:4])}", gap=True)
