"""Bytes to text: which encoding a file is in, and whether it is text at all."""

from __future__ import annotations

import codecs
import re

from ..errors import Unreadable
from ..surrogates import mended

_MARKS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
_CONTROL = bytes(sorted(set(range(32)) - {9, 10, 12, 13, 27}))
_DECLARED = re.compile(rb"""charset\s*=\s*["']?\s*([A-Za-z0-9_.:-]+)""")
_SAMPLE = 65_536


def decode(data: bytes, declared: str = "") -> tuple[str, str]:
    """Text and the name of the encoding it was in.

    Order: byte-order mark, UTF-8, the declared encoding, Windows-1252. Raises `Unreadable` for an empty file
    and for bytes that are not text (a NUL, or more than 1 in 100 control characters, in the first 64 KiB).
    """
    if not data.strip():
        raise Unreadable("it is empty" if not data else "it holds nothing but white space")
    for mark, encoding in _MARKS:
        if data.startswith(mark):
            try:
                return _clean(data.decode(encoding)), encoding
            except UnicodeDecodeError as error:
                raise Unreadable(f"it starts like {encoding} but breaks at byte {error.start:,}") from None
    sample = data[:_SAMPLE]
    if b"\0" in sample or len(sample) - len(sample.translate(None, _CONTROL)) > len(sample) / 100:
        raise Unreadable("its bytes are not text")
    for encoding in ("utf-8", declared, "cp1252"):
        if not encoding:
            continue
        try:
            return _clean(data.decode(encoding)), encoding
        except (UnicodeError, LookupError, ValueError):  # there are codecs that are none for texts
            continue
    return _clean(data.decode("latin-1")), "latin-1"


def declared_in_html(data: bytes) -> str:
    """The encoding named in the first 4 KiB of a page, or an empty string."""
    found = _DECLARED.search(data[:4096])
    return found.group(1).decode("ascii") if found else ""


def _clean(text: str) -> str:
    if "\r" in text:
        text = text.replace("\r\n", "\n").replace("\r", "\n")
    return mended(text.replace("\0", "\ufffd"))
