"""A claim that is no sentence by itself, '£12.' or 'only at Oxmere', read with its question: whether the values that it gives stand
with what the question asks about."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ...core.wording.asking import NamedThing, read, standing_for
from ...core.wording.figures import month_of
from ...core.wording.irregular import base
from ...core.wording.words import OPENING, Word, words_of
from ..grammar import AUXILIARIES
from .aligning import same
from .amounts import bears_out
from .evidence import ContextPlace
from .operators import NARROW, RECKONING, is_negation
from .units import is_unit

_LONGEST = 18  # words of a fragment
_FINITE = AUXILIARIES | frozenset("has have had do does did be been cannot am could would might".split())
_LINKED = 0.3  # of what a question names, that a place has, from which it speaks of that
_BESIDE, _ABOVE, _INSIDE = (
    0.6,
    0.6,
    0.25,
)  # what a word of the question counts in the sentence beside, above, in the item
_COUNTED = 5  # words between a figure and what it counts
_FURTHER = 0.3  # by how much a rival place has to be nearer to the question
_MISSING = 0.34  # of the plain words, that may stand in other words
_MANY = 3  # figures and names that stand together nowhere by chance
_PLACES = 4  # on which one fragment may rest


@dataclass(frozen=True)
class Reading:
    """`verdict`, how sure, why, and the places that decide."""

    verdict: str
    sure: float
    reason: str
    places: tuple[ContextPlace, ...] = ()
    gap: bool = False  # nothing stands against it but words that its place does not have


def is_fragment(claim: Sequence[Word]) -> bool:
    """Whether a claim has no verb of its own that is seen to be one: what it says rests on its question."""
    if len(claim) > _LONGEST or (claim and claim[0].lower in _SUBJECTS):
        return False
    main: list[Word] = []
    for word in claim:  # what stands in a dependent clause is no verb of the claim
        if word.lower in OPENING and main:
            break
        main.append(word)
    return not any(
        word.lower in _FINITE and not (word.lower == "may" and word.text[:1] == "M") for word in main
    ) and not _has_subject(main)


def _has_subject(words: Sequence[Word]) -> bool:
    """Whether a noun phrase is followed by a verb: 'the keeper opens it', 'the dredger came'."""
    if not words or not (words[0].lower in _OPENS or words[0].text[:1].isupper()):
        return False
    for at, word in enumerate(words[1:6], 1):
        if not word.content or word.figure or word.name:
            continue
        past = base(word.lower) != word.lower and not word.lower.endswith(("s", "er", "est"))
        if past and words[at - 1].content and not words[at - 1].figure:
            return True
        behind = words[at + 1] if at + 1 < len(words) else None
        third = word.lower.endswith("s") and not word.lower.endswith(("ss", "us"))
        if third and words[0].lower in _OPENS and behind is not None and behind.lower in _BEHIND_VERB:
            return True
    return False


_SUBJECTS = frozenset("it they he she we you i this these those that there to please".split())
_OPENS = frozenset("the a an each every it he she".split())
_BEHIND_VERB = frozenset("the a an its their it them to".split())


def read_fragment(claim: Sequence[Word], question: str, places: Sequence[ContextPlace]) -> Reading | None:
    """What the places say of a fragment as an answer to its question; None where they do not speak of the question's matter, or
    the fragment gives no value.

    *Supported*: each figure, with its unit, each name and nearly all other words stand in a few places that speak of what is asked
    about. *Contradicted*: another value of the kind stands nearer to the question. *Not found*: a figure or name stands nowhere.
    """
    asked = read(question)
    singles = [place for place in places if not place.second] or list(places)
    near = {place: _link(asked.about, place) for place in singles}
    best = max(near.values(), default=0.0)
    if not claim or not singles:
        return None
    known = {term for thing in asked.about for term in thing.terms}
    wanted = [
        at
        for at, word in enumerate(claim)
        if word.content and not word.light and (word.term not in known or word.figure)
    ]
    values = [at for at in wanted if claim[at].figure or claim[at].name or is_unit(claim[at].lower)]
    exactly = [at for at in values if not is_unit(claim[at].lower)]
    if not wanted or (best < _LINKED and len(exactly) < _MANY):
        return None
    order = sorted(singles, key=lambda place: (-near[place], place.length))
    held = _held(claim, wanted, order, near, loose=len(exactly) >= _MANY)
    lost = [at for at in wanted if at not in held]
    used = list(dict.fromkeys(held.values()))
    exact = [at for at in lost if claim[at].figure]
    if exact:
        return _without_figure(claim, exact[0], question, order, used)
    strange = [at for at in lost if claim[at].name] or [at for at in held if _is_beside(claim, at, held, known)]
    if strange:
        return Reading("not found", 0.8, f"the name {claim[strange[0]].text} does not stand there", (order[0],))
    plain = [at for at in lost if not (is_unit(claim[at].lower) and at and claim[at - 1].figure)]
    if len(plain) > _MISSING * len(wanted) or len(used) > _PLACES or _lost_clause(claim, wanted, plain):
        told = ", ".join(claim[at].text for at in plain[:4])
        return Reading("too far to tell", 0.5, f"in other words than the places: {told}", tuple(used[:2] or order[:1]))
    link = max((near[place] for place in used), default=best)
    other = next(
        (place for place in order if near[place] > link + _FURTHER and _gives_another(claim, values, place)), None
    )
    if other is not None and link < _LINKED:
        return Reading("too far to tell", 0.5, "a place that is nearer to the question gives another value", (other,))
    if any(is_negation(claim, at) for at in range(len(claim))) and not _denied(used or order[:1]):
        return Reading("too far to tell", 0.5, "it denies something that the places do not deny", tuple(used[:2]))
    bounded = any(word.lower in ("over", "under", "least", "most", "from", "above", "below") for word in claim)
    if (
        not bounded
        and any(word.lower in NARROW for word in claim)
        and not any(w.lower in NARROW or is_negation(p.words, n) for p in used for n, w in enumerate(p.words))
    ):
        return Reading("not found", 0.65, "it says 'only', the place does not", tuple(used[:2]))
    sure = min(0.93, 0.62 + 0.3 * link) - 0.1 * bool(plain) - 0.05 * (len(used) > 2)
    return Reading(
        "supported",
        sure,
        "what it gives stands with what the question asks about",
        tuple(used[:_PLACES]) or (order[0],),
    )


def _link(about: Sequence[NamedThing], place: ContextPlace) -> float:
    """How much of what a question names a place has, 0 to 1; a word beside or above it counts less."""
    whole = sum(_weight(thing) for thing in about)
    if not whole:
        return 1.0
    found = 0.0
    for thing in about:
        if place.whole.isdisjoint(thing.terms):
            continue
        here = max((how for term, how in thing.terms.items() if term in place.terms), default=0.0)
        beside = (
            max((how for term, how in thing.terms.items() if term in place.around), default=0.0) if here < 1 else 0.0
        )
        inside = (
            max((how for term, how in thing.terms.items() if term in place.whole), default=0.0) if here < 1 else 0.0
        )
        found += _weight(thing) * max(here, _BESIDE * beside, _INSIDE * inside)
    return found / whole


def _weight(thing: NamedThing) -> float:
    return thing.weight * (1.5 if thing.name or thing.figure else 1.0)


def _holders(places: Sequence[ContextPlace], claim: Sequence[Word], at: int) -> list[ContextPlace]:
    """The places that have a word of the claim: itself, one that may stand for it, a figure with the same unit."""
    word = claim[at]
    if month_of(word.lower) and word.name and at and claim[at - 1].figure:
        return [place for place in places if _has_day(place, claim[at - 1], word)]
    if word.figure:
        return [place for place in places if _holds_figure(place, claim, at)]
    terms = frozenset(standing_for(word))
    found = [place for place in places if not terms.isdisjoint(place.terms)]
    if word.name:
        return [place for place in found if not terms.isdisjoint(place.terms - place.column_names)]
    return found or [place for place in places if any(same(word, other) for other in place.first if other.content)]


def _holds_figure(place: ContextPlace, claim: Sequence[Word], at: int) -> bool:
    theirs = place.first
    return any(
        other.figure and _same_figure(claim[at], other) and _units_fit(claim, at, theirs, j)
        for j, other in enumerate(theirs)
    )


def _has_day(place: ContextPlace, day: Word, month: Word) -> bool:
    """Whether a place has a day of a month: '7, 14 and 21 June' has three."""
    for j, other in enumerate(place.first):
        if other.term != month.term:
            continue
        before = place.first[max(0, j - 6) : j]
        if any(each.figure and _same_figure(day, each) for each in before):
            return True
    return False


def _same_figure(word: Word, other: Word) -> bool:
    ours, theirs = word.figure.lstrip("#"), other.figure.lstrip("#")
    if ours == theirs:
        return True
    hour, clock = (ours, theirs) if ":" in theirs else (theirs, ours)
    if ":" not in clock or ":" in hour:
        return False
    return clock.endswith(":00") and hour.isdigit() and int(clock.split(":")[0]) % 12 == int(hour) % 12


def _units_fit(claim: Sequence[Word], at: int, theirs: Sequence[Word], j: int) -> bool:
    ours, other = _unit(claim, at), _unit(theirs, j)
    if ours and other:
        return ours == other
    counted = claim[at + 1] if at + 1 < len(claim) and claim[at + 1].clause == claim[at].clause else None
    if ours or counted is None or not counted.content or counted.light or counted.figure or counted.name:
        return True
    return any(same(counted, each) for each in theirs[max(0, j - _COUNTED) : j + _COUNTED + 1]) or not any(
        same(counted, each) for each in theirs
    )


def _unit(words: Sequence[Word], at: int) -> str:
    if words[at].unit and is_unit(words[at].unit):
        return words[at].unit
    behind = words[at + 1] if at + 1 < len(words) else None
    return behind.term if behind is not None and is_unit(behind.lower) else ""


def _held(
    claim: Sequence[Word], wanted: Sequence[int], order: Sequence[ContextPlace], near: Mapping[ContextPlace, float], loose: bool
) -> dict[int, ContextPlace]:  # fmt: skip
    """For each word that is wanted the place that has it: one that has others of them, or else the nearest to the question."""
    wide = [place for place in order if loose or near[place] > 0]
    having = {at: _holders(wide, claim, at) for at in wanted}
    counts = Counter(place for places in having.values() for place in places)
    found = {}
    for at, places in having.items():
        if places:
            found[at] = max(places, key=lambda place: (counts[place], near[place]))
    return found


def _is_beside(claim: Sequence[Word], at: int, held: Mapping[int, ContextPlace], known: set[str]) -> bool:
    """Whether a name stands in another place than the rest of a fragment, which has a name of its own in its stead."""
    if not claim[at].name or claim[at].figure:
        return False
    rest = Counter(place for each, place in held.items() if not claim[each].name or claim[each].figure)
    if not rest or held[at] in rest:
        return False
    main = rest.most_common(1)[0][0]
    ours = {word.term for word in claim}
    return any(
        word.name and not word.figure and word.term not in ours and word.term not in known for word in main.first
    )


def _lost_clause(claim: Sequence[Word], wanted: Sequence[int], lost: Sequence[int]) -> bool:
    """Whether a part of a fragment between two marks says nothing that the places have."""
    clauses = {claim[at].clause for at in wanted}
    return len(clauses) > 1 and any(all(at in lost for at in wanted if claim[at].clause == each) for each in clauses)


def _without_figure(
    claim: Sequence[Word], at: int, question: str, order: Sequence[ContextPlace], used: Sequence[ContextPlace]
) -> Reading:
    """The verdict on a fragment with a figure that stands nowhere."""
    word, places = claim[at], (*used[:2], order[0])
    if _follows(claim, at, question, [*used, *order[:3]]):
        if any(each.lower in RECKONING for each in (*claim, *words_of(question))) or _unit(claim, at) not in (
            "", *(_unit(place.first, j) for place in places for j, other in enumerate(place.first) if other.figure),
        ):  # fmt: skip
            return Reading(
                "supported", 0.6, f"{word.text} follows from the figures that stand there", tuple(dict.fromkeys(places))
            )
        return Reading("too far to tell", 0.5, f"{word.text} may follow from the figures that stand there", (order[0],))
    for place in dict.fromkeys(places):
        rival = _rival(claim, at, place)
        if rival is not None:
            return Reading("contradicted", 0.85, f"it says {word.text}, the place says {rival.text}", (place,))
    return Reading("not found", 0.8, f"the figure {word.text} does not stand there", (order[0],))


def _follows(claim: Sequence[Word], at: int, question: str, places: Sequence[ContextPlace]) -> bool:
    """Whether a figure follows from figures of the nearest places, and of the question."""
    own = " ".join(word.text for word in claim[max(0, at - 1) : at + 3])
    texts = [" ".join(place.texts) for place in dict.fromkeys(places)]
    return any(bears_out(own, claim[at].figure, f"{text} {question}") for text in [*texts, " ".join(texts)])


def _rival(claim: Sequence[Word], at: int, place: ContextPlace) -> Word | None:
    """Another figure of the place with the unit that the claim's has."""
    unit = _unit(claim, at)
    ours = {word.figure for word in claim}
    return next(
        (
            other
            for j, other in enumerate(place.first)
            if other.figure and other.figure not in ours and _unit(place.first, j) == unit
        ),
        None,
    )


def _gives_another(claim: Sequence[Word], values: Sequence[int], place: ContextPlace) -> bool:
    figures = [at for at in values if claim[at].figure]
    return bool(figures) and all(
        _rival(claim, at, place) is not None and not _holds_figure(place, claim, at) for at in figures
    )


def _denied(places: Sequence[ContextPlace]) -> bool:
    return any(
        is_negation(place.words, at) or word.lower in NARROW or word.lower in ("off", "closed")
        for place in places
        for at, word in enumerate(place.words)
    )
