"""Zip containers opened with care: DOCX, PPTX, EPUB and plain archives."""

from __future__ import annotations

import io
import zipfile

from ..errors import Unreadable

LARGEST = 400_000_000  # bytes that a container may hold in all when unpacked
_RATIO = 200  # and how many times its own size


def opened(data: bytes, what: str) -> zipfile.ZipFile:
    """The container; raises `Unreadable` for one that is broken, encrypted, or would unpack to far too much."""
    try:
        container = zipfile.ZipFile(io.BytesIO(data))
    except (zipfile.BadZipFile, ValueError, NotImplementedError):
        raise Unreadable(f"it is no sound {what}: not a zip container, or cut short") from None
    entries = container.infolist()
    size = sum(entry.file_size for entry in entries)
    if size > LARGEST or (size > 10_000_000 and size > _RATIO * max(1, len(data))):
        raise Unreadable(f"it would unpack to {size / 1e6:,.0f} MB, which no {what} of its size does (a zip bomb?)")
    if any(entry.flag_bits & 1 for entry in entries):
        raise Unreadable(f"the {what} is encrypted")
    return container


def member(container: zipfile.ZipFile, name: str, what: str) -> bytes:
    """The bytes of one entry; raises `Unreadable` when it is missing or broken."""
    try:
        return container.read(name)
    except KeyError:
        raise Unreadable(f"it is no sound {what}: {name} is missing in it") from None
    except (zipfile.BadZipFile, OSError, EOFError, ValueError) as error:
        raise Unreadable(f"the {what} is broken ({error})") from None
