"""What can be said of a passage: a summary, its facts, whether it is relevant, which sentences help."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping
from typing import Any

from ..core.text import content_terms, sentences
from ..core.wording.synonyms import leader

_RELEVANT = 0.5
_SUMMARY_SENTENCES = 2
_HANGING = re.compile(r"^(?:This|These|Those|It|They|That|Such|He|She|However|Therefore|Otherwise|Also)\b")


def _sentences(passage: str) -> list[str]:
    return [passage[start:end].removeprefix("- ") for start, end in sentences(passage)]


def summarise(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The two sentences that hold most of the passage's frequent terms, in order, behind the last heading."""
    found = [text for text in _sentences(str(fields["passage"])) if len(text.split()) > 4]
    counts = Counter(term for text in found for term in set(content_terms(text)))

    def weight(text: str) -> float:
        terms = set(content_terms(text))
        return sum(counts[term] for term in terms) / (len(terms) + 3)

    best = sorted(sorted(range(len(found)), key=lambda n: (-weight(found[n]), n))[:_SUMMARY_SENTENCES])
    lead = [str(heading) for heading in list(fields["headings"])[-1:]]
    return {"summary": " ".join([*(f"{heading}:" for heading in lead), *(found[n] for n in best)])}


def state_facts(fields: Mapping[str, Any]) -> dict[str, Any]:
    """Sentences and rows that stand by themselves, each behind the last heading."""
    lead = [str(heading) for heading in list(fields["headings"])[-1:]]
    prefix = f"{lead[0]}: " if lead else ""
    facts = [
        prefix + text
        for text in _sentences(str(fields["passage"]))
        if len(text.split()) > 3 and not _HANGING.match(text) and (text.endswith(".") or ": " in text)
    ]
    return {"facts": facts}


def _share(question: str, text: str) -> float:
    wanted = {leader(term) for term in content_terms(question)}
    return len(wanted & {leader(term) for term in content_terms(text)}) / len(wanted) if wanted else 0.0


def is_relevant(fields: Mapping[str, Any]) -> dict[str, Any]:
    """Relevant: the passage holds at least half of the question's content words, or synonyms of them."""
    share = _share(str(fields["question"]), str(fields["passage"]))
    return {"relevant": share >= _RELEVANT, "reason": f"it holds {share:.0%} of the question's words"}


def extract(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The sentences that hold at least a third of the question's content words."""
    question = str(fields["question"])
    return {"quotes": [text for text in _sentences(str(fields["passage"])) if _share(question, text) >= 1 / 3]}


def grade(fields: Mapping[str, Any]) -> dict[str, Any]:
    """Whether `passage` says anything that could be asked for: 0 to 3, by how many plain statements it holds."""
    said = [text for text in _sentences(str(fields["passage"])) if len(text.split()) > 4 and not _HANGING.match(text)]
    return {"reason": f"{len(said)} statements that stand by themselves", "grade": min(3, len(said))}
