"""An answer with one fault planted in it: a wrong figure, name or date, a denial, a condition left out, parts in one another's
roles, a detail that nothing bears out, a part left out."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence

from ...core.context import Served
from ...core.text import STOP_WORDS, sentence_texts
from ...core.text.names import names_in
from ...core.wording.figures import MONTHS
from ..conditions import conditions_in
from ..grammar import AUXILIARIES

_MONTH = "|".join(name.capitalize() for name in MONTHS)
_DAYS = "Monday Tuesday Wednesday Thursday Friday Saturday Sunday".split()
_YEAR = re.compile(r"\b(?:1[89]|20)\d\d\b")
_DATED = re.compile(rf"\b\d{{1,2}}\s+(?:{_MONTH})\b|\b(?:{_MONTH})\s+\d{{1,2}}\b|\b(?:1[89]|20)\d\d\b")
_FIGURE = re.compile(r"(?<![\w.,:/-])(\d{1,3}(?:,\d{3})+|\d+)(\.\d+)?(?![\w/-]|[.,:]\d)")
_WORD_FIGURES = "two three four five six seven eight nine ten".split()
_AUXILIARY = re.compile(rf"\b({'|'.join(sorted(AUXILIARIES))})\b(?!\s+not\b)(?=\s+[a-z])")
_NOT = re.compile(
    r"\b(is|are|was|were|must|may|can|should|will|does|do|did|could|would)(?:\s+not|n['’]t)\b\s*|\bcannot\b\s*|\bnever\s+"
)
_PARTICLE = re.compile(r"^(yes|no)\b(?=\W*$|\s*[,.:;!–—])", re.IGNORECASE)
_DETAILS = (
    "and a written permit is needed for it", "free of charge", "on weekdays only", "and a fee of £75 is due",
    "after a delay of nine weeks", "as the inspector of the region demands",
)  # fmt: skip
_PAIR = (
    re.compile(r"\b(?P<pivot>from)\s+(?P<a>[\w'’-]+(?:\s[\w'’-]+)?)\s+to\s+(?P<b>[\w'’-]+(?:\s[\w'’-]+)?)(?=\W|$)"),
    re.compile(
        rf"^(?P<a>(?:[Tt]he|[Aa]n?|[Ee]ach|[Ee]very)\s(?:[\w'’-]+\s){{0,2}}?[\w'’-]+|[A-Z][\w'’-]+(?:\s[A-Z][\w'’-]+)*)\s+"
        rf"(?P<pivot>(?:{'|'.join(sorted(AUXILIARIES))})\s+(?:[\w'’-]+\s+){{0,3}}?[\w'’-]*|(?!{'|'.join(sorted(AUXILIARIES))})[a-z]+s)\s+"
        r"(?P<b>(?:the|an?|each|every)\s(?:[\w'’-]+\s){0,2}?[\w'’-]+|[A-Z][\w'’-]+(?:\s[A-Z][\w'’-]+)*)(?=\s*(?:[.,;]|$))"
    ),
)  # fmt: skip
_POINTING = frozenset("they it you we i he she this that these those there such what".split())
_COPULA = frozenset("is are was were be been not also still currently always usually".split())
_CAPITALS = re.compile(r"\b[A-Z][\w]*(?:[ ][A-Z][\w]*)*")
_LIST = re.compile(
    r"(?P<first>[^,.;:]+),\s(?P<more>(?:[^,.;:]+,\s)*)?(?P<last>[^,.;:]+?),?\s(?:and|or)\s(?P<end>[^,.;:]+)"
)


class SpoiltAnswers:
    """Plants faults in answers."""

    identity = "spoilt 1"  # raise it when a rule changes what is planted

    def plant(self, answer: str, passages: Sequence[Served], names: Sequence[str]) -> list[tuple[str, str]]:
        """(fault, spoilt answer) for each fault that an answer gives room for. Of several sentences only the one is given that is
        spoilt: what stands beside it would be right.

        `passages` bear the answer out, `names` are texts of the collection with other names: what is put in does not stand in the
        answer, and a name that is put in is another's.
        """
        text = "\n".join(item.text for item in passages)
        others = [name for each in names for name in _names_of(each) if name not in answer]
        made = []
        for fault, rule in _PLANT.items():
            pieces = [answer] if fault == "part" else sentence_texts(answer)
            found = next(
                (each for piece in pieces for each in rule(piece, text, others) if each.strip() != piece.strip()), None
            )
            if found:
                made.append((fault, found))
        return made


def _figure(answer: str, passages: str, names: Sequence[str]) -> Iterator[str]:
    dated = [found.span() for found in _DATED.finditer(answer)]
    for found in _FIGURE.finditer(answer):
        if any(start <= found.start() < end for start, end in dated):
            continue
        value = int(found[1].replace(",", ""))
        for other in (value * 3 + 1, value + 7, value * 2 + 3):
            figure = f"{other:,}" if "," in found[1] else str(other)
            if not re.search(rf"(?<!\d){re.escape(figure)}(?!\d)", passages):
                yield answer[: found.start(1)] + figure + answer[found.end(1) :]
                break
    for found in re.finditer(rf"\b({'|'.join(_WORD_FIGURES)})\b", answer):
        for step in (3, 4, 5):
            word = _WORD_FIGURES[(_WORD_FIGURES.index(found[1]) + step) % len(_WORD_FIGURES)]
            if not re.search(rf"\b{word}\b", passages):
                yield answer[: found.start()] + word + answer[found.end() :]
                break


def _date(answer: str, passages: str, names: Sequence[str]) -> Iterator[str]:
    months = [name.capitalize() for name in MONTHS]
    for row, step in ((months, 4), (_DAYS, 3)):
        for found in re.finditer(rf"\b({'|'.join(row)})(?=\b|s\b)", answer):
            if found[1] == "May" and not re.search(r"\d\s*$|^\s*\d", answer[: found.start()] + answer[found.end() :]):
                continue
            other = row[(row.index(found[1]) + step) % len(row)]
            yield answer[: found.start()] + other + answer[found.end() :]
    for found in _YEAR.finditer(answer):
        yield answer[: found.start()] + str(int(found[0]) + 3) + answer[found.end() :]


def _name(answer: str, passages: str, names: Sequence[str]) -> Iterator[str]:
    ours = [each for each in _names_of(answer) if each]
    theirs = [each for each in _names_of(passages) if each not in answer]
    for place, other in ((name, rival) for name in ours for rival in (*theirs, *names)):
        if other not in answer and not set(other.lower().split()) & set(answer.lower().split()):
            yield re.sub(rf"\b{re.escape(place)}\b", other, answer, count=1)


def _names_of(text: str) -> list[str]:
    """Names of a text in order, words that follow one another as one; months and days are none, nor is a single word that only has a
    capital because a sentence begins with it."""
    inside = set(names_in(text))
    found: list[str] = []
    for match in _CAPITALS.finditer(text):
        words = match[0].split()
        while words and (words[0].lower() in STOP_WORDS or words[0] in _DAYS or words[0].lower() in MONTHS):
            del words[0]
        if words and (len(words) > 1 or words[0] in inside) and all(len(word) > 2 for word in words[:1]):
            found.append(" ".join(words))
    return list(dict.fromkeys(each for each in found if each.replace(" ", "").isalpha()))


def _negation(answer: str, passages: str, names: Sequence[str]) -> Iterator[str]:
    denied = _NOT.search(answer)
    if denied:
        kept = f"{denied[1]} " if denied[1] else "can " if denied[0].startswith("cannot") else ""
        yield _turned(answer[: denied.start()] + kept + answer[denied.end() :])
    found = _AUXILIARY.search(answer)
    if found:
        yield _turned(f"{answer[: found.end()]} not{answer[found.end() :]}")
    if _PARTICLE.match(answer):
        yield _turned(answer)


def _turned(answer: str) -> str:
    """'Yes' for 'No', where the answer begins with it."""
    return _PARTICLE.sub(lambda found: "No" if found[0].lower() == "yes" else "Yes", answer)


def _condition(answer: str, passages: str, names: Sequence[str]) -> Iterator[str]:
    sentences = sentence_texts(answer)
    for place, sentence in enumerate(sentences):
        for found in conditions_in(sentence):
            if found.kind == "only":
                continue  # what holds only there holds there
            yield " ".join([*sentences[:place], found.rest, *sentences[place + 1 :]])


def _roles(answer: str, passages: str, names: Sequence[str]) -> Iterator[str]:
    for sentence in sentence_texts(answer):
        for pair in _PAIR:
            found = pair.search(sentence)
            if not found or found["a"].lower() == found["b"].lower() or _changes_nothing(found):
                continue
            first, second = found["b"], found["a"]
            if found.start() == 0:
                first, second = first[:1].upper() + first[1:], _inside(second)
            turned = sentence[: found.start("a")] + first + sentence[found.end("a") : found.start("b")] + second
            yield answer.replace(sentence, turned + sentence[found.end("b") :])


def _changes_nothing(found: re.Match[str]) -> bool:
    """Whether two things may change their places: 'the marker is a line'; or one of them only points ('they', 'each other')."""
    last = found["pivot"].split()[-1].lower()
    points = {found["a"].lower().split()[0], found["b"].lower().split()[0]} & _POINTING
    return bool(points) or last in _COPULA or found["b"].lower() == "each other"


def _inside(phrase: str) -> str:
    """A phrase from the start of a sentence as it stands inside one: its article small, a name as it is."""
    first, _, rest = phrase.partition(" ")
    return f"{first.lower()} {rest}" if first in ("The", "A", "An", "Each", "Every") else phrase


def _detail(answer: str, passages: str, names: Sequence[str]) -> Iterator[str]:
    start = sum(map(ord, answer)) % len(_DETAILS)
    for detail in (*_DETAILS[start:], *_DETAILS[:start]):
        if detail.split()[-1] not in f"{passages} {answer}":
            stem = answer.rstrip(" .")
            yield f"{stem}{'' if detail.startswith('and') else ','} {detail}."


def _part(answer: str, passages: str, names: Sequence[str]) -> Iterator[str]:
    found = _LIST.search(answer)
    if found:
        yield answer[: found.start("last")].rstrip(" ,") + " and " + found["end"] + answer[found.end() :]
    sentences = sentence_texts(answer)
    if len(sentences) > 1:
        yield " ".join(sentences[:-1])


_PLANT: dict[str, Callable[[str, str, Sequence[str]], Iterator[str]]] = {
    "figure": _figure, "date": _date, "name": _name, "negation": _negation, "condition": _condition, "roles": _roles, "detail": _detail,
    "part": _part,
}  # fmt: skip
FAULTS = tuple(_PLANT)
