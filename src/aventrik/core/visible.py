"""Text that is not the program's own, made fit for a terminal: what would steer it, or hide text, is shown instead."""

from __future__ import annotations

import re

# C0 and C1 controls but line feed and tab, marks of direction, line separators that are no line feed, marks without
# width that are not part of words, lone surrogates, tags. Zero-width joiners and soft hyphens stay: scripts need them.
_UNSEEN = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u206f\ud800-\udfff\ufeff\ufff9-\ufffb"
    "\U000e0000-\U000e007f]"
)


def visible(text: str) -> str:
    """The text with each such character in its place: ESC as ␛, U+009B as \\x9b, U+202E as \\u202e."""
    return _UNSEEN.sub(lambda found: _sign(found[0]), text)


def hidden(text: str) -> list[int]:
    """Where such characters stand in a text, in order."""
    return [found.start() for found in _UNSEEN.finditer(text)]


def visible_json(body: str) -> str:
    """JSON in which they stand as escapes, so that it means the same."""
    return _UNSEEN.sub(lambda found: _escape(found[0]), body)


def _sign(char: str) -> str:
    code = ord(char)
    if code < 0x20:
        return chr(0x2400 + code)  # Unicode's pictures of the controls
    if code == 0x7F:
        return "\u2421"
    return f"\\x{code:02x}" if code < 0x100 else f"\\u{code:04x}" if code < 0x10000 else f"\\U{code:08x}"


def _escape(char: str) -> str:
    code = ord(char)
    if code < 0x10000:
        return f"\\u{code:04x}"
    code -= 0x10000
    return f"\\u{0xD800 + (code >> 10):04x}\\u{0xDC00 + (code & 0x3FF):04x}"
