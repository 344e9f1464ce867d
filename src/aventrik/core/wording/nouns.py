"""Nouns in the singular and the plural, by their endings."""

from __future__ import annotations

import re

_NO_PLURAL = ("ss", "us", "is", "ics")  # glass, bus, basis, statistics


def is_plural(noun: str) -> bool:
    """Whether a noun looks like a plural."""
    return noun.endswith("s") and not noun.endswith(_NO_PLURAL)


def singular(word: str) -> tuple[str, str]:
    """A noun without the ending of its plural, and that ending ("s", or "" for one that is singular)."""
    if word.endswith("ies") and len(word) > 4:
        return word[:-3] + "y", "s"
    if word.endswith(("ses", "xes", "ches", "shes")):
        return word[:-2], "s"
    return (word[:-1], "s") if is_plural(word) else (word, "")


def plural_of(phrase: str) -> str:
    """A phrase with its first noun in the plural: "mooring for a day" → "moorings for a day"."""
    head, *rest = re.split(r"(?= (?:of|that|for|who|in|to) )", phrase, maxsplit=1)
    if head.endswith("y") and head[-2:-1] not in "aeiou":
        head = head[:-1] + "ies"
    elif head.endswith(("s", "x", "ch", "sh")):
        head += "es"
    elif not head.endswith(("information", "help", "money back", "time off", "software", "people")):
        head += "s"
    return head + "".join(rest)
