"""One form for letters that Unicode can write in several: composed (NFC, Unicode Standard Annex 15)."""

from __future__ import annotations

import unicodedata


def composed(text: str) -> str:
    """The text in composed form; the same object where it is already."""
    return text if text.isascii() or unicodedata.is_normalized("NFC", text) else unicodedata.normalize("NFC", text)


def composed_with_places(text: str) -> tuple[str, list[int]]:
    """The text in composed form, and for each of its characters the place in `text` where what it is made of begins, with
    the text's length behind the last."""
    pieces: list[str] = []
    places: list[int] = []
    start = 0
    while start < len(text):
        end = start + 1
        while end < len(text) and (unicodedata.combining(text[end]) or _joins(text[end])):
            end += 1
        piece = unicodedata.normalize("NFC", text[start:end])
        pieces.append(piece)
        places.extend([start] * len(piece))
        start = end
    return "".join(pieces), [*places, len(text)]


def _joins(letter: str) -> bool:
    """Whether a letter may be composed with the one before it though it is no mark: the vowels and ends of Hangul, and the
    few marks of other scripts of class 0."""
    return (
        "\u1161" <= letter <= "\u1175"
        or "\u11a8" <= letter <= "\u11c2"
        or letter in "\u09be\u09d7\u0b3e\u0b56\u0b57\u0bbe\u0bd7\u0cc2\u0cd5\u0cd6\u0d3e\u0d57\u0dcf\u0ddf\u102e\u1b35"
    )
