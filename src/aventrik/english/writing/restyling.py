"""The same question as different people ask it: in full, indirectly, with a story, in a hurry, as words for a search."""

from __future__ import annotations

import random
import re

from ...core.text import STOP_WORDS

_HOW = re.compile(r"^How do I (?P<do>.+)\?$")
_WHAT = re.compile(r"^What (?P<be>is|are) (?P<thing>.+)\?$")
_WORKS = re.compile(r"^How (?P<do>does|do) (?P<thing>.+) work\?$")
_RULES = re.compile(r"^Which rules apply to (?P<thing>.+)\?$")
_WHICH = re.compile(r"^Which (?P<thing>.+) are there\?$")
_OPENING = re.compile(
    r"^(?:How do I|How (?:does|do)|How (?:many|much|long|often)|What (?:is|are) (?:there to know about|meant by)?|"
    r"Which(?: rules apply to)?|Can you tell me|Who (?:is|are)|When|Where|Why|What)\s+",
)
_CLOSING = re.compile(r"\s*(?:are there|used for|mean|work)?\?$")
_PLAIN_WORD = re.compile(r"(?<![\w'’.-])[a-z]{6,}(?![\w'’.-])")
_PHRASE = 5  # words of a search that can stand inside a sentence
_SENSE = frozenset(
    ("not", "no", "without", "before", "after", "above", "below", "on", "off", "up", "down", "out", "over", "under")
)


def restyled(question: str, style: str, seed: str, long: bool = False) -> str:
    """The question in a style; empty where it can't be put so, as a `long` one can't but in a hurry. `seed` decides where
    a hurried writer slips."""
    if long and style != "hurried":
        return question if style == "question" else ""
    if style == "search":
        return _searched(question)
    if style == "hurried":
        return _hurried(question, seed)
    if style in ("indirect", "first person"):
        return _reported(question, style)
    return question if question.endswith("?") else f"What do I need to know about {question}?"


def _reported(question: str, style: str) -> str:
    indirect = style == "indirect"
    if found := _HOW.match(question):
        do = found["do"]
        return f"Can you tell me how to {do}?" if indirect else f"I want to {do}. How do I do that?"
    if found := _WORKS.match(question):
        works = "works" if found["do"] == "does" else "work"
        told = f"how {found['thing']} {works}"
        return f"Can you tell me {told}?" if indirect else f"I would like to understand {told}. Can you explain it?"
    if found := _RULES.match(question):
        thing = found["thing"]
        return (
            f"Can you tell me which rules apply to {thing}?" if indirect
            else f"I have a question about {thing}. Which rules apply?"
        )  # fmt: skip
    if found := _WHICH.match(question):
        thing = found["thing"]
        return f"Can you tell me which {thing} there are?" if indirect else f"I am looking for {thing}. What is there?"
    if found := _WHAT.match(question):
        thing = found["thing"]
        if re.search(r"\b(?:used|meant|done|called)\b", thing):
            return ""
        if indirect:
            return f"Can you tell me what {thing} {found['be']}?"
        met = "am looking for" if thing.startswith("the ") else "have come across"
        return f"I {met} {thing}. What {'is it' if found['be'] == 'is' else 'are they'}?"
    if not question.endswith("?"):  # words for a search
        if len(question.split()) > _PHRASE:
            return ""
        return f"Where can I find out about {question}?" if indirect else f"I need to know about {question}."
    return ""


def _searched(question: str) -> str:
    """What is left when everything is taken away that a search box does not need; empty where that is too little."""
    bare = _CLOSING.sub("", _OPENING.sub("", question))
    words = [word for word in bare.split() if word.lower() not in STOP_WORDS or word.lower() in _SENSE]
    return " ".join(words).strip(" ?.,") if len(words) >= 2 else ""


def _hurried(question: str, seed: str) -> str:
    """In small letters, without a question mark, with two letters of one plain word swapped; names, codes and figures
    are left alone."""
    plain = question.rstrip("?.")
    first, _, rest = plain.partition(" ")
    plain = f"{first.lower()} {rest}" if first[1:] == first[1:].lower() and first.isalpha() else plain
    words = list(_PLAIN_WORD.finditer(plain))
    if not words:
        return plain
    draw = random.Random(f"slip {seed}")
    word = draw.choice(words)
    at = word.start() + draw.randrange(1, len(word[0]) - 2)
    return plain[:at] + plain[at + 1] + plain[at] + plain[at + 2 :]
