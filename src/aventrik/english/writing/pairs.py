"""Questions that take two places: two needs that share a subject, and what sets two things apart."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from itertools import chain, combinations

from ...core.testsets.drafting.offers import Offer
from ...core.text import content_terms

_APART = 1500  # characters between two places of one document that no passage holds together
_OTHER = 2  # terms that each of two questions must have beside those that they share
_ENOUGH = 0.8  # share of a question's terms that a passage which answers it would hold
_WHAT = re.compile(r"^What (?:is|are) (?P<thing>(?!there|meant)[^?]+)\?$")
_SINGLE = re.compile(r"^(?:How do I|What (?:is|are)|Which|When|Where|Why|How (?:many|much|long)|Who)\b[^,?]+\?$")
_LOOSE = frozenset("available existing current other various different more new old own".split())
_NEAR = 10_000  # characters between two sections under one heading that may still be about one matter
_FEW = 60  # joined questions from which on neighbours that share no term are left out
_NEXT = 4  # sections behind one with which it is joined
_PLACED = frozenset(("title", "heading"))
_ARTICLE = re.compile(r"^(?:the|an?)\s+")


def joined(offers: Sequence[Offer]) -> Iterator[Offer]:
    """Two questions in one whose places stand under the same heading or in the same kind of table and lie apart: somebody
    who asks the one may well ask the other. Those that share a rare term come first, the rarest
    before the others; where they are few, neighbours under one heading follow. A pair
    of which one side's evidence holds most of what the other asks is left out: one passage would do."""
    single = [offer for offer in offers if _SINGLE.match(offer.question) and len(offer.question.split()) <= 12]
    asked = [frozenset(content_terms(offer.question)) for offer in single]
    held = [_held(offer) for offer in single]
    seen: set[tuple[int, int]] = set()
    made = 0
    sharing = [*_sharing(single, asked)]
    for number, (one, other) in enumerate(chain(sharing, _neighbours(single))):
        if number >= len(sharing) and made >= _FEW:
            return
        if (one, other) in seen or not _akin(single[one], single[other]) or not _apart(single[one], single[other]):
            continue
        seen.add((one, other))
        if min(len(asked[one] - asked[other]), len(asked[other] - asked[one])) < _OTHER:
            continue
        if _answers(held[one], asked[other]) or _answers(held[other], asked[one]):
            continue
        alike = single[one].question.split()[0] == single[other].question.split()[0]
        what = single[one].question.startswith("What")
        first, second = (one, other) if alike or what else (other, one)
        made += 1
        yield _together(single[first], single[second])


def _sharing(single: Sequence[Offer], asked: Sequence[frozenset[str]]) -> Iterator[tuple[int, int]]:
    """Pairs of questions that share a term that few have, the rarest terms first."""
    spread = Counter(term for terms in asked for term in terms)
    shared: dict[str, list[int]] = defaultdict(list)
    for number, terms in enumerate(asked):
        for term in terms:
            if 2 <= spread[term] <= max(3, len(single) // 20):
                shared[term].append(number)
    for term in sorted(shared, key=lambda term: (spread[term], term)):
        yield from combinations(shared[term], 2)


def _neighbours(single: Sequence[Offer]) -> Iterator[tuple[int, int]]:
    """Pairs of questions from sections under one heading, each with the next few."""
    under: dict[tuple[str, str], list[int]] = defaultdict(list)
    for number, offer in enumerate(single):
        if offer.rule in _PLACED:
            under[offer.doc, offer.topic].append(number)
    for numbers in under.values():
        for place, one in enumerate(numbers):
            for other in numbers[place + 1 : place + 1 + _NEXT]:
                yield one, other


def compared(offers: Sequence[Offer]) -> Iterator[Offer]:
    """'What is the difference between A and B?' of offers that ask what two things of one kind are."""
    kinds: dict[str, list[tuple[str, Offer]]] = defaultdict(list)
    for offer in offers:
        found = _WHAT.match(offer.question)
        if not found or re.search(r"\b(?:of|for|in|on|at|with|by|from|to|and|or|used)\b", found["thing"]):
            continue
        thing = _ARTICLE.sub("", found["thing"])
        words = thing.split()
        if 2 <= len(words) <= 4 and words[0].lower() not in _LOOSE:
            kinds[words[-1].lower()].append((found["thing"], offer))
    for kind in sorted(kinds):
        rows = kinds[kind]
        for place, (one, first) in enumerate(rows):
            for other, second in rows[place + 1 :]:
                if (
                    first.doc != second.doc
                    or first.topic != second.topic
                    or one.startswith("the ") != other.startswith("the ")
                ):
                    continue
                if _ARTICLE.sub("", one) == _ARTICLE.sub("", other):
                    continue
                yield Offer(
                    f"What is the difference between {one} and {other}?", f"{first.answer} {second.answer}", "comparison",
                    (*first.needs, *second.needs), "difference", hide=(*first.hide, *second.hide), topic=first.topic,
                )  # fmt: skip


def _together(first: Offer, second: Offer) -> Offer:
    then = second.question[:1].lower() + second.question[1:]
    return Offer(
        f"{first.question.rstrip('?')}, and {then}", f"{first.answer} {second.answer}", "joined",
        (*first.needs, *second.needs), "joined", hide=(*first.hide, *second.hide), topic=first.topic,
    )  # fmt: skip


def _akin(one: Offer, other: Offer) -> bool:
    """Whether two places have the same subject: the heading over both, or cells of one column or row."""
    if one.rule == other.rule == "cell":
        return True
    if one.doc != other.doc or one.topic != other.topic or one.rule not in _PLACED or other.rule not in _PLACED:
        return False
    near = abs(one.needs[0].spans[0].start - other.needs[0].spans[0].start) < _NEAR
    return near and one.question.split()[0] == other.question.split()[0]


def _held(offer: Offer) -> frozenset[str]:
    return frozenset(
        term for need in offer.needs for quoted in need.spans for term in content_terms(quoted.quote)
    )  # fmt: skip


def _answers(held: frozenset[str], asked: frozenset[str]) -> bool:
    return len(held & asked) >= _ENOUGH * len(asked)


def _apart(one: Offer, other: Offer) -> bool:
    ours, theirs = one.needs[0].spans[0], other.needs[0].spans[0]
    if ours.doc != theirs.doc:
        return True
    last = max(quoted.end for need in one.needs for quoted in need.spans)
    other_last = max(quoted.end for need in other.needs for quoted in need.spans)
    return theirs.start - last > _APART or ours.start - other_last > _APART
