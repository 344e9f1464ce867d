"""Archives: the readable files in a zip or tar, and a single compressed file.

All that can be read is given out, and all that can't is told: of a damaged member, of a link, of what stands behind the
place where an archive was cut off.
"""

from __future__ import annotations

import bz2
import io
import lzma
import posixpath
import tarfile
import zlib
from collections.abc import Iterator
from typing import Any

from ..errors import Unreadable
from .zipped import LARGEST, entry_bytes, opened

SUFFIXES = (".zip", ".tar", ".tar.gz", ".tgz", ".tar.bz2", ".tbz2", ".tar.xz", ".txz", ".gz")
_BLOCK = tarfile.BLOCKSIZE
_STEP = 1 << 20
_LZMA_MEMORY = 1_000_000_000
_MAGIC = (b"\x1f\x8b", b"BZh", b"\xfd7zXZ\x00")

Entry = tuple[str, bytes | str]


def is_archive(name: str) -> bool:
    """Whether a file of this name is opened as an archive."""
    return name.lower().endswith(SUFFIXES)


def entries(name: str, data: bytes) -> Iterator[Entry]:
    """(path inside, bytes) of each regular file, or (path, reason) for one that is not taken; the path is empty where
    the reason is one of the archive as a whole, such as that its end is missing.

    A path that climbs out of the archive is not taken, nor is a link. Raises `Unreadable` for an archive of which
    nothing can be read, or that would unpack to more than 400 MB.
    """
    if name.lower().endswith(".zip"):
        yield from _zip_entries(data)
    elif ".tar" in name.lower() or name.lower().endswith((".tgz", ".tbz2", ".txz")):
        yield from _tar_entries(data)
    else:
        body, problem = unpacked(data)
        yield posixpath.basename(name)[: -len(".gz")], body
        if problem:
            yield "", problem


def _zip_entries(data: bytes) -> Iterator[Entry]:
    container = opened(data, "zip archive", whole=False)
    for entry in sorted(container.infolist(), key=lambda each: (each.filename, each.header_offset)):
        if entry.is_dir():
            continue
        if _climbs(entry.filename):
            yield entry.filename, "its path climbs out of the archive"
            continue
        try:
            yield entry.filename, entry_bytes(container, entry)
        except Unreadable as error:
            yield entry.filename, str(error)


def _tar_entries(data: bytes) -> Iterator[Entry]:
    problem = ""
    if data.startswith(_MAGIC):
        data, problem = unpacked(data)
    reached, count = 0, 0
    for entry in _members(data):
        if entry.offset > reached and data[reached : entry.offset].strip(b"\0"):
            yield f"at byte {reached:,}", "the header of a member is damaged there"
        reached = entry.offset_data + (0 if entry.islnk() else -(-_stored(entry) // _BLOCK) * _BLOCK)
        count += 1
        if entry.isdir():
            continue
        path = entry.name.removeprefix("./")
        if _climbs(path):
            yield path, "its path climbs out of the archive"
        elif not entry.isreg():
            yield path, "it is a link, which is not followed" if entry.issym() or entry.islnk() else "it is no file"
        elif entry.sparse is not None:
            yield path, "it is a sparse file, which is not read"
        elif entry.offset_data + entry.size > len(data):
            yield path, f"it is cut short: {max(0, len(data) - entry.offset_data):,} of {entry.size:,} bytes are there"
        else:
            yield path, data[entry.offset_data : entry.offset_data + entry.size]
    if not count and data.strip(b"\0"):
        raise Unreadable(f"it is no sound tar archive{', or cut short' if not problem else f' ({problem})'}")
    rest = data[reached:]
    if rest.strip(b"\0"):
        yield f"at byte {reached:,}", "the header of a member is damaged or cut short there"
    elif not rest and not problem:
        problem = "its end mark is missing: it may have been cut off there"
    if problem:
        yield "", problem


def _members(data: bytes) -> Iterator[tarfile.TarInfo]:
    """The members of a tar, passing over what is no header."""
    try:
        with tarfile.open(fileobj=io.BytesIO(data), mode="r:", ignore_zeros=True) as archive:
            yield from archive
    except (tarfile.TarError, EOFError, OSError, ValueError, OverflowError, UnicodeError):
        return  # what was not reached is told by the caller


def _stored(entry: tarfile.TarInfo) -> int:
    return int(entry.size) if entry.isreg() or entry.type not in tarfile.SUPPORTED_TYPES else 0


def unpacked(data: bytes) -> tuple[bytes, str]:
    """What a gzip, bzip2 or xz file holds, as far as it can be read, and what is wrong with it, or an empty text.

    Raises `Unreadable` for one that holds nothing that can be read, or more than 400 MB.
    """
    made = bytearray()
    left = data
    problem = ""
    while left.strip(b"\0") and not problem:
        stream: Any
        if left.startswith(_MAGIC[0]):
            stream = _Gzip()
        elif left.startswith(_MAGIC[1]):
            stream = bz2.BZ2Decompressor()
        elif left.startswith(_MAGIC[2]):
            stream = lzma.LZMADecompressor(memlimit=_LZMA_MEMORY)
        else:
            problem = "bytes stand behind its end that are not part of it"
            break
        fed = left
        try:
            while not stream.eof:
                if stream.needs_input and not fed:
                    problem = f"it is cut short: what stood behind the first {len(made):,} bytes of its content is lost"
                    break
                made += stream.decompress(fed, _STEP)
                fed = b""
                if len(made) > LARGEST:
                    raise Unreadable(f"it unpacks to more than {LARGEST / 1e6:,.0f} MB")
            left = stream.unused_data
        except (OSError, EOFError, ValueError, zlib.error, lzma.LZMAError):
            problem = f"it is damaged: what stood behind the first {len(made):,} bytes of its content is lost"
    if not made:
        raise Unreadable("it is no sound compressed file, or cut short" if problem else "it is empty")
    return bytes(made), problem


class _Gzip:
    """zlib's decompressor with the ways of those of bz2 and lzma."""

    def __init__(self) -> None:
        self._stream = zlib.decompressobj(wbits=31)

    @property
    def eof(self) -> bool:
        return self._stream.eof

    @property
    def needs_input(self) -> bool:
        return not self._stream.unconsumed_tail

    @property
    def unused_data(self) -> bytes:
        return self._stream.unused_data

    def decompress(self, data: bytes, most: int) -> bytes:
        return self._stream.decompress(self._stream.unconsumed_tail + data, most)


def _climbs(path: str) -> bool:
    plain = path.replace("\\", "/")
    return plain.startswith("/") or ".." in plain.split("/") or (len(plain) > 1 and plain[1] == ":")
