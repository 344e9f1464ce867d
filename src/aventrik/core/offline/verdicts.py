"""Claims of an answer, and whether a context supports them: wording, figures, names and negation."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from ..text import STOP_WORDS, WORD, content_terms, numbers, sentence_texts, sentences, stem

_CITE = re.compile(r"\s*\[(\d+(?:\s*,\s*\d+)*)\]")
_LEADING = re.compile(r"(?:\[\d+(?:\s*,\s*\d+)*\]\s*)+")
_NEGATIONS = frozenset(
    """no not never none neither nor cannot can't don't doesn't isn't aren't won't mustn't without forbidden
    prohibited banned""".split()
)
_OPPOSITES = {
    a: b
    for pair in (
        "open closed",
        "allowed forbidden",
        "permitted prohibited",
        "minimum maximum",
        "least most",
        "before after",
        "above below",
        "upstream downstream",
        "free charged",
        "required optional",
        "start end",
        "first last",
        "north south",
        "east west",
        "left right",
        "mandatory optional",
        "always never",
        "increase decrease",
    )
    for a, b in (pair.split(), pair.split()[::-1])
}
_WORDING = 0.7
_NEAR = 0.5


def split_claims(fields: Mapping[str, Any]) -> dict[str, Any]:
    """Each sentence of the answer is a claim; `[1]` marks are its citations, inside it or right after its stop."""
    text = str(fields["answer"])
    claims: list[dict[str, Any]] = []
    for start, end in sentences(text):
        sentence = text[start:end]
        after = _LEADING.match(sentence)
        if after and claims:
            claims[-1]["cites"].extend(int(n) for n in re.findall(r"\d+", after[0]))
            sentence = sentence[after.end() :]
        cites = [int(n) for found in _CITE.finditer(sentence) for n in found[1].split(",")]
        bare = _CITE.sub("", sentence).strip()
        if WORD.search(bare):
            claims.append({"text": bare, "cites": cites})
    return {"claims": claims}


def verify(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The verdict on one claim.

    *Supported*: a sentence (with its headings and its neighbour) holds at least 70 % of the claim's content
    words and all its names, the sentence itself all its figures, and neither denies what the other says.
    *Contradicted*: as much of the wording stands there, but with another figure, or denied.
    *Not found*: anything else.
    """
    claim = str(fields["claim"])
    best: tuple[int, float, dict[str, Any]] | None = None
    for item in fields["context"]:
        text = str(item["text"])
        source = set(content_terms(str(item["source"])))
        previous: set[str] = set()
        for sentence in sentence_texts(text):
            rank, closeness, verdict = _compare(claim, sentence, source | previous)
            if rank and (best is None or (rank, closeness) > best[:2]):
                verdict["quotes"] = [{"item": int(item["number"]), "quote": sentence}]
                best = (rank, closeness, verdict)
            previous = set(content_terms(sentence))
    if best is None:
        return {"verdict": "not found", "reason": "no sentence of the context is close to it", "quotes": []}
    return best[2]


def _compare(claim: str, sentence: str, around: set[str]) -> tuple[int, float, dict[str, Any]]:
    """(3 supported, 2 contradicted, 1 near, 0 far), closeness, and the verdict's record."""
    wanted = [term for term in dict.fromkeys(content_terms(claim)) if not term[0].isdigit()]
    here = set(content_terms(sentence))
    held = [term for term in wanted if term in here or term in around]
    own = [term for term in wanted if term in here]
    closeness = (len(held) + 0.5 * len(own)) / (1.5 * len(wanted)) if wanted else 1.0
    if wanted and (not own or len(held) / len(wanted) < _NEAR):
        return 0, 0.0, {}
    figures, there = numbers(claim), set(numbers(sentence))
    missing = [figure for figure in figures if figure not in there]
    lost = [term for term in wanted if term not in held]
    names = [name for name in _names(claim) if stem(name.lower()) in lost]
    close = not wanted or len(held) / len(wanted) >= _WORDING
    if not close or names:
        what = f"the name {names[0]!r} does not stand with it" if names else f"not there: {', '.join(lost[:4])}"
        return 1, closeness, {"verdict": "not found", "reason": what}
    if missing:
        return _other_figure(missing, sentence, there, claim, closeness)
    denial = _denial(claim, sentence, here)
    if denial:
        return 2, closeness, {"verdict": "contradicted", "reason": denial}
    extent = "all of its words" if not lost else f"its words but {', '.join(lost[:3])}"
    figure_part = f" and the figure {', '.join(figures)}" if figures else ""
    return 3, closeness, {"verdict": "supported", "reason": f"a sentence holds {extent}{figure_part}"}


def _other_figure(
    missing: list[str], sentence: str, there: set[str], claim: str, closeness: float
) -> tuple[int, float, dict[str, Any]]:
    """Another figure before the same unit contradicts; no such figure leaves the claim without support."""
    for figure in missing:
        unit = _unit_after(claim, figure)
        rivals = [other for other in sorted(there) if unit and _unit_after(sentence, other) == unit]
        if rivals:
            reason = f"it says {figure} {unit}, the sentence says {', '.join(rivals)} {unit}"
            return 2, closeness, {"verdict": "contradicted", "reason": reason}
    return 1, closeness, {"verdict": "not found", "reason": f"the figure {missing[0]} does not stand there"}


def _unit_after(text: str, figure: str) -> str:
    found = WORD.findall(text)
    for place, word in enumerate(found[:-1]):
        if numbers(word) == [figure] and not found[place + 1][0].isdigit():
            return stem(found[place + 1].lower())
    return ""


def _denial(claim: str, sentence: str, here: set[str]) -> str:
    """Why one text denies the other, when they are else much the same; empty when it does not."""
    said = set(content_terms(claim))
    if len(said & here) / max(1, len(said | here)) < 0.6:
        return ""
    if _negated(claim) != _negated(sentence):
        return "one of the two is negated, the other is not"
    claim_words = {word.lower() for word in WORD.findall(claim)}
    sentence_words = {word.lower() for word in WORD.findall(sentence)}
    for word in sorted(claim_words - sentence_words):
        if _OPPOSITES.get(word) in sentence_words - claim_words:
            return f"it says {word}, the sentence says {_OPPOSITES[word]}"
    return ""


def _negated(text: str) -> bool:
    return sum(word.lower().replace("’", "'") in _NEGATIONS for word in WORD.findall(text)) % 2 == 1


def _names(text: str) -> list[str]:
    """Capitalised words that do not begin a sentence."""
    return [
        word
        for place, word in enumerate(WORD.findall(text))
        if place and word[0].isupper() and word.lower() not in STOP_WORDS
    ]


def stated(fields: Mapping[str, Any]) -> dict[str, Any]:
    """For each fact, whether the answer states it: all its figures and at least 60 % of its content words,
    or, for a fact with a figure, its figures and a quarter of the words."""
    answer = _CITE.sub("", str(fields["answer"]))
    return {"stated": [_states(str(fact), answer) for fact in fields["facts"]]}


def _states(fact: str, answer: str) -> bool:
    there = set(content_terms(answer))
    wanted = [term for term in dict.fromkeys(content_terms(fact)) if not term[0].isdigit()]
    figures = numbers(fact)
    if not set(figures) <= set(numbers(answer)):
        return False
    share = sum(term in there for term in wanted) / len(wanted) if wanted else 1.0
    return share >= (0.25 if figures else 0.6)
