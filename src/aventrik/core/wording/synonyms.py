"""Everyday words that official prose and plain speech use for the same thing."""

from __future__ import annotations

from ..text import stem

_SYNONYMS = (
    "fee charge cost price",
    "boat vessel craft",
    "permit licence permission",
    "allowed permitted",
    "rule regulation requirement",
    "start begin commence",
    "end finish cease",
    "close shut",
    "buy purchase obtain",
    "rubbish litter waste refuse",
    "dog pet",
    "phone telephone ring call",
    "broken faulty damaged",
    "fix repair mend",
    "stop halt stay",
    "sign notice",
    "fine penalty",
    "path track",
    "bike bicycle cycle",
    "fast speed quick",
    "wait queue delay",
    "need require",
    "help assistance",
    "hurt injured",
    "emergency accident incident",
    "report tell inform notify",
    "kid child",
    "cheap discount concession",
    "refund repayment",
    "renew extend",
    "cancel withdraw",
    "maximum most greatest limit",
    "minimum least smallest",
    "overnight night",
    "turn wind",
    "job work task",
    "document file paper",
    "send submit",
    "change modify alter",
    "remove delete",
    "name title",
    "error failure fault",
    "use employ",
    "show display",
    "choose select",
    "box field",
    "place location site",
    "worker employee staff",
    "customer client user",
    "holiday leave",
    "pay payment",
    "form application",
)

# word → its group, in order
GROUPS = {word: group.split() for group in _SYNONYMS for word in group.split()}
_LEADERS = {stem(word): stem(group[0]) for word, group in GROUPS.items()}


def leader(term: str) -> str:
    """The stem that stands for a stemmed term's group; the term itself when it is in none."""
    return _LEADERS.get(term, term)
