"""Collections on disk: one file a column, what tells the documents apart, and how they are written piece by piece."""

from __future__ import annotations

import json
import os
import time
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
import numpy.typing as npt

from ..core.errors import BadInput
from .protocols import Collection, Columns

_JOURNAL = "journal.json"
_MEMBERS = "members"
_SELDOM = 2.0  # seconds between notes of how far copying is
_COPIED = 1 << 26  # bytes copied at a time


class Growing:
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
                (draft / f"{name}.bin").stat().st_size >= size_of(column, sum(state["sizes"][name]))
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
        """Appends what another collection, or a part of one, has of its documents from `left` to `right`."""
        for name, column in source.columns.items():
            self._open(name, column)
            ends = source.ends[name]
            first, last = int(ends[left]), int(ends[right])
            kind = np.dtype(self._columns[name]["dtype"])
            if column.dtype == kind:
                size = size_of(self._columns[name], 1)
                _copied(column, first * size, last * size, self._files[name])
            else:
                self._files[name].write(np.ascontiguousarray(column[first:last], dtype=kind).tobytes())
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
            self._files[name].truncate(size_of(self._columns[name], sum(self._sizes[name])))
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


def _copied(column: npt.NDArray, first: int, last: int, into: BinaryIO) -> None:
    """Writes the bytes from `first` to `last` of a column, inside the kernel where the system can."""
    into.flush()
    file, at = getattr(column, "filename", None), getattr(column, "offset", 0)
    if file is not None and hasattr(os, "copy_file_range"):
        try:
            with open(file, "rb") as source:
                while first < last:
                    done = os.copy_file_range(source.fileno(), into.fileno(), last - first, at + first)
                    if not done:
                        break
                    first += done
        except OSError:  # another file system, or one that can't
            pass
        into.seek(0, os.SEEK_END)
    flat = column.reshape(-1).view(np.uint8) if column.size else np.zeros(0, np.uint8)
    for start in range(first, last, _COPIED):
        into.write(flat[start : min(last, start + _COPIED)].tobytes())


def opened(folder: Path) -> Collection:
    """The collection that was written into a folder, memory-mapped."""
    columns: Columns = {}
    ends: dict[str, npt.NDArray[np.int64]] = {}
    for name, column in json.loads((folder / "columns.json").read_text()).items():
        ends[name] = np.load(folder / f"{name}.ends.npy")
        shape = (int(ends[name][-1]), *column["shape"])
        kind = np.dtype(column["dtype"])
        empty = not np.prod(shape)  # nothing can't be mapped
        columns[name] = np.zeros(shape, kind) if empty else np.memmap(folder / f"{name}.bin", kind, "r", shape=shape)
    return Collection(np.load(folder / f"{_MEMBERS}.npy"), columns, ends)


def size_of(column: dict[str, Any], rows: int) -> int:
    """The bytes of so many rows of a column, given its `dtype` and the `shape` of a row."""
    return int(np.dtype(column["dtype"]).itemsize * np.prod(column["shape"], dtype=np.int64)) * rows


def _marks(members: Sequence[str]) -> npt.NDArray[np.bytes_]:
    return np.array([key.encode("ascii") for key in members], dtype="S")


def places(members: Sequence[str], known: Sequence[Collection]) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
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


def stretches(places: npt.NDArray[np.int64]) -> Iterator[tuple[int, int]]:
    """Neighbouring places as half-open ranges, in order."""
    breaks = np.flatnonzero(np.diff(places) != 1) + 1
    for part in np.split(places, breaks):
        if len(part):
            yield int(part[0]), int(part[-1]) + 1
