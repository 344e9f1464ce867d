"""Rude wording, and messages worded like a chat."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ..documents import Document
from . import Finding

_RUDE = re.compile(
    r"\b(?:damn|bloody|crap|shit\w*|fuck\w*|arse\w*|bastards?|idiots?|stupid|moron\w*|wtf|piss\w*)\b", re.IGNORECASE
)
_CHATTY = re.compile(
    r"\b(?:lol|omg|btw|imho|fyi|thx|pls|plz|gonna|wanna|gotta|dunno|yeah|yep|nope|hey|haha+|cheers|mate|guys|asap|"
    r"tbh|ikr|u|ur|cya|xx+)\b|[!?]{2,}|[:;]-?[)(DP]|[\U0001F600-\U0001F64F]",
    re.IGNORECASE,
)
_MANY = 0.025


def find(documents: Sequence[Document]) -> list[Finding]:
    """Documents with a rude word, or with at least three marks of chat that are 1 in 40 words or more."""
    found = []
    for document in documents:
        rude = [match.span() for match in _RUDE.finditer(document.text)]
        chatty = [match.span() for match in _CHATTY.finditer(document.text)]
        words = max(1, len(document.text.split()))
        share = len(chatty) / words
        if len(chatty) >= 3 and share >= _MANY:
            told = f"{len(chatty)} marks of chat in {words} words"
            found.append(Finding("informal", document.name, min(0.98, 0.5 + 5 * share), told, tuple(chatty + rude)))
        elif rude and len(rude) / words > 0.002:
            shown = ", ".join(sorted({document.text[a:b].lower() for a, b in rude})[:4])
            found.append(
                Finding(
                    "informal", document.name, min(0.95, 0.5 + 20 * len(rude) / words), f"rude: {shown}", tuple(rude)
                )
            )
    return found
