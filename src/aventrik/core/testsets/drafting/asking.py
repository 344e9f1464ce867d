"""Offers of a language model: what it is told, and what becomes of its replies before they are checked."""

from __future__ import annotations

import random
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from ...protocols import LanguageModel, Task
from ...text import WORD, stem
from .. import Need, Quoted, placed
from .brief import Brief
from .material import Material
from .offers import Offer
from .sampling import Passage

COUNT = 2  # questions that are asked for of a passage
_AVOID = 12  # of its rarer words that a wording should not use
_EXAMPLES = 8
_LOOKED_AT = 8


def fields_of(passage: Passage, brief: Brief, material: Material, kind: str = "any") -> dict[str, Any]:
    """The fields of the task `questions` for a passage."""
    return {
        "kind": kind,
        "count": COUNT,
        **audience_and_examples(brief, f"{passage.doc} {passage.start}"),
        "avoid": rarer_words(passage.text, material),
        **passage.fields,
    }


def audience_and_examples(brief: Brief, seed: str) -> dict[str, Any]:
    """Audience and examples, as every task of a writer has them; of many examples some, others for each passage."""
    examples = list(brief.examples)
    random.Random(f"examples {brief.seed} {seed}").shuffle(examples)
    return {"audience": brief.audience, "examples": examples[:_EXAMPLES]}


def rarer_words(text: str, material: Material) -> list[str]:
    """The words of a passage that fewest others have, as they stand in it."""
    rarity = material.passages.index.rarity
    words = {stem(word.lower()): word for word in WORD.findall(text) if word.isalpha() and len(word) > 3}
    order = sorted(words, key=lambda term: (-rarity(term), term))
    return [words[term] for term in order[:_AVOID]]


def located(quotes: Sequence[str], passage: Passage, material: Material) -> tuple[Quoted, ...] | None:
    """The quotes at their places in the passage's document; None where one stands nowhere."""
    text = material.fetch(passage.doc).text
    places = [placed(Quoted(passage.doc, passage.start, passage.start + 1, quote), text) for quote in quotes]
    found = [each[0] if each else None for each in places]
    return None if not found or None in found else tuple(each for each in found if each)


def offer_of(item: Mapping[str, Any], passage: Passage, material: Material) -> Offer | None:
    """A question of a reply with each quote as a need at its place; None where a quote stands nowhere in the document."""
    quotes = [quote for quote in item.get("quotes") or [item.get("quote", "")] if quote.strip()]
    found = located(quotes, passage, material)
    if not found:
        return None
    path = material.fetch(passage.doc).heading_path(found[0].start)
    needs = tuple(Need(quoted.quote, (quoted,)) for quoted in dict.fromkeys(found))
    topic = path[-1] if path else passage.title
    return Offer(item["question"], item["answer"], item["kind"], needs, item.get("rule", "prompt"), topic=topic)


def pairs_of(material: Material, passages: Sequence[Passage]) -> Iterator[tuple[Passage, Passage]]:
    """Of each passage the one elsewhere that shares most of its rarer words."""
    for passage in passages:
        query = " ".join(rarer_words(passage.text, material))
        for number, _ in material.passages.index.search(query, _LOOKED_AT):
            doc, start, end = material.passages.places[number]
            if doc == passage.doc and abs(start - passage.start) < 2 * len(passage.text):
                continue
            document = material.fetch(doc)
            yield passage, Passage(doc, start, document.text[start:end], document.title, document.heading_path(start))
            break


def joined_offers(
    kind: str, pairs: Sequence[tuple[Passage, Passage]], model: LanguageModel, brief: Brief, material: Material
) -> Iterator[Offer]:
    """Questions of a kind (joined, comparison) that take both passages of a pair."""
    tasks = [
        Task(
            "joined",
            {
                "kind": kind,
                **audience_and_examples(brief, f"{first.doc} {first.start}"),
                "first": f"{_from(first)}\n{first.text}",
                "second": f"{_from(second)}\n{second.text}",
            },
        )
        for first, second in pairs
    ]
    for (first, second), reply in zip(pairs, model.perform(tasks)):
        for item in (reply.value or {}).get("questions", []):
            ours, theirs = (
                located(item["firstquotes"], first, material),
                located(item["secondquotes"], second, material),
            )
            if ours and theirs:
                needs = tuple(Need(quoted.quote, (quoted,)) for quoted in (*ours, *theirs))
                yield Offer(item["question"], item["answer"], kind, needs, "prompt", topic=first.title)


def unanswered_offers(
    passages: Sequence[Passage], model: LanguageModel, brief: Brief, material: Material
) -> Iterator[Offer]:
    """Questions that the model says a passage does not answer, where it declines to answer them from the passages that
    are likest to do so."""
    tasks = [
        Task("unanswered", {**audience_and_examples(brief, f"{each.doc} {each.start}"), **each.fields}) for each in passages
    ]  # fmt: skip
    rows = [
        (passage, str(item["question"]))
        for passage, reply in zip(passages, model.perform(tasks))
        for item in (reply.value or {}).get("questions", [])
    ]
    answers = model.perform([Task("answer", _context(question, material)) for _, question in rows])
    for (passage, question), reply in zip(rows, answers):
        if reply.value is not None and reply.value["declined"]:
            near = passage.headings[-1] if passage.headings else passage.title or passage.doc
            yield Offer(question, "", "unanswerable", (), "prompt", topic=passage.title, near=near, home=passage.doc)


def _context(question: str, material: Material) -> dict[str, Any]:
    items = []
    for number, (place, _) in enumerate(material.passages.index.search(question, _LOOKED_AT), 1):
        doc, start, end = material.passages.places[place]
        document = material.fetch(doc)
        source = " > ".join([document.title or doc, *document.heading_path(start)])
        items.append({"number": number, "source": source, "text": document.text[start:end]})
    return {"question": question, "context": items, "style": "short"}


def _from(passage: Passage) -> str:
    return "From: " + " > ".join([passage.title or passage.doc, *passage.headings])
