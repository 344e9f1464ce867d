"""Arrays where an `fsspec` address leads, such as s3://bucket/folder, with copies in a folder here, from which they are
opened: what others have made is fetched when it is wanted, what is made here is sent.

Of each key the files lie in a folder of their own, with a name that nobody else takes; the list of them, which is
written last, says which. So a key is there whole or not at all, whoever writes it at the same time.
"""

from __future__ import annotations

import json
import os
import secrets
import shutil
import time
import zlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from ..core.errors import BadInput, Unavailable
from .arrays import FolderArrays
from .checksums import quick
from .parts import packed
from .protocols import Collection, Columns, Progress, nothing

_LIST = "files.json"
_MANIFEST = "manifest.json"
_READ = 1 << 24


class MirroredArrays(FolderArrays):
    """An `ArrayStore` at an `fsspec` address. Raises `BadInput` where the address, or the package that it needs, is not
    known, and `Unavailable` where it can't be reached."""

    def __init__(self, folder: Path, address: str) -> None:
        super().__init__(folder)
        self._address = address
        try:
            import fsspec

            with self._service_errors():
                self._files, root = fsspec.core.url_to_fs(address)
        except ImportError as error:
            raise BadInput(f"[store] arrays: {address} needs a package that is not installed ({error})") from None
        except ValueError as error:
            raise BadInput(f"[store] arrays: {address}: {error}") from None
        self._base = root.rstrip("/")

    def _fetch(self, key: str) -> None:
        """Brings the files of a key here, if they are there."""
        found = self._listed(key)
        if not found:
            return
        draft = self._root / f".{key}.{os.getpid()}.{time.monotonic_ns():x}"
        draft.mkdir(parents=True)
        try:
            with self._service_errors():
                for name in found["marks"]:
                    self._files.get_file(f"{self._base}/{key}/{found['at']}/{name}", str(draft / name))
            if any(quick(draft / name) != mark[:2] for name, mark in found["marks"].items()):
                return  # damaged there: it is made again
            (draft / _MANIFEST).write_text(json.dumps(found["marks"]))
            shutil.rmtree(self._root / key, ignore_errors=True)
            with suppress(OSError):  # another process was quicker
                draft.rename(self._root / key)
        except FileNotFoundError:  # not whole there: it is made again
            return
        finally:
            shutil.rmtree(draft, ignore_errors=True)

    def _sent(self, key: str) -> None:
        """Sends the files of a key, unless the same are there."""
        marks = json.loads((self._root / key / _MANIFEST).read_text())
        if self._listed(key).get("marks") == marks:
            return
        at = secrets.token_hex(8)
        with self._service_errors():
            for name in marks:
                self._files.put_file(str(self._root / key / name), self._made(f"{self._base}/{key}/{at}/{name}"))
            self._files.pipe_file(f"{self._base}/{key}/{_LIST}", json.dumps({"at": at, "marks": marks}).encode())

    def _made(self, path: str) -> str:
        """A path whose folder is there, for places that have such."""
        self._files.makedirs(path.rsplit("/", 1)[0], exist_ok=True)
        return path

    def _listed(self, key: str) -> dict[str, Any]:
        """Where the files of a key are, and how they look; empty where there is none."""
        try:
            with self._service_errors():
                found: dict[str, Any] = json.loads(self._files.cat_file(f"{self._base}/{key}/{_LIST}"))
                return found
        except (FileNotFoundError, ValueError):
            return {}

    def keep_part(self, name: str, rows: Sequence[Columns]) -> None:
        """Keeps what was made of some documents, under a name of its own."""
        body = b"".join(packed(rows))
        with self._service_errors():
            self._files.pipe_file(self._made(self._far(name)), body)

    def part(self, name: str) -> Collection | None:
        """What was kept under a name, brought here; None where nothing is."""
        here = self._part(name)
        here.parent.mkdir(parents=True, exist_ok=True)
        try:
            with self._service_errors():
                self._files.get_file(self._far(name), str(here))
        except FileNotFoundError:
            return None
        return super().part(name)

    def has_part(self, name: str) -> bool:
        """Whether something is kept under a name."""
        with self._service_errors():
            return bool(self._files.exists(self._far(name)))

    def drop_parts(self, names: Sequence[str]) -> None:
        """Drops parts that a collection has taken in."""
        super().drop_parts(names)
        with self._service_errors(), suppress(FileNotFoundError):
            self._files.rm([self._far(name) for name in names])

    def _far(self, name: str) -> str:
        return f"{self._base}/parts/{name}"

    def clear(self) -> int:
        """Drops all that is there, and the copies here; returns how many keys there were."""
        keys = self.keys()
        with self._service_errors(), suppress(FileNotFoundError):
            self._files.rm(self._base, recursive=True)
        super().clear()
        return len(keys)

    def holds(self) -> tuple[int, int]:
        """How many keys are there, and the bytes of all files."""
        keys = self.keys()
        sizes = [mark[0] for key in keys for mark in self._listed(key).get("marks", {}).values()]
        return len(keys), sum(sizes)

    def damaged(self, progress: Progress = nothing) -> list[str]:
        """The files, there and here, that are not, down to the last byte, what was written."""
        found = []
        keys = self.keys()
        for done, key in enumerate(keys):
            progress("checking arrays at their address", done, len(keys))
            listed = self._listed(key)
            for name, mark in listed.get("marks", {}).items():
                path = f"{self._base}/{key}/{listed['at']}/{name}"
                try:
                    if [mark[0], mark[2]] != list(self._summed(path)):
                        found.append(f"{self._address}: {path}")
                except FileNotFoundError:
                    found.append(f"{self._address}: {path}: is missing")
        return found + super().damaged(progress)

    def _summed(self, path: str) -> tuple[int, int]:
        size = check = 0
        with self._service_errors(), self._files.open(path, "rb") as file:
            while part := file.read(_READ):
                size += len(part)
                check = zlib.crc32(part, check)
        return size, check

    def keys(self) -> list[str]:
        """All keys that are there."""
        try:
            with self._service_errors():
                paths = self._files.ls(self._base, detail=False)
        except FileNotFoundError:
            return []
        names = [path.rstrip("/").rsplit("/", 1)[-1] for path in paths]
        return sorted(name for name in names if name and name != "parts")

    @contextmanager
    def _service_errors(self) -> Iterator[None]:
        """Turns what a service throws into one line; a file that is not there is told to the caller."""
        try:
            yield
        except (FileNotFoundError, ImportError, BadInput, Unavailable):
            raise
        except PermissionError as error:
            raise BadInput(f"{self._address}: no permission ({_line(error)})") from None
        except ValueError:
            raise
        except Exception as error:  # each service has errors of its own
            raise Unavailable(f"{self._address}: can't be reached or written ({_line(error)})") from None


def _line(error: Exception) -> str:
    return " ".join(str(error).split())[:200] or type(error).__name__
