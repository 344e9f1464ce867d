"""Misspelt words: the known word that is one letter away."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from string import ascii_lowercase

LETTERS = 5  # of a word that may be misspelt: of a shorter one too many words are one letter away
_LONGEST = 24


def one_apart(one: str, other: str) -> bool:
    """Whether two different words are a letter apart: left out, added, changed, or two neighbours swapped."""
    if len(one) > len(other):
        one, other = other, one
    if one == other or len(other) - len(one) > 1:
        return False
    start = next((n for n, (a, b) in enumerate(zip(one, other)) if a != b), len(one))
    if len(one) == len(other):
        swapped = one[start : start + 2] == other[start : start + 2][::-1] and one[start + 2 :] == other[start + 2 :]
        return swapped or one[start + 1 :] == other[start + 1 :]
    return one[start:] == other[start + 1 :]


class Speller:
    """Known words, each with how often it occurs, found by what is left of them when a letter is taken out."""

    def __init__(self, known: Mapping[str, int]) -> None:
        self._known = {word: count for word, count in known.items() if _may(word)}
        self._by_rest: dict[str, list[str]] = {}
        for word in self._known:
            for rest in _rests(word):
                self._by_rest.setdefault(rest, []).append(word)

    def mended(self, word: str) -> str:
        """The commonest known word with the same first letter that is one letter away from a word in lower case; the
        word itself where it is known, short, no plain word, or where there is none."""
        if word in self._known or not _may(word):
            return word
        near = {
            other
            for rest in _rests(word)
            for other in self._by_rest.get(rest, ())
            if other[0] == word[0] and one_apart(word, other)
        }
        return min(near, key=lambda other: (-self._known[other], other), default=word)


def _may(word: str) -> bool:
    return LETTERS <= len(word) <= _LONGEST and word.isalpha()


def _rests(word: str) -> Iterator[str]:
    yield word
    for place in range(len(word)):
        yield word[:place] + word[place + 1 :]


def nearest_known(word: str, frequency: Callable[[str], int]) -> str:
    """The commonest word of a collection that is one letter away from a word in lower case and has its first letter;
    `frequency` tells how common a word is, 0 for one that is not known. The word itself where it is known, short, or
    where there is none."""
    if not _may(word) or frequency(word):
        return word
    found, most = word, 0
    for other in _changed(word):
        count = frequency(other)
        if count > most:
            found, most = other, count
    return found


def _changed(word: str) -> Iterator[str]:
    """Every word that is one letter away but for its first letter, each once."""
    seen = {word}
    for place in range(1, len(word) + 1):
        head, tail = word[:place], word[place:]
        made = [head + letter + tail for letter in ascii_lowercase]
        if tail:
            made.append(head + tail[1:])
            made.extend(head + letter + tail[1:] for letter in ascii_lowercase)
        if len(tail) > 1:
            made.append(head + tail[1] + tail[0] + tail[2:])
        for other in made:
            if other not in seen:
                seen.add(other)
                yield other
