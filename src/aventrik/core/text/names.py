"""Words that are written as names."""

from __future__ import annotations

from . import STOP_WORDS, WORD


def names_in(text: str) -> list[str]:
    """Words that are written as names: with a capital where no sentence begins, or with capitals or figures inside."""
    found = []
    begins = True
    last = 0
    for word in WORD.finditer(text):
        between = text[last : word.start()]
        begins = begins or any(mark in between for mark in '.!?\n:•“"')
        inner = word[0][1:]
        if (
            any(letter.isupper() for letter in inner)
            or (any(letter.isdigit() for letter in word[0]) and any(letter.isalpha() for letter in word[0]))
            or (word[0][0].isupper() and not begins and word[0].lower() not in STOP_WORDS)
        ):
            found.append(word[0])
        begins = False
        last = word.end()
    return found
