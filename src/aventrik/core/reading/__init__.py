"""A file's bytes to documents. A format is one module and one line in `FORMATS`."""

from __future__ import annotations

import os
import posixpath
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
REVISION = 4  # raised when the readers make something else of the same bytes, so that files are read again
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


@dataclass
class ReadFile:
    """What was found in a file: documents, (path, reason) of what in an archive could not be read, and how many of its
    files are of a format that is not read. All files of an archive are in one of the three."""

    documents: list[Document] = field(default_factory=list)
    failed: list[tuple[str, str]] = field(default_factory=list)
    passed_over: int = 0


def safe_name(name: str) -> str:
    """A name that can be stored and shown: bytes that are not UTF-8, and what can't be seen, are escaped."""
    if name.isascii() and name.isprintable():
        return name
    plain = name.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
    return "".join(c if c.isprintable() else f"\\x{ord(c):02x}" if ord(c) < 256 else f"\\u{ord(c):04x}" for c in plain)


def read_file(name: str, data: bytes, reading: Reading) -> ReadFile:
    """All that is in a file. Raises `Unreadable` where that is nothing, and for an archive that can't be opened."""
    if not is_archive(name):
        return ReadFile(read_all(name, data, reading))
    found = ReadFile()
    met: set[str] = set()
    for inner, content in entries(name, data):
        path = _free(f"{name}/{safe_name(inner)}" if inner else name, met)
        if isinstance(content, str):
            found.failed.append((path, content))
        elif is_archive(inner):
            found.failed.append((path, "it is an archive inside an archive, which is not opened"))
        elif os.path.splitext(inner)[1].lower() not in _SUFFIXES or posixpath.basename(inner).startswith("."):
            found.passed_over += 1
        else:
            try:
                found.documents.extend(read_all(path, content, reading))
            except Unreadable as error:
                found.failed.append((path, str(error)))
    if not found.documents and not found.failed:
        raise Unreadable("the archive holds no file of a format that is read")
    return found


def _free(path: str, met: set[str]) -> str:
    """A path that was not met before: the second "a.txt" is "a (2).txt"."""
    wanted, count = path, 1
    root, suffix = os.path.splitext(path)
    while wanted in met:
        count += 1
        wanted = f"{root} ({count}){suffix}"
    met.add(wanted)
    return wanted


def read_all(name: str, data: bytes, reading: Reading | None = None) -> list[Document]:
    """The documents in a file's bytes: one, or for files of records one a record. Raises `Unreadable`."""
    reading = reading or Reading()
    form = format_of(name, data)
    module, function, _ = FORMATS[form]
    reader: Callable[..., Any] = getattr(import_module(f"{__name__}.{module}"), function)
    try:
        if form in RECORDS:
            documents = list(reader(name, data, reading.mapped))
        else:
            documents = [reader(name, data, reading.pdf) if form == "pdf" else reader(name, data)]
    except (Unreadable, MemoryError):
        raise
    except RecursionError:
        raise Unreadable("it is nested too deeply") from None
    except Exception as error:  # the libraries that take formats apart let many kinds through
        raise Unreadable(f"it is no sound {form} file, or of a kind that is not known here ({_kind(error)})") from None
    documents = [document for document in documents if document.text.strip()]
    if not documents:
        raise Unreadable("no text was found in it")
    return documents


def _kind(error: Exception) -> str:
    return f"{type(error).__name__}: {' '.join(str(error).split())[:80]}"


def read(name: str, data: bytes) -> Document:
    """The document in a file's bytes; of a file of records the first. Raises `Unreadable`."""
    return read_all(name, data)[0]
