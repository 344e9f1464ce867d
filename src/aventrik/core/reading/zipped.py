"""Zip containers opened with care: DOCX, PPTX, EPUB and plain archives."""

from __future__ import annotations

import io
import struct
import zipfile

from ..errors import Unreadable

LARGEST = 400_000_000  # bytes that a container may hold in all when unpacked
_RATIO = 200  # and how many times its own size


def opened(data: bytes, what: str, whole: bool = True) -> zipfile.ZipFile:
    """The container; raises `Unreadable` for one that is broken or would unpack to far too much, and, where it is wanted
    `whole`, for one of which something is encrypted."""
    try:
        container = zipfile.ZipFile(io.BytesIO(data))
        entries = container.infolist()
    except (zipfile.BadZipFile, ValueError, NotImplementedError, OSError, EOFError, struct.error):
        raise Unreadable(f"it is no sound {what}: not a zip container, or cut short") from None
    size = sum(entry.file_size for entry in entries)
    if size > LARGEST or (size > 10_000_000 and size > _RATIO * max(1, len(data))):
        raise Unreadable(f"it would unpack to {size / 1e6:,.0f} MB, which no {what} of its size does (a zip bomb?)")
    if whole and any(entry.flag_bits & 1 for entry in entries):
        raise Unreadable(f"the {what} is encrypted")
    return container


def member(container: zipfile.ZipFile, name: str, what: str) -> bytes:
    """The bytes of one entry; raises `Unreadable` when it is missing or broken."""
    try:
        entry = container.getinfo(name)
    except KeyError:
        raise Unreadable(f"it is no sound {what}: {name} is missing in it") from None
    try:
        return entry_bytes(container, entry)
    except Unreadable as error:
        raise Unreadable(f"the {what} is broken: {name}: {error}") from None


def entry_bytes(container: zipfile.ZipFile, entry: zipfile.ZipInfo) -> bytes:
    """The bytes of an entry, which is found by where it stands, not by its name; raises `Unreadable` with what is wrong
    with it."""
    if entry.flag_bits & 1:
        raise Unreadable("it is encrypted")
    try:
        return container.read(entry)
    except NotImplementedError:
        raise Unreadable("it is compressed in a way that is not read here") from None
    except MemoryError:
        raise
    except Exception:  # the decompressors throw what they like
        raise Unreadable("it is damaged") from None
