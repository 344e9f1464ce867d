"""A file's bytes to documents. A format is one module and one line in `FORMATS`."""

from __future__ import annotations

import os
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from importlib import import_module
from typing import Any

from ..documents import Document
from ..errors import Unreadable
from .archives import entries, is_archive
from .records import Mapped

# format: (module, function, suffixes)
FORMATS: dict[str, tuple[str, str, tuple[str, ...]]] = {
    "markdown": ("markdown", "read_markdown", (".md", ".markdown")),
    "html": ("html", "read_html", (".html", ".htm", ".xhtml")),
    "pdf": ("pdf", "read_pdf", (".pdf",)),
    "docx": ("docx", "read_docx", (".docx",)),
    "pptx": ("pptx", "read_pptx", (".pptx",)),
    "epub": ("epub", "read_epub", (".epub",)),
    "csv": ("records", "read_csv", (".csv", ".tsv")),
    "jsonl": ("records", "read_jsonl", (".jsonl", ".ndjson")),
    "json": ("records", "read_json", (".json",)),
    "text": ("plain", "read_plain", (".txt", ".text", ".log", ".rst", "")),
}
REVISION = 2  # raised when the readers make something else of the same bytes, so that files are read again
RECORDS = ("csv", "jsonl", "json")
WAYS = ("layout", "stream")
_SUFFIXES = {suffix: form for form, (_, _, suffixes) in FORMATS.items() for suffix in suffixes}
_LOOKS_HTML = re.compile(
    rb"\A(?:\xef\xbb\xbf)?\s*(?:<!doctype html|<html|<\?xml[^>]*>\s*<(?:!doctype )?html)", re.IGNORECASE
)
_FOREIGN = (
    (b"\x1f\x8b", "a gzip file"),
    (b"\x89PNG", "a picture (PNG)"),
    (b"\xff\xd8\xff", "a picture (JPEG)"),
    (b"GIF8", "a picture (GIF)"),
    (b"\xd0\xcf\x11\xe0", "an old office file (before DOCX and PPTX)"),
    (b"\x7fELF", "a program"),
    (b"SQLite format 3", "a database"),
)


@dataclass(frozen=True)
class Reading:
    """How files are read: the way of reading PDF, and how records are mapped."""

    pdf: str = "layout"
    mapped: Mapped = field(default_factory=Mapped)


def known_suffix(name: str) -> bool:
    """Whether a file of this name is taken when a folder is gathered; of a lone gzip file its name inside decides."""
    inner, suffix = os.path.splitext(name.lower())
    if suffix == ".gz" and not inner.endswith(".tar"):
        suffix = os.path.splitext(inner)[1]
        return suffix in _SUFFIXES
    return suffix in _SUFFIXES or is_archive(name)


def format_of(name: str, data: bytes) -> str:
    """The format by content first, by suffix second; raises `Unreadable` for one that can't be read."""
    suffix = os.path.splitext(name)[1].lower()
    if _LOOKS_HTML.match(data[:1024]):
        return "html"
    if b"%PDF-" in data[:1024]:
        return "pdf"
    if data.startswith(b"PK\x03\x04"):
        return _zipped(data, suffix)
    for magic, what in _FOREIGN:
        if data.startswith(magic):
            raise Unreadable(f"it is {what}")
    if suffix not in _SUFFIXES:
        raise Unreadable(f"files ending in {suffix} are not read (read are: {', '.join(sorted(_SUFFIXES))[2:]})")
    return _SUFFIXES[suffix]


def _zipped(data: bytes, suffix: str) -> str:
    """Which of the formats that are zip containers this one is."""
    from .zipped import opened

    names = opened(data, "container").namelist()
    for mark, form in (("word/", "docx"), ("ppt/", "pptx"), ("META-INF/container.xml", "epub")):
        if any(name.startswith(mark) for name in names):
            return form
    raise Unreadable("it is a zip container of no kind that is read here")


def read_file(name: str, data: bytes, reading: Reading) -> tuple[list[Document], list[tuple[str, str]]]:
    """All documents in a file, and (path, reason) of what in an archive could not be read. Raises `Unreadable`."""
    if not is_archive(name):
        return read_all(name, data, reading), []
    found: list[Document] = []
    failed: list[tuple[str, str]] = []
    for inner, content in entries(name, data):
        path = f"{name}/{inner}"
        if isinstance(content, str):
            failed.append((path, content))
        elif os.path.splitext(inner)[1].lower() in _SUFFIXES:
            try:
                found.extend(read_all(path, content, reading))
            except Unreadable as error:
                failed.append((path, str(error)))
    if not found and not failed:
        raise Unreadable("the archive holds no file of a format that is read")
    return found, failed


def read_all(name: str, data: bytes, reading: Reading | None = None) -> list[Document]:
    """The documents in a file's bytes: one, or for files of records one a record. Raises `Unreadable`."""
    reading = reading or Reading()
    form = format_of(name, data)
    module, function, _ = FORMATS[form]
    reader: Callable[..., Any] = getattr(import_module(f"{__name__}.{module}"), function)
    if form in RECORDS:
        documents = list(reader(name, data, reading.mapped))
    else:
        documents = [reader(name, data, reading.pdf) if form == "pdf" else reader(name, data)]
    documents = [document for document in documents if document.text.strip()]
    if not documents:
        raise Unreadable("no text was found in it")
    return documents


def read(name: str, data: bytes) -> Document:
    """The document in a file's bytes; of a file of records the first. Raises `Unreadable`."""
    return read_all(name, data)[0]
