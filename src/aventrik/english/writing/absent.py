"""Questions that no document answers though they sound as if one did: what is asked for exists, and so does what it is
asked of, but nowhere together."""

from __future__ import annotations

import random
import re
from collections import Counter
from collections.abc import Callable, Iterator, Sequence

import numpy as np

from ...core.testsets.drafting.offers import Offer
from ...core.testsets.drafting.passages import Passages
from ...core.testsets.drafting.tables import DocumentTable
from ...core.text import content_terms
from ...core.text import terms as terms_of

_IN = re.compile(r"\b(with|using) ((?:[A-Z][\w'’-]*[a-z]\w*|[A-Z]{2,6})(?: [A-Z][a-z][\w'’-]*){0,2})(?=[\s,.;)])")
_AROUND = re.compile(r"\b(?:in|with|at|on|under|for|from|using|by|via)\b")
_OFTEN = 0.05  # a name in a larger share of passages is what the whole corpus is about
_TOGETHER = 0.5  # share of the weight of what is asked that a passage with the name may hold
AskCell = Callable[[str, str, str], str]  # column, thing, what such things are called → a question, or ""
_STARTS = frozenset(
    "The A An This That These Those It If In When For You We I Table Figure Section Chapter Part".split()
)


def of_rows(tables: Sequence[DocumentTable], passages: Passages, ask: AskCell, seed: int) -> Iterator[Offer]:
    """A column's property asked of a thing of another table, of things of the same kind, that has no such column."""
    draw = random.Random(f"absent {seed}")
    columns = [
        (table, column) for table in tables for column in dict.fromkeys(c for row in table.rows for c in row.cells)
    ]
    draw.shuffle(columns)
    for table, column in columns:
        if not _is_property(table, column):
            continue
        others = [
            other for other in tables
            if other is not table and _kind(other) == _kind(table) and all(column not in row.cells for row in other.rows)
        ]  # fmt: skip
        draw.shuffle(others)
        for other in others[:3]:
            row = draw.choice(other.rows)
            question = ask(column, row.entity, other.first)
            name, asked = content_terms(row.entity), content_terms(column)
            if not question or not name or not asked or passages.together(name, asked) > _TOGETHER:
                continue
            if not len(passages.with_all(name)):
                continue
            yield Offer(
                question,
                "",
                "unanswerable",
                (),
                "absent column",
                topic=other.about,
                near=row.entity,
                home=other.doc,
            )
            break


def _kind(table: DocumentTable) -> str:
    return table.first.lower()


def _is_property(table: DocumentTable, column: str) -> bool:
    """Whether a column says something short of each thing: a figure, a word or two that differ from row to row."""
    values = [row.cells.get(column, "") for row in table.rows]
    short = sum(1 <= len(value.split()) <= 4 for value in values)
    return short >= 0.8 * len(values) and len(set(values)) > len(values) // 2 and "description" not in column.lower()


def of_names(offers: Sequence[Offer], texts: dict[str, str], passages: Passages, seed: int) -> Iterator[Offer]:
    """'How do I …?' asked of a name that occurs in the same document but never where that is spoken of."""
    draw = random.Random(f"names {seed}")
    names = {doc: _names(text, passages) for doc, text in texts.items()}
    order = [offer for offer in offers if offer.frame and not _AROUND.search(offer.frame)]
    draw.shuffle(order)
    for offer in order:
        asked = content_terms(offer.frame)
        known = list(names.get(offer.doc, ()))
        draw.shuffle(known)
        for word, name in known:
            terms = content_terms(name)
            if set(terms) & set(asked) or passages.together(terms, asked) > _TOGETHER:
                continue
            question = f"How do I {offer.frame} {word} {name}?"
            yield Offer(question, "", "unanswerable", (), "absent name", topic=offer.topic, near=name, home=offer.doc)
            break


def _names(text: str, passages: Passages) -> list[tuple[str, str]]:
    """(preposition, name) of names that a text uses behind one at least twice, and that are not all over the corpus."""
    found = Counter(_IN.findall(text))
    kept = []
    for (word, name), times in sorted(found.items()):
        terms = content_terms(name)
        if times < 2 or not terms or name.split()[0] in _STARTS:
            continue
        if 1 < len(passages.with_all(terms)) <= max(3, _OFTEN * len(passages.places)):
            kept.append((word, name))
    return kept


# What can be asked of a thing where others of its kind have it told, with the words by which a passage tells it.
_PROPERTIES: tuple[tuple[str, str, str], ...] = (
    ("How much {does} {x} cost?", "fee price", "cost price fee charge free paid"),
    ("Who is responsible for {x}?", "responsible", "responsibility responsible maintainer owner keeper duty team author"),
    ("When {was} {x} introduced?", "introduced", "introduced since added year first history version release earlier old new"),
    ("Is there a limit on {x}?", "limit maximum minimum", "limit maximum most least minimum restricted unlimited than up"),
)  # fmt: skip
# What people ask of any subject, and most documents do not hold.
_HELP: tuple[tuple[str, str], ...] = (
    ("Where can I take a course on {x}?", "course training lesson workshop seminar tutor"),
    ("Which video explains {x}?", "video film recording screencast"),
    ("Which book explains {x}?", "book textbook publication published literature"),
)
_KIND_TOLD = 2  # passages that tell the property of other things of the kind
_KIND_SHARE = 0.2  # and the share of those that speak of the kind
_HELPS = 20  # offers of help, where there are fewer of the rest
_THING = re.compile(r"^What (?:is|are) (?:meant by )?(?P<x>(?!there)[^?]+)\?$|^Which rules apply to (?P<y>[^?]+)\?$")
_NO_THING = re.compile(r"\w(?:ed|ly)$|^(?:others?|details?|examples?|contents?)$")


def of_properties(offers: Sequence[Offer], passages: Passages, seed: int) -> Iterator[Offer]:
    """A property that is told of other things of a kind, asked of one of which no passage tells it; and, fewer of these
    than of the others, where there is help with a subject."""
    draw = random.Random(f"properties {seed}")
    order = [(offer, thing) for offer in offers if (thing := _thing(offer))]
    draw.shuffle(order)
    used: Counter[str] = Counter()
    rest: list[tuple[Offer, str]] = []
    for offer, thing in order:
        terms = content_terms(thing)
        forms = [
            (form, words) for form, shown, words in _PROPERTIES
            if len(terms) > 1 and _kind_told(terms, shown, passages) and not _together(terms, words, passages)
        ]  # fmt: skip
        if not forms:
            rest.append((offer, thing))
            continue
        form, words = min(forms, key=lambda row: (used[row[1]], draw.random()))
        used[words] += 1
        yield _asked_of(form, offer, thing, "absent property")
    most = max(_HELPS, used.total())
    for offer, thing in rest:
        helps = [row for row in _HELP if not _together(content_terms(thing), row[1], passages)]
        if not most or not helps:
            continue
        form, words = min(helps, key=lambda row: (used[row[1]], draw.random()))
        used[words] += 1
        most -= 1
        yield _asked_of(form, offer, thing, "absent help")


def of_options(offers: Sequence[Offer], texts: dict[str, str], seed: int) -> Iterator[Offer]:
    """What an option of one command does, asked of another that has options but not this one."""
    draw = random.Random(f"options {seed}")
    known = [(offer, found) for offer in offers if offer.rule == "option" and (found := _OPTION.match(offer.question))]
    draw.shuffle(known)
    for place, (offer, found) in enumerate(known):
        other, there = known[place - 1]
        option = found["option"].lstrip("-")
        if offer.doc == other.doc or re.search(rf"(?<!\w){re.escape(option)}(?!\w)", texts.get(other.doc, option)):
            continue
        question = f"What does {found['option']} do in {there['command']}?"
        yield Offer(
            question, "", "unanswerable", (), "absent option", topic=other.topic, near=found["option"], home=offer.doc
        )  # fmt: skip


_OPTION = re.compile(r"^What does (?P<option>-\S+) do in (?P<command>[^?]+)\?$")


def _thing(offer: Offer) -> str:
    """What an offer asks about, where that is a short noun phrase; else empty."""
    found = _THING.match(offer.question)
    thing = found and (found["x"] or found["y"])
    if not thing or len(thing.split()) > 6 or _AROUND.search(thing) or not content_terms(thing):
        return ""
    return "" if _NO_THING.search(thing.split()[-1]) or "/" in thing else thing


def _asked_of(form: str, offer: Offer, thing: str, rule: str) -> Offer:
    plural = offer.question.startswith("What are ")
    question = form.format(x=thing, does="do" if plural else "does", was="were" if plural else "was")
    return Offer(question, "", "unanswerable", (), rule, topic=offer.topic, near=thing, home=offer.doc)


def _kind_told(terms: Sequence[str], shown: str, passages: Passages) -> bool:
    """Whether passages that do not speak of a thing tell a property of others that are called by its last word."""
    kind = np.setdiff1d(passages.with_all(terms[-1:]), passages.with_all(terms))
    told = {place for word in content_terms(shown) for place in np.intersect1d(kind, passages.index.texts_with(word))}
    return len(told) >= max(_KIND_TOLD, _KIND_SHARE * len(kind))


def _together(terms: Sequence[str], words: str, passages: Passages) -> bool:
    """Whether a passage speaks of a thing and has a word of a property; also where nothing speaks of the thing."""
    places = passages.with_all(terms)
    if not len(places):
        return True
    return any(len(np.intersect1d(places, passages.index.texts_with(term))) for term in terms_of(words))
