"""Files too large for a row: a folder a key, which is there whole or not at all; and collections, which hold what a
stage made of every document and grow out of earlier ones."""

from __future__ import annotations

import json
import os
import shutil
import time
import zipfile
import zlib
from collections.abc import Callable, Iterator, Sequence
from itertools import groupby
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
import numpy.typing as npt
from filelock import FileLock, Timeout

from ..core.errors import BadInput, disk_errors
from .protocols import Collection, Columns
from .tables import Database, put

_BLOCK = 4096
_BLOCKS = 64
_MANIFEST = "manifest.json"
_JOURNAL = "journal.json"
_MEMBERS = "members"
_PARTS = ".parts"
_EARLIER = 4  # collections of a family that are looked through for what stands in them already
_SELDOM = 2.0  # seconds between notes of how far copying is
_COPIED = 1 << 26  # bytes copied at a time


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
            if not marks or any(_mark(folder / name) != mark[:2] for name, mark in marks.items()):
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

    def damaged(self) -> list[str]:
        """The files that are not, down to the last byte, what was written; and folders whose list of files is gone."""
        found: list[str] = []
        for folder in sorted(self._root.iterdir()) if self._root.is_dir() else ():
            if folder.name.startswith(".") or not folder.is_dir():
                continue
            try:
                marks = json.loads((folder / _MANIFEST).read_text())
                pairs = [(folder / name, mark) for name, mark in marks.items()]
            except (OSError, ValueError, AttributeError):
                found.append(str(folder / _MANIFEST))
                continue
            found.extend(str(path) for path, mark in pairs if not _as_written(path, mark))
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

    # What a worker has made of some documents, on its way into a collection.

    def keep_part(self, name: str, rows: Sequence[Columns]) -> None:
        """Keeps what was made of some documents, under a name of its own, whole or not at all."""
        with disk_errors(self._root):
            path = self._root / _PARTS / f"{name}.npz"
            path.parent.mkdir(parents=True, exist_ok=True)
            draft = path.with_name(f".{name}.{os.getpid()}.{time.monotonic_ns():x}")
            try:
                with open(draft, "wb") as file:
                    np.savez(file, **_joined(rows))  # type: ignore[arg-type]
                draft.replace(path)
            finally:
                draft.unlink(missing_ok=True)

    def part(self, name: str) -> list[Columns] | None:
        """What was kept under a name; None where nothing is, or something broken."""
        try:
            with np.load(self._root / _PARTS / f"{name}.npz") as found:
                return _split(dict(found))
        except (OSError, ValueError, KeyError, zipfile.BadZipFile):
            return None

    def has_part(self, name: str) -> bool:
        """Whether something is kept under a name."""
        return (self._root / _PARTS / f"{name}.npz").exists()

    def drop_parts(self, names: Sequence[str]) -> None:
        """Drops parts that a collection has taken in."""
        for name in names:
            (self._root / _PARTS / f"{name}.npz").unlink(missing_ok=True)

    def collection(self, key: str) -> Collection:
        """A collection, memory-mapped; raises KeyError as `folder` does."""
        return _opened(self.folder(key))

    def collect(
        self,
        key: str,
        family: str,
        members: Sequence[str],
        make: Callable[[Sequence[int]], Iterator[list[Columns]]],
        earlier: str = "",
        again: Callable[[Columns], bool] | None = None,
    ) -> int:
        """Makes the collection of a key, and returns for how many members `make` was asked.

        Members that an earlier collection of the family (or of the family `earlier`) has are copied, but for those
        that are to be made `again`; `make(places)` gives the columns of the others, in order, some at a time. An
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
        make: Callable[[Sequence[int]], Iterator[list[Columns]]],
        earlier: str,
        again: Callable[[Columns], bool] | None,
        draft: Path,
    ) -> int:
        if self._sound(key):
            return 0
        known = [found for each in dict.fromkeys((family, earlier)) if each for found in self._family(each)]
        origin, place = _places(members, known)
        if again is not None:
            for n in np.flatnonzero(origin >= 0).tolist():
                if again(known[origin[n]].of(int(place[n]))):
                    origin[n] = -1
        growing = _Growing(draft, len(members))
        asked = 0
        for source, run in groupby(range(growing.done, len(members)), key=lambda n: int(origin[n])):
            wanted = list(run)
            if source < 0:
                for batch in make(wanted):
                    growing.add(batch)
                    asked += len(batch)
            else:
                for left, right in _stretches(place[wanted[0] : wanted[-1] + 1]):
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
        marks = {file.name: [*_mark(file), _whole(file)] for file in sorted(draft.iterdir())}
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


class _Growing:
    """A collection that is being written: one file a column, and a journal of how far it is whole."""

    def __init__(self, draft: Path, documents: int) -> None:
        self._draft = draft
        self._documents = documents
        self._columns: dict[str, dict[str, Any]] = {}  # name → dtype, shape of a row
        self._sizes: dict[str, list[int]] = {}  # name → rows of each document so far
        self.done = 0
        self._noted = time.monotonic()
        draft.mkdir(parents=True, exist_ok=True)
        try:
            state = json.loads((draft / _JOURNAL).read_text())
            if state["documents"] == documents and all(
                (draft / f"{name}.bin").stat().st_size >= _bytes(column, sum(state["sizes"][name]))
                for name, column in state["columns"].items()
            ):
                self._columns, self._sizes, self.done = state["columns"], state["sizes"], state["done"]
        except (OSError, ValueError, KeyError):
            pass
        self._files: dict[str, Any] = {}

    def add(self, batch: Sequence[Columns]) -> None:
        """Appends the columns of the next documents."""
        for name in batch[0]:
            like = next((columns[name] for columns in batch if len(columns[name])), batch[0][name])
            self._open(name, np.asarray(like))
            kind = np.dtype(self._columns[name]["dtype"])
            for columns in batch:
                if kind.kind == "f" and not np.isfinite(columns[name]).all():
                    raise BadInput(f"what was made of a document holds a number that is not finite ({name})")
                self._files[name].write(np.ascontiguousarray(columns[name], dtype=kind).tobytes())
            self._sizes[name].extend(len(columns[name]) for columns in batch)
        self.done += len(batch)
        self._note()

    def copy(self, source: Collection, left: int, right: int) -> None:
        """Appends what another collection has of its documents from `left` to `right`."""
        for name, column in source.columns.items():
            self._open(name, column)
            ends = source.ends[name]
            first, last = int(ends[left]), int(ends[right])
            size = _bytes(self._columns[name], 1)
            _copied(column, first * size, last * size, self._files[name])
            self._sizes[name].extend(np.diff(ends[left : right + 1]).tolist())
        self.done += right - left
        if time.monotonic() - self._noted > _SELDOM:  # a copy is soon made again
            self._note()

    def _open(self, name: str, like: npt.NDArray) -> None:
        column = {"dtype": like.dtype.str, "shape": list(like.shape[1:])}
        if name not in self._columns:
            self._columns[name], self._sizes[name] = column, []
        if not sum(self._sizes[name]):  # nothing stands in it yet: what comes now says how it looks
            self._columns[name] = column
        elif len(like) and self._columns[name]["shape"] != column["shape"]:
            raise BadInput(f"what was made of one document does not fit the others: {name} of {column['shape']}")
        if name not in self._files:
            path = self._draft / f"{name}.bin"
            path.touch()
            self._files[name] = open(path, "r+b")  # noqa: SIM115 (closed in `close`)
            self._files[name].truncate(_bytes(self._columns[name], sum(self._sizes[name])))
            self._files[name].seek(0, os.SEEK_END)

    def _note(self) -> None:
        self._noted = time.monotonic()
        for file in self._files.values():
            file.flush()
        state = {"documents": self._documents, "done": self.done, "columns": self._columns, "sizes": self._sizes}
        path = self._draft / f"{_JOURNAL}.new"
        path.write_text(json.dumps(state))
        path.replace(self._draft / _JOURNAL)

    def close(self, members: Sequence[str]) -> None:
        """Writes what tells the documents apart, and takes the journal away."""
        for file in self._files.values():
            file.close()
        for name, sizes in self._sizes.items():
            np.save(self._draft / f"{name}.ends.npy", np.cumsum([0, *sizes], dtype=np.int64))
        np.save(self._draft / f"{_MEMBERS}.npy", _marks(members))
        (self._draft / "columns.json").write_text(json.dumps(self._columns))
        (self._draft / _JOURNAL).unlink(missing_ok=True)


def _joined(rows: Sequence[Columns]) -> dict[str, npt.NDArray]:
    """What was made of some documents as whole columns, and how many rows each document has of each."""
    made: dict[str, npt.NDArray] = {}
    for name in rows[0]:
        like = next((columns[name] for columns in rows if len(columns[name])), rows[0][name])
        made[f"{name}.rows"] = np.concatenate([columns[name] for columns in rows if len(columns[name])] or [like])
        made[f"{name}.sizes"] = np.array([len(columns[name]) for columns in rows], dtype=np.int64)
    return made


def _split(found: dict[str, npt.NDArray]) -> list[Columns]:
    names = [name.removesuffix(".rows") for name in found if name.endswith(".rows")]
    parts = {
        name: np.split(found[f"{name}.rows"], np.cumsum(found[f"{name}.sizes"])[:-1]) for name in names
    }  # fmt: skip
    count = len(found[f"{names[0]}.sizes"])
    return [{name: parts[name][n] for name in names} for n in range(count)]


def _copied(column: npt.NDArray, first: int, last: int, into: BinaryIO) -> None:
    """Writes the bytes from `first` to `last` of a column, inside the kernel where the system can."""
    into.flush()
    file = getattr(column, "filename", None)
    if file is not None and hasattr(os, "copy_file_range"):
        try:
            with open(file, "rb") as source:
                while first < last:
                    done = os.copy_file_range(source.fileno(), into.fileno(), last - first, first)
                    if not done:
                        break
                    first += done
        except OSError:  # another file system, or one that can't
            pass
        into.seek(0, os.SEEK_END)
    flat = column.reshape(-1).view(np.uint8) if column.size else np.zeros(0, np.uint8)
    for start in range(first, last, _COPIED):
        into.write(flat[start : min(last, start + _COPIED)].tobytes())


def _opened(folder: Path) -> Collection:
    columns: Columns = {}
    ends: dict[str, npt.NDArray[np.int64]] = {}
    for name, column in json.loads((folder / "columns.json").read_text()).items():
        ends[name] = np.load(folder / f"{name}.ends.npy")
        shape = (int(ends[name][-1]), *column["shape"])
        kind = np.dtype(column["dtype"])
        empty = not np.prod(shape)  # nothing can't be mapped
        columns[name] = np.zeros(shape, kind) if empty else np.memmap(folder / f"{name}.bin", kind, "r", shape=shape)
    return Collection(np.load(folder / f"{_MEMBERS}.npy"), columns, ends)


def _bytes(column: dict[str, Any], rows: int) -> int:
    return int(np.dtype(column["dtype"]).itemsize * np.prod(column["shape"], dtype=np.int64)) * rows


def _marks(members: Sequence[str]) -> npt.NDArray[np.bytes_]:
    return np.array([key.encode("ascii") for key in members], dtype="S")


def _places(members: Sequence[str], known: Sequence[Collection]) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """For each member the first of the collections that has it (−1 for none), and its place there."""
    wanted = _marks(members)
    origin = np.full(len(members), -1, dtype=np.int64)
    place = np.zeros(len(members), dtype=np.int64)
    for number, collection in enumerate(known):
        if not len(collection.members) or not len(wanted):
            continue
        order = np.argsort(collection.members, kind="stable")
        near = np.minimum(np.searchsorted(collection.members, wanted, sorter=order), len(order) - 1)
        there = order[near]
        found = (collection.members[there] == wanted) & (origin < 0)
        origin[found], place[found] = number, there[found]
        _run_on(collection.members, wanted, origin == number, place)
    return origin, place


def _run_on(
    members: npt.NDArray[np.bytes_],
    wanted: npt.NDArray[np.bytes_],
    here: npt.NDArray[np.bool_],
    place: npt.NDArray[np.int64],
) -> None:
    """Of equal members takes the one behind the place before, so that long stretches can be copied at once."""
    same = min(len(members), len(wanted))
    stay = np.zeros(len(wanted), dtype=bool)
    stay[:same] = (members[:same] == wanted[:same]) & here[:same]
    place[stay] = np.flatnonzero(stay)
    for n in np.flatnonzero(here[1:] & here[:-1] & (np.diff(place) != 1)).tolist():
        after = int(place[n]) + 1
        if after < len(members) and members[after] == wanted[n + 1]:
            place[n + 1] = after


def _stretches(places: npt.NDArray[np.int64]) -> Iterator[tuple[int, int]]:
    """Neighbouring places as half-open ranges, in order."""
    breaks = np.flatnonzero(np.diff(places) != 1) + 1
    for part in np.split(places, breaks):
        if len(part):
            yield int(part[0]), int(part[-1]) + 1


def _mark(path: Path) -> list[Any]:
    """[size, checksum] of a file."""
    size = path.stat().st_size
    check = 0
    with open(path, "rb") as file:
        if size <= 2 * _BLOCKS * _BLOCK:
            check = zlib.crc32(file.read())
        else:
            for place in range(_BLOCKS):
                file.seek((size - _BLOCK) * place // (_BLOCKS - 1))
                check = zlib.crc32(file.read(_BLOCK), check)
    return [size, check]


def _whole(path: Path) -> int:
    """A checksum of all of a file."""
    check = 0
    with open(path, "rb") as file:
        while part := file.read(_COPIED):
            check = zlib.crc32(part, check)
    return check


def _as_written(path: Path, mark: Sequence[Any]) -> bool:
    try:
        return _mark(path) == list(mark[:2]) and (len(mark) < 3 or _whole(path) == mark[2])
    except (OSError, TypeError):
        return False
