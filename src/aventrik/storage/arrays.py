"""Files too large for a row: a folder a key, which is there whole or not at all; and collections, which hold what a
stage made of every document and grow out of earlier ones."""

from __future__ import annotations

import json
import os
import shutil
import time
from collections.abc import Callable, Iterator, Sequence
from itertools import groupby
from pathlib import Path
from typing import Any

import numpy as np
from filelock import FileLock, Timeout

from ..core.errors import disk_errors
from .checksums import as_written, full, quick
from .growing import Growing, opened, places, stretches
from .parts import opened as opened_part
from .parts import packed
from .protocols import Collection, Columns, Made, Progress, nothing
from .tables import Database, put

_MANIFEST = "manifest.json"
_PARTS = ".parts"
_EARLIER = 4  # collections of a family that are looked through for what stands in them already


class FolderArrays:
    """An `ArrayStore` in a folder."""

    def __init__(self, folder: Path, database: Database | None = None) -> None:
        self._root = folder
        self.database: Any = database

    def folder(self, key: str) -> Path:
        """The folder of a key; raises KeyError when it is missing or a file in it is not what was written.

        A file is known by its size and by a checksum over its ends and some blocks between (all of a small file), so
        that opening a large one stays quick; `damaged` looks at every byte.
        """
        folder = self._root / key
        if not (folder / _MANIFEST).exists():
            self._fetch(key)
        try:
            marks = json.loads((folder / _MANIFEST).read_text())
            if not marks or any(quick(folder / name) != mark[:2] for name, mark in marks.items()):
                raise KeyError(key)
        except (OSError, ValueError, TypeError, AttributeError):
            raise KeyError(key) from None
        return folder

    def keys(self) -> list[str]:
        """All keys that have a folder."""
        found = [path for path in self._root.iterdir() if path.is_dir()] if self._root.is_dir() else []
        return sorted(path.name for path in found if not path.name.startswith("."))

    def take(self, key: str, other: FolderArrays) -> None:
        """Takes over what another store has under a key, if it is whole there and not yet here."""
        if self._sound(key):
            return
        try:
            folder = other.folder(key)
        except KeyError:
            return
        files = [file for file in folder.iterdir() if file.name != _MANIFEST]

        def copy(draft: Path) -> None:
            for file in files:
                shutil.copy(file, draft / file.name)

        self.keep(key, copy)

    def holds(self) -> tuple[int, int]:
        """How many keys have a folder, and the bytes of all files."""
        folders = [path for path in self._root.iterdir() if path.is_dir()] if self._root.is_dir() else []
        size = sum(file.stat().st_size for folder in folders for file in folder.glob("*") if file.is_file())
        return sum(not path.name.startswith(".") for path in folders), size

    def clear(self) -> int:
        """Drops all folders; returns how many there were."""
        folders = [path for path in self._root.iterdir() if path.is_dir()] if self._root.is_dir() else []
        for folder in folders:
            shutil.rmtree(folder, ignore_errors=True)
        return len(folders)

    def damaged(self, progress: Progress = nothing) -> list[str]:
        """The files that are not, down to the last byte, what was written; and folders whose list of files is gone."""
        found: list[str] = []
        folders = sorted(self._root.iterdir()) if self._root.is_dir() else []
        for done, folder in enumerate(folders):
            progress("checking arrays", done, len(folders))
            if folder.name.startswith(".") or not folder.is_dir():
                continue
            try:
                marks = json.loads((folder / _MANIFEST).read_text())
                pairs = [(folder / name, mark) for name, mark in marks.items()]
            except (OSError, ValueError, AttributeError):
                found.append(str(folder / _MANIFEST))
                continue
            found.extend(str(path) for path, mark in pairs if not as_written(path, mark))
        return found

    def _fetch(self, key: str) -> None:
        """Brings the folder of a key here from where others have it, if they do: nobody has it but for this folder."""

    def _sent(self, key: str) -> None:
        """Brings the folder of a key, which stands here whole, to where others can have it."""

    def keep(self, key: str, write: Callable[[Path], None]) -> Path:
        """A folder of files under a key: `write` fills it, and it appears only when it is whole."""
        draft = self._root / f".{key}.{os.getpid()}.{time.monotonic_ns():x}"
        with disk_errors(self._root):
            draft.mkdir(parents=True)
            try:
                write(draft)
                self._publish(key, draft)
            finally:
                shutil.rmtree(draft, ignore_errors=True)
        return self._root / key

    def keep_part(self, name: str, rows: Sequence[Columns]) -> None:
        """Keeps what was made of some documents, under a name of its own, whole or not at all."""
        with disk_errors(self._root):
            path = self._part(name)
            path.parent.mkdir(parents=True, exist_ok=True)
            draft = path.with_name(f".{name}.{os.getpid()}.{time.monotonic_ns():x}")
            try:
                with open(draft, "wb") as file:
                    file.writelines(packed(rows))
                draft.replace(path)
            finally:
                draft.unlink(missing_ok=True)

    def part(self, name: str) -> Collection | None:
        """What was kept under a name; None where nothing is, or something broken."""
        return opened_part(self._part(name))

    def has_part(self, name: str) -> bool:
        """Whether something is kept under a name."""
        return self._part(name).exists()

    def drop_parts(self, names: Sequence[str]) -> None:
        """Drops parts that a collection has taken in."""
        for name in names:
            self._part(name).unlink(missing_ok=True)

    def _part(self, name: str) -> Path:
        return self._root / _PARTS / name

    def collection(self, key: str) -> Collection:
        """A collection, memory-mapped; raises KeyError as `folder` does."""
        return opened(self.folder(key))

    def collect(
        self,
        key: str,
        family: str,
        members: Sequence[str],
        make: Callable[[Sequence[int]], Iterator[Made]],
        earlier: str = "",
        again: Callable[[Columns], bool] | None = None,
    ) -> int:
        """Makes the collection of a key, and returns for how many members `make` was asked.

        Members that an earlier collection of the family (or of the family `earlier`) has are copied, but for those
        that are to be made `again`; `make(places)` gives the columns, or the parts, of the others, in order, some at a time. An
        interrupted making goes on behind the last batch that was written whole; another process that makes the same at
        the same time makes its own.
        """
        with disk_errors(self._root):
            self._root.mkdir(parents=True, exist_ok=True)
            try:
                with FileLock(self._root / f".{key}.lock", timeout=0):
                    made = self._grow(key, family, members, make, earlier, again, self._root / f".{key}.growing")
            except Timeout:
                own = self._root / f".{key}.{os.getpid()}.{time.monotonic_ns():x}"
                try:
                    made = self._grow(key, family, members, make, earlier, again, own)
                finally:
                    shutil.rmtree(own, ignore_errors=True)
        self.database.execute(put("collections", "key, family, made"), (key, family, self.database.now()))
        return made

    def _grow(
        self,
        key: str,
        family: str,
        members: Sequence[str],
        make: Callable[[Sequence[int]], Iterator[Made]],
        earlier: str,
        again: Callable[[Columns], bool] | None,
        draft: Path,
    ) -> int:
        if self._sound(key):
            return 0
        known = [found for each in dict.fromkeys((family, earlier)) if each for found in self._family(each)]
        origin, place = places(members, known)
        if again is not None:
            for n in np.flatnonzero(origin >= 0).tolist():
                if again(known[origin[n]].of(int(place[n]))):
                    origin[n] = -1
        growing = Growing(draft, len(members))
        asked = 0
        for source, run in groupby(range(growing.done, len(members)), key=lambda n: int(origin[n])):
            wanted = list(run)
            if source < 0:
                for batch in make(wanted):
                    before = growing.done
                    if isinstance(batch, Collection):
                        growing.copy(batch, 0, batch.documents)
                    else:
                        growing.add(batch)
                    asked += growing.done - before
            else:
                for left, right in stretches(place[wanted[0] : wanted[-1] + 1]):
                    growing.copy(known[source], left, right)
        growing.close(members)
        self._publish(key, draft)
        return asked

    def _family(self, family: str) -> list[Collection]:
        rows = self.database.rows(
            "SELECT key FROM collections WHERE family = ? ORDER BY made DESC LIMIT ?", (family, _EARLIER)
        )
        found = []
        for (key,) in rows:
            try:
                found.append(self.collection(key))
            except KeyError:
                continue
        return found

    def _publish(self, key: str, draft: Path) -> None:
        marks = {file.name: [*quick(file), full(file)] for file in sorted(draft.iterdir())}
        (draft / _MANIFEST).write_text(json.dumps(marks))
        # One at a time: what another process has put there since the look must not be taken away again.
        with FileLock(self._root / ".publishing.lock"):
            if self._sound(key):  # another process was quicker
                shutil.rmtree(draft, ignore_errors=True)
                return
            shutil.rmtree(self._root / key, ignore_errors=True)
            draft.rename(self._root / key)
        self._sent(key)

    def _sound(self, key: str) -> bool:
        try:
            self.folder(key)
        except KeyError:
            return False
        return True
