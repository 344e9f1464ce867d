"""Archives: the readable files in a zip or tar, and a single compressed file."""

from __future__ import annotations

import gzip
import io
import posixpath
import tarfile
import zlib
from collections.abc import Iterator

from ..errors import Unreadable
from .zipped import LARGEST, member, opened

SUFFIXES = (".zip", ".tar", ".tar.gz", ".tgz", ".tar.bz2", ".tbz2", ".tar.xz", ".txz", ".gz")


def is_archive(name: str) -> bool:
    """Whether a file of this name is opened as an archive."""
    return name.lower().endswith(SUFFIXES)


def entries(name: str, data: bytes) -> Iterator[tuple[str, bytes | str]]:
    """(path inside, bytes) of each regular file, or (path, reason) for one that is not taken.

    A path that climbs out of the archive is not taken, nor is a link. Raises `Unreadable` for an archive that is
    broken, encrypted, or would unpack to more than 400 MB.
    """
    if name.lower().endswith(".zip"):
        yield from _zip_entries(data)
    elif ".tar" in name.lower() or name.lower().endswith((".tgz", ".tbz2", ".txz")):
        yield from _tar_entries(data)
    else:
        yield posixpath.basename(name)[: -len(".gz")], _inflated(data)


def _zip_entries(data: bytes) -> Iterator[tuple[str, bytes | str]]:
    container = opened(data, "zip archive")
    for entry in sorted(container.infolist(), key=lambda each: each.filename):
        if entry.is_dir():
            continue
        if _climbs(entry.filename):
            yield entry.filename, "its path climbs out of the archive"
            continue
        try:
            yield entry.filename, member(container, entry.filename, "zip archive")
        except Unreadable as error:
            yield entry.filename, str(error)


def _tar_entries(data: bytes) -> Iterator[tuple[str, bytes | str]]:
    total = 0
    try:
        with tarfile.open(fileobj=io.BytesIO(data)) as archive:
            for entry in archive:
                total += entry.size
                if total > LARGEST:
                    raise Unreadable(f"it unpacks to more than {LARGEST / 1e6:,.0f} MB")
                if not entry.isfile():
                    continue
                if _climbs(entry.name):
                    yield entry.name, "its path climbs out of the archive"
                    continue
                file = archive.extractfile(entry)
                yield entry.name.removeprefix("./"), file.read() if file else b""
    except (tarfile.TarError, EOFError, OSError, zlib.error) as error:
        raise Unreadable(f"it is no sound tar archive, or cut short ({error})") from None


def _inflated(data: bytes) -> bytes:
    try:
        with gzip.open(io.BytesIO(data)) as file:
            found = file.read(LARGEST + 1)
    except (OSError, EOFError, zlib.error) as error:
        raise Unreadable(f"it is no sound gzip file, or cut short ({error})") from None
    if len(found) > LARGEST:
        raise Unreadable(f"it unpacks to more than {LARGEST / 1e6:,.0f} MB")
    return found


def _climbs(path: str) -> bool:
    plain = path.replace("\\", "/")
    return plain.startswith("/") or ".." in plain.split("/") or (len(plain) > 1 and plain[1] == ":")
