"""A file's bytes to a document. A format is one module and one line in `FORMATS`."""

from __future__ import annotations

import os
import re
from collections.abc import Callable
from importlib import import_module

from ..documents import Document
from ..errors import Unreadable

# format: (module, function, suffixes)
FORMATS: dict[str, tuple[str, str, tuple[str, ...]]] = {
    "markdown": ("markdown", "read_markdown", (".md", ".markdown")),
    "html": ("html", "read_html", (".html", ".htm", ".xhtml")),
    "text": ("plain", "read_plain", (".txt", ".text", ".log", ".rst", "")),
}
_SUFFIXES = {suffix: form for form, (_, _, suffixes) in FORMATS.items() for suffix in suffixes}
_LOOKS_HTML = re.compile(rb"\A\s*(?:<!doctype html|<html|<\?xml[^>]*>\s*<(?:!doctype )?html)", re.IGNORECASE)
_FOREIGN = ((b"%PDF-", "PDF"), (b"PK\x03\x04", "zip or office"), (b"\x1f\x8b", "gzip"), (b"\x89PNG", "PNG"))


def known_suffix(name: str) -> bool:
    """Whether a file of this name is taken when a folder is gathered."""
    return os.path.splitext(name)[1].lower() in _SUFFIXES


def format_of(name: str, data: bytes) -> str:
    """The format by content first, by suffix second; raises `Unreadable` for one that can't be read."""
    if _LOOKS_HTML.match(data[:1024]):
        return "html"
    for magic, what in _FOREIGN:
        if data.startswith(magic):
            raise Unreadable(f"it is a {what} file, a format that is not read yet")
    suffix = os.path.splitext(name)[1].lower()
    if suffix not in _SUFFIXES:
        raise Unreadable(f"files ending in {suffix} are not read (read are: {', '.join(sorted(_SUFFIXES))[2:]})")
    return _SUFFIXES[suffix]


def read(name: str, data: bytes) -> Document:
    """The document in a file's bytes; raises `Unreadable` with the reason."""
    module, function, _ = FORMATS[format_of(name, data)]
    reader: Callable[[str, bytes], Document] = getattr(import_module(f"{__name__}.{module}"), function)
    document = reader(name, data)
    if not document.text.strip():
        raise Unreadable("no text was found in it")
    return document
