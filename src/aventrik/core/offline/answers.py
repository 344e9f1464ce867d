"""Answers drawn from context sentences, with citations; or a decline when none of them fits well enough."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from ..text import STOP_WORDS, WORD, content_terms, sentence_texts, stem
from .synonyms import leader

_ENOUGH = 0.5
_AND = re.compile(
    r"\?\s+(?=\w)|,?\s+and\s+(?=(?:how|what|when|where|who|which|why|is|are|do|does|can|may|must|should)\b)",
    re.IGNORECASE,
)
_FRAME = frozenset(
    stem(word)
    for word in [
        "many",
        "much",
        "long",
        "far",
        "often",
        "soon",
        "wide",
        "deep",
        "high",
        "tall",
        "big",
        "old",
        "need",
        "want",
        "allow",
        "allowed",
        "permit",
        "happen",
        "mean",
        "do",
        "know",
        "tell",
        "anyone",
        "kind",
        "sort",
        "way",
        "thing",
        "get",
        "go",
        "say",
        "please",
    ]
)
_MONTH = r"(?:January|February|March|April|May|June|July|August|September|October|November|December)"
_DATE = rf"(?:\d{{1,2}} {_MONTH}|{_MONTH} \d{{1,2}}|{_MONTH}|Mondays?|Tuesdays?|Wednesdays?|Thursdays?|Fridays?|Saturdays?|Sundays?)"
_CLOCK = r"\d{1,2}(?:[.:]\d{2})?\s?(?:am|pm|noon|midnight)|\d{1,2}[:.]\d{2}"
_AMOUNT = r"\d[\d,.]*\s?(?:%|[a-zA-Z]+)?"
_WANTED: tuple[tuple[re.Pattern[str], re.Pattern[str]], ...] = tuple(
    (re.compile(question, re.IGNORECASE), re.compile(value))
    for question, value in (
        (r"\bhow much\b.*\b(cost|pay|charge|fee|price|fine|deposit)|\b(cost|price|fee|charge)\b", r"[£$€]\s?\d[\d,.]*"),
        (r"\bhow (many|long|wide|deep|high|tall|far|fast|old|often|soon|much|big|heavy)\b", _AMOUNT),
        (r"\bwhat time\b|\bwhen\b|\bhow late\b|\bhow early\b", rf"{_CLOCK}|{_DATE}(?:\s+(?:to|and|until)\s+{_DATE})?"),
        (r"\bwhat is the (?:\w+ ){0,3}(?:limit|length|width|depth|height|number|rise|level|rate|draught)\b", _AMOUNT),
    )
)


@dataclass(frozen=True)
class _Sentence:
    item: int
    text: str
    here: frozenset[str]
    near: frozenset[str]


def answer(fields: Mapping[str, Any]) -> dict[str, Any]:
    """A statement for each part of the question that the context answers.

    `style` "quote" gives the sentence as it stands; "short" gives the wanted figure with the question's own
    key words, which is nearer to how people write and, like them, can put a figure to the wrong thing.
    """
    pool = _pool(fields["context"])
    statements: list[dict[str, Any]] = []
    for part in parts(str(fields["question"])):
        found = _best(part, pool)
        if found is None:
            continue
        text = found.text
        if fields.get("style") == "short":
            text = _short(part, found.text)
        if all(text != other["text"] for other in statements):
            statements.append({"text": text, "cites": [found.item], "quotes": [found.text]})
    return {"declined": not statements, "statements": statements}


def take_apart(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The questions that a question with two parts asks."""
    return {"questions": [f"{part}?" for part in parts(str(fields["question"]).strip(" ?"))]}


def parts(question: str) -> list[str]:
    """A question that asks two things, in two; each must have a content word of its own."""
    found = [piece.strip(" ?") for piece in _AND.split(question) if piece]
    if len(found) < 2 or any(not _wanted_terms(piece) for piece in found):
        return [question]
    return found


def _wanted_terms(question: str) -> list[str]:
    return [term for term in _meant(question) if term not in _FRAME]


@lru_cache(maxsize=1 << 15)
def _meant(text: str) -> tuple[str, ...]:
    """Distinct content terms, each put into the leading one of its group of synonyms."""
    return tuple(dict.fromkeys(leader(term) for term in content_terms(text)))


def _pool(context: list[Mapping[str, Any]]) -> list[_Sentence]:
    pool: list[_Sentence] = []
    for item in context:
        text = str(item["text"])
        around = _meant(str(item["source"]))
        previous: tuple[str, ...] = ()
        for sentence in sentence_texts(text):
            here = _meant(sentence)
            pool.append(_Sentence(int(item["number"]), sentence, frozenset(here), frozenset([*around, *previous])))
            previous = here
    return pool


def _best(question: str, pool: list[_Sentence]) -> _Sentence | None:
    """The sentence that holds most of the question's weight, if that is enough.

    A term's weight is ln(1 + sentences ÷ (sentences with it + ½)): a word that no sentence has weighs most, so
    that its absence tells. What the headings and the sentence before hold counts for half.
    """
    wanted = _wanted_terms(question)
    if not wanted or not pool:
        return None
    weight = {
        term: math.log1p(len(pool) / (sum(term in each.here or term in each.near for each in pool) + 0.5))
        for term in wanted
    }
    whole = sum(weight.values())
    value = next((value for form, value in _WANTED if form.search(question)), None)
    best: tuple[float, float, _Sentence] | None = None
    for sentence in pool:
        share = (
            sum(
                w * (1.0 if term in sentence.here else 0.6 if term in sentence.near else 0.0)
                for term, w in weight.items()
            )
            / whole
        )
        fits = value is None or bool(value.search(sentence.text))
        own = any(term in sentence.here for term in wanted)
        score = share + (0.15 if fits else -0.15) - 0.01 * (sentence.item - 1)
        is_label = len(sentence.here) < 3 and not re.search(r"\d", sentence.text)
        if own and not is_label and (best is None or score > best[0]):
            best = (score, share, sentence)
    return best[2] if best is not None and best[1] >= _ENOUGH else None


def _short(question: str, sentence: str) -> str:
    for form, value in _WANTED:
        if form.search(question):
            found = value.search(sentence)
            if found:
                topic = [
                    w for w in WORD.findall(question) if w.lower() not in STOP_WORDS and stem(w.lower()) not in _FRAME
                ]
                return f"{found[0].strip()} ({' '.join(topic)})."
    return sentence
