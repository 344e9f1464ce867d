"""What a whole corpus is about, as its own sentences name it: 'on the Navigation', 'at Oxmere'. People who ask name it
in many a question."""

from __future__ import annotations

import random
import re
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field

from ...text import content_terms

_PHRASE = re.compile(
    r"(?<=[a-z] )(in|on|at|with|under|for) ((?:the )?[A-Z][a-z][\w-]+(?: [A-Z][a-z][\w-]+)?)"
    r"(?=[,.;:!?)]| (?:and|or|is|are|was|with|by|as|that|which|to|for|from|when|if)\b)"
)
_NO_SUBJECT = frozenset(
    """January February March April May June July August September October November December Monday Tuesday Wednesday
    Thursday Friday Saturday Sunday Section Chapter Part Table Figure Appendix English""".split()
)
_ALL_OVER = 0.3  # share of documents in which the name of the subject occurs
_ROOM = 12  # words of a question that still takes a name


@dataclass
class Subject:
    """The name that occurs in most documents behind a preposition, and in how many of them each of its phrases."""

    phrases: Counter[str] = field(default_factory=Counter)
    names: Counter[str] = field(default_factory=Counter)
    documents: int = 0

    def add(self, text: str) -> None:
        """Counts a document's phrases, each once."""
        self.documents += 1
        found = set(_PHRASE.findall(text))
        self.names.update({name for _, name in found})
        self.phrases.update(f"{word} {name}" for word, name in found)

    @property
    def phrase(self) -> str:
        """Such as 'on the Navigation'; empty for a corpus that is not about one thing, or of a few documents."""
        known = [
            (times, name) for name, times in self.names.items()
            if times >= max(3, _ALL_OVER * self.documents) and not _NO_SUBJECT & set(name.split())
        ]  # fmt: skip
        if not known:
            return ""
        _, name = max(known)
        return max((times, phrase) for phrase, times in self.phrases.items() if phrase.split(" ", 1)[1] == name)[1]


def placed(question: str, places: Iterable[str], share: float, seed: str) -> str:
    """With a chance of `share` (0 to 1) the question with the first place that it does not name yet, such as
    'on the Navigation', at its end; else the question as it is."""
    if random.Random(f"place {seed}").random() >= share or len(question.split()) > _ROOM:
        return question
    asked = set(content_terms(question))
    for place in places:
        taken = f" {place.split(' ')[0]} " in question  # it names a place of its own
        if place and not taken and not asked & set(content_terms(place)):
            return f"{question[:-1]} {place}?" if question.endswith("?") else f"{question} {place}"
    return question
