"""What a sentence says and a claim leaves out: the condition, the exception or the limit on which it depends, 'only', 'most'."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from ...core.wording.words import Word, words_of
from ..conditions import Condition, conditions_in, leading_end
from .evidence import ContextPlace
from .operators import NARROW

_SAID = 0.4  # weight of a condition's content that the claim, its question or the rest of its answer has to have
_HOST = 0.6  # of what the condition binds that the claim has, or of the claim's content that is bound by it
_EXTENT = frozenset(
    """most many some several few almost nearly usually often sometimes generally normally typically mostly rarely certain various part
    majority general other others""".split()
)
_PARTS = re.compile(
    r";\s+|:\s+|,\s+(?:and|but|while|whereas)\s+(?=\w+\s\w+)|"
    r"\s+(?:and|but)\s+(?=(?:is|are|was|were|has|have|had|must|may|can|will|should|does|do|takes?|costs?|needs?|holds?|gets?)\s)"
)
_REASON = re.compile(r"\b(?:because|since|so that|in order to|whose|which)\b")
_NO_CONDITION = re.compile(
    r"^(?:when|once|if|while) (?:it|this|that|they) (?:is|are|does|do)$|^even if\b", re.IGNORECASE
)


def omissions(claim: Sequence[Word], place: ContextPlace, known: frozenset[str]) -> Iterator[Condition]:
    """Each condition of the place's sentences on which what the claim says depends, and that neither the claim has nor what
    is `known` with it: the terms of its question, and of the rest of its answer."""
    terms = frozenset(word.term for word in claim if word.content)
    for text in place.texts:
        start = 0
        cuts = [found.span() for found in _PARTS.finditer(text, leading_end(text))]
        for low, high in [*cuts, (len(text), len(text))]:
            part, start = text[start:low], high
            for found in conditions_in(part):
                if _is_left_out(found, part, claim, terms, known):
                    yield found


def _is_left_out(
    found: Condition, part: str, claim: Sequence[Word], terms: frozenset[str], known: frozenset[str]
) -> bool:
    host = frozenset(word.term for word in words_of(found.rest) if word.content)
    both = len(terms & host)
    if both < 2 or both < _HOST * min(len(terms), len(host)):
        return False
    if found.kind in ("only", "extent"):
        if found.kind == "only" and {word.lower for word in claim} & {"except", "unless", "but", "nowhere"}:
            return False
        behind = _behind(part, found)
        return (not behind or behind in terms) and not _has(claim, found, behind)
    text = found.text.strip(" ,")
    if _REASON.search(part[: max(0, part.find(found.text))]):
        return False
    if _NO_CONDITION.match(text):
        return False
    bound = [word for word in words_of(text) if word.content and not word.light] or [
        word for word in words_of(text) if word.content
    ]  # fmt: skip
    own = [word for word in bound if word.term not in host] or bound
    whole = sum(word.weight for word in own)
    said = sum(word.weight for word in own if word.term in terms or word.term in known)
    return bool(whole) and said < _SAID * whole


def _behind(part: str, found: Condition) -> str:
    """The term of the first word of content behind a word of extent: 'many boats' limits what is said of boats."""
    at = part.lower().find(found.text.lower())
    return next(
        (word.term for word in words_of(part[at + len(found.text) :])[:5] if word.content and word.term not in _EXTENT),
        "",
    )


def _has(claim: Sequence[Word], found: Condition, behind: str) -> bool:
    """Whether the claim limits the same thing by such a word too."""
    limiting = NARROW if found.kind == "only" else _EXTENT
    places = [at for at, word in enumerate(claim) if word.lower in limiting]
    return any(not behind or any(word.term == behind for word in claim[at : at + 7]) for at in places)
