"""Text that is no text: bad scans, wrong decoding, encoded data."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence

from ..documents import Document
from ..documents.spans import Range
from ..text import STOP_WORDS, sentences
from . import Finding
from .language import guess

_TOKEN = re.compile(r"\S+")
_PLAIN = re.compile(r"^[(\"'“‘\[£$€]*(?:[^\W\d_]+(?:['’-][^\W\d_]+)*|\d[\d.,:/%-]*)[)\"'”’\].,;:!?%]*$")
_VOWEL = re.compile(r"[aeiouyáéíóúàèìòùäöüâêîôûæøå]", re.IGNORECASE)
_GARBLED = 0.35


def find(documents: Sequence[Document]) -> list[Finding]:
    """Documents of which at least 35 % of the tokens look like no words, in Latin-script text of 20 tokens or more.

    A token looks wrong when it mixes letters with figures or marks, has five letters or more without a vowel, or
    is a word of four letters or more that stands nowhere else in the corpus, in a sentence without a function word
    of a document that is in no known language.
    """
    spread: Counter[str] = Counter()
    for document in documents:
        spread.update({token.lower().strip(".,;:()!?\"'") for token in _TOKEN.findall(document.text)})
    found = []
    for document in documents:
        tokens = bad = 0
        readable = guess(document.text)[1] > 0.6  # its function words are those of some language
        spans: list[Range] = []
        for start, end in sentences(document.text):
            here = _TOKEN.findall(document.text[start:end])
            function = readable or any(token.lower().strip(".,") in STOP_WORDS for token in here)
            wrong = sum(_looks_wrong(token, spread, function) for token in here)
            tokens, bad = tokens + len(here), bad + wrong
            if here and wrong / len(here) > _GARBLED:
                spans.append((start, end))
        latin = sum(char.isascii() for char in document.text) > 0.6 * len(document.text)
        if tokens >= 20 and latin and bad / tokens >= _GARBLED and len(documents) > 3:
            told = f"{bad / tokens:.0%} of its tokens look like no words"
            found.append(Finding("garbled", document.name, min(1.0, 0.4 + bad / tokens), told, tuple(spans[:40])))
    return found


def _looks_wrong(token: str, spread: Counter[str], function: bool) -> bool:
    bare = token.lower().strip(".,;:()!?\"'")
    if not _PLAIN.match(token):
        return not (re.fullmatch(r"[\w./@:+#-]+", token) and spread[bare] > 1)
    letters = re.sub(r"[^\w]|\d", "", bare)
    if len(letters) >= 5 and not _VOWEL.search(letters):
        return True
    return len(letters) >= 4 and not function and spread[bare] <= 1
