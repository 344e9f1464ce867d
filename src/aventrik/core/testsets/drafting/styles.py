"""The styles in which people ask: in full, indirectly, with a story, in a hurry, as words for a search."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence

# style → share of a test set, unless the settings say otherwise
SHARES: Mapping[str, float] = {
    "question": 0.6, "indirect": 0.12, "first person": 0.08, "search": 0.12, "hurried": 0.08,
}  # fmt: skip


def style_of(question: str) -> str:
    """The style that a question is asked in, by its form."""
    plain = question.strip()
    words = plain.split()
    if re.match(
        r"(?i)^(?:can|could|would) (?:you|anyone|somebody|someone)\b|^(?:please|do you know|i wonder|where can i find)\b",
        plain,
    ):
        return "indirect"
    if re.search(r"\b(?:I|I['’]m|I['’]ve|my|we|our)\b", plain) and (len(words) > 12 or plain[:-1].count(". ") > 0):
        return "first person"
    if plain.endswith("?"):
        return "question"
    return "search" if not _ASKING.match(plain) else "hurried"


_ASKING = re.compile(r"(?i)^(?:how|what|when|where|who|whose|which|why|can|may|must|do|does|is|are|will|should)\b")


def shares_of(questions: Sequence[str]) -> dict[str, float]:
    """The share of each style among questions, 0 to 1."""
    found = Counter(style_of(question) for question in questions)
    return {style: found[style] / len(questions) for style in SHARES if found[style]}
