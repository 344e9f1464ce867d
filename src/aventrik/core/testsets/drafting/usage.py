"""How words are used in a corpus: as verbs, as nouns, side by side. From counts alone; no list of verbs is complete."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, field

from ...text import STOP_WORDS

_AS_VERB = re.compile(
    r"\b(?:to|must|may|can|cannot|should|will|would|could|don['’]t|not|please|you|we|they|I) ([a-z]{2,})\b"
)
_AS_NOUN = re.compile(r"\b(?:the|a|an|this|that|its|their|your|of|each|every|no|any|some|these|those) ([a-z]{2,})\b")
_PAIR = re.compile(
    r"\b(?:the|a|an|this|that|its|their|your|of|each|every|no|any|some|these|those) ([a-z]{2,}) ([a-z]{2,})\b"
)
_ONE = re.compile(r"\b(?:an?|each|every|another) ([a-z]{2,})(?: ([a-z]{2,}))?\b")
_NAME = re.compile(r"(?<=[a-z,;] )[A-Z][\w’'-]*")
_LOWER = re.compile(r"(?<![\w./-])[a-z]{3,}(?![\w/-])(?!\.\w)")
_CALENDAR = frozenset(
    """January February March April May June July August September October November December Monday Tuesday Wednesday
    Thursday Friday Saturday Sunday""".split()
)

_SHORTEST = 4  # letters of a verb, but for these
_SHORT = frozenset("add buy cut fit fix get let log map mix pay put run see set tie try use".split())


@dataclass
class Usage:
    """Counts over a corpus: words after what goes before a verb, after what goes before a noun, words that belong to
    the noun behind them, capitalised words inside sentences, and words in lower case."""

    verbs: Counter[str] = field(default_factory=Counter)
    nouns: Counter[str] = field(default_factory=Counter)
    pairs: Counter[str] = field(default_factory=Counter)
    names: Counter[str] = field(default_factory=Counter)
    lower: Counter[str] = field(default_factory=Counter)
    single: Counter[str] = field(default_factory=Counter)

    def add(self, text: str) -> None:
        """Counts one text more."""
        self.verbs.update(_AS_VERB.findall(text))
        self.nouns.update(_AS_NOUN.findall(text))
        self.pairs.update(" ".join(pair) for pair in _PAIR.findall(text))
        for pair in _ONE.findall(text):
            self.single.update(word for word in pair if word)
        self.names.update(_NAME.findall(text))
        self.lower.update(_LOWER.findall(text))

    def is_verb(self, word: str) -> bool:
        """Whether a plain form is used as a verb here, and more so than as a noun."""
        if (
            (len(word) < _SHORTEST and word not in _SHORT)
            or word.endswith("ed")
            or (word.endswith("s") and word[-2:] != "ss")
        ):
            return False
        return word not in STOP_WORDS and self.verbs[word] >= 2 and self.verbs[word] > 2 * self.nouns[word]

    def counted(self, noun: str) -> bool:
        """Whether a noun is used with 'a' here, or with another word between the two."""
        return self.single[noun] >= 2

    def plain(self, gerund: str) -> str:
        """The plain form of a gerund ('making' → 'make'), by which of its possible forms is used as a verb here; empty
        where none is."""
        stem = gerund.removesuffix("ing")
        if stem == gerund or len(stem) < 2:
            return ""
        forms = [stem, stem + "e"]
        if len(stem) > 2 and stem[-1] == stem[-2]:
            forms.append(stem[:-1])
        best = max(forms, key=lambda form: self.verbs[form])
        return best if self.verbs[best] >= 1 and best not in STOP_WORDS else ""

    def is_name(self, word: str) -> bool:
        """Whether a capitalised word keeps its capital inside a sentence: it is hardly ever in lower case here."""
        if word.lower() in STOP_WORDS:
            return word == "I"
        if word[1:] != word[1:].lower() or any(c.isdigit() for c in word):
            return True
        return word in _CALENDAR or self.names[word] > 5 * self.lower[word.lower()]
