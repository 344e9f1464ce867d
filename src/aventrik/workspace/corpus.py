"""The documents gathered into a workspace, and how they come in."""

from __future__ import annotations

import json
import os
from collections import OrderedDict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from fnmatch import fnmatch
from pathlib import Path
from typing import Any

from ..core.documents import Document, unpack_parts
from ..core.errors import BadInput
from ..core.keys import content_key
from ..core.reading import REVISION, Reading, known_suffix
from .readers import ReadOne, Wanted, read_many
from .store import Store, unpacked

_KEPT = 64  # documents held in memory at a time
LARGEST_MEGABYTES = 100


@dataclass
class Gathered:
    """What a gathering did, document names by outcome."""

    added: list[str] = field(default_factory=list)
    updated: list[str] = field(default_factory=list)
    unchanged: list[str] = field(default_factory=list)
    removed: list[str] = field(default_factory=list)
    vanished: list[str] = field(default_factory=list)
    failed: list[tuple[str, str]] = field(default_factory=list)
    passed_over: int = 0

    @property
    def good(self) -> int:
        return len(self.added) + len(self.updated) + len(self.unchanged)


class Corpus:
    """Documents by name, from the store; the last few read are held in memory."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._held: OrderedDict[str, Document] = OrderedDict()

    def names(self, left_out: bool = False) -> list[str]:
        """Names in order; those that were left out only when asked for."""
        where = "" if left_out else "WHERE left_out = ''"
        return [row[0] for row in self.store.rows(f"SELECT name FROM documents {where} ORDER BY name")]

    def left_out(self) -> set[str]:
        """Names of the documents that were left out."""
        return {row[0] for row in self.store.rows("SELECT name FROM documents WHERE left_out <> ''")}

    def keys(self) -> list[tuple[str, str]]:
        """(name, content key) of all documents that are not left out, in order of name."""
        rows = self.store.rows("SELECT name, key FROM documents WHERE left_out = '' ORDER BY name")
        return [(str(name), str(key)) for name, key in rows]

    def document(self, name: str) -> Document:
        """The document of that name; raises KeyError."""
        held = self._held.get(name)
        if held is None:
            found = self.store.rows("SELECT text, parts, title, meta, sidecar FROM documents WHERE name = ?", (name,))
            if not found:
                raise KeyError(name)
            text, parts, title, meta, sidecar = found[0]
            every = {**json.loads(meta), **json.loads(sidecar)}
            held = Document(name, unpacked(text), unpack_parts(unpacked(parts)), title, every)
            self._held[name] = held
            if len(self._held) > _KEPT:
                self._held.popitem(last=False)
        else:
            self._held.move_to_end(name)
        return held

    def figures(self) -> tuple[int, int]:
        """Number of documents and of characters, left-out ones included."""
        row = self.store.rows("SELECT count(*), coalesce(sum(chars), 0) FROM documents")[0]
        return int(row[0]), int(row[1])

    def gather(
        self,
        paths: Sequence[Path],
        prefix: str = "",
        prune: bool = False,
        largest: int = LARGEST_MEGABYTES,
        include: Sequence[str] = (),
        exclude: Sequence[str] = (),
        reading: Reading | None = None,
        workers: int = 0,
        seconds: int = 120,
        megabytes: int = 4000,
        progress: Callable[[int, int], None] = lambda done, total: None,
    ) -> Gathered:
        """Reads files and folders into the corpus: adds, updates what changed, and tells what vanished.

        A document's name is its path below the gathered folder (or its file name), behind `prefix`; a record's is
        its file's, # and its id. Files are kept as soon as they are read, so an interrupted gathering goes on where
        it stopped. With `prune`, documents of a gathered folder whose file is gone are removed. `include` and
        `exclude` are shell patterns for the names of files in folders (their path, or its last part). Raises
        `BadInput` for a path that is missing.
        """
        made = Gathered()
        reading = reading or Reading()
        how = content_key(asdict(reading), REVISION)
        files = list(_files(paths, prefix, include, exclude, made))
        before = {
            os.fsdecode(row[0]): row[1:]
            for row in self.store.rows("SELECT path, name, size, mtime, key, reading FROM files")
        }
        taken = {name: path for path, (name, *_) in before.items() if os.path.isfile(path)}
        met: set[str] = set()
        wanted: list[Wanted] = []
        for name, path in files:
            self._look_at(name, path, largest, how, before, taken, met, wanted, made)
        done = len(files) - len(wanted)
        progress(done, len(files))
        for some in read_many(wanted, reading, workers, seconds, megabytes):
            with self.store.transaction():
                for one in some:
                    self._take(one, how, made)
            done += len(some)
            progress(done, len(files))
        self._vanished(paths, prune, before, made)
        return made

    def _look_at(
        self,
        name: str,
        path: str,
        largest: int,
        how: str,
        before: dict[str, tuple],
        taken: dict[str, str],
        met: set[str],
        wanted: list[Wanted],
        made: Gathered,
    ) -> None:
        """Decides of one file whether it has to be read."""
        source = os.path.join(os.getcwd(), path)
        if name in met:
            made.failed.append((path, f"another gathered file is named {name} too; gather it with --as PREFIX"))
            return
        if taken.get(name, source) != source:
            made.failed.append((path, f"{name} was gathered from {taken[name]}; gather this with --as PREFIX"))
            return
        met.add(name)
        try:
            status = os.stat(path)
        except OSError as error:
            made.failed.append((path, f"can't be read ({error.strerror})"))
            return
        old = before.get(source)
        if old is not None and old[0] == name and (status.st_size, status.st_mtime_ns, how) == (old[1], old[2], old[4]):
            made.unchanged.append(name)
            return
        if status.st_size > largest * 1_000_000:
            size = f"{status.st_size / 1e6:,.0f} MB is over the limit of {largest} MB (--largest N raises it)"
            made.failed.append((path, size))
            return
        known = old[3] if old is not None and (old[0], old[4]) == (name, how) else ""
        wanted.append(Wanted(name, source, status.st_size, known))

    def _take(self, one: ReadOne, how: str, made: Gathered) -> None:
        """Keeps what came of a file: its documents take the place of those that it gave before."""
        name, path = one.wanted.name, os.fsencode(one.wanted.path)
        made.failed.extend(one.failed)
        if one.failure:
            made.failed.append((one.wanted.path, one.failure))
            return
        self.store.execute(
            "INSERT OR REPLACE INTO files (path, name, size, mtime, key, reading) VALUES (?, ?, ?, ?, ?, ?)",
            (path, name, one.size, one.mtime, one.key, how),
        )
        if one.same:
            made.unchanged.append(name)
            return
        old = dict(self.store.rows("SELECT name, key FROM documents WHERE file = ?", (path,)))
        fresh = {row[0] for row in one.rows}
        for gone in old.keys() - fresh:
            self._forget(gone)
        for row in one.rows:
            self._held.pop(row[0], None)
            self.store.execute(
                """INSERT INTO documents (name, key, title, meta, chars, text, parts, report, file)
                VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)
                ON CONFLICT(name) DO UPDATE SET key = excluded.key, title = excluded.title, meta = excluded.meta,
                chars = excluded.chars, text = excluded.text, parts = excluded.parts, report = excluded.report,
                file = excluded.file""",
                (*row, path),
            )
            into = made.added if row[0] not in old else made.unchanged if old[row[0]] == row[1] else made.updated
            into.append(row[0])
        made.removed.extend(sorted(old.keys() - fresh))

    def _forget(self, name: str) -> None:
        self._held.pop(name, None)
        self.store.execute("DELETE FROM documents WHERE name = ?", (name,))

    def _vanished(self, paths: Sequence[Path], prune: bool, before: dict[str, tuple], made: Gathered) -> None:
        roots = [path.absolute() for path in paths if path.is_dir()]
        for source in sorted(before):
            where = Path(source)
            if where.is_file() or not any(root in where.parents for root in roots):
                continue
            path = os.fsencode(source)
            names = [row[0] for row in self.store.rows("SELECT name FROM documents WHERE file = ?", (path,))]
            made.vanished.extend(names)
            if prune:
                with self.store.transaction():
                    for name in names:
                        self._forget(name)
                    self.store.execute("DELETE FROM files WHERE path = ?", (path,))
                made.removed.extend(names)

    def leave_out(self, names: Sequence[str], reason: str) -> int:
        """Keeps documents out of every index, with the reason; nothing is deleted. Returns how many were not out yet."""
        with self.store.transaction():
            return sum(
                self.store.execute(
                    "UPDATE documents SET left_out = ? WHERE name = ? AND left_out = ''", (reason, name)
                ).rowcount
                for name in names
            )

    def take_back(self, names: Sequence[str]) -> int:
        """Lets documents back in; returns how many were out."""
        with self.store.transaction():
            return sum(
                self.store.execute(
                    "UPDATE documents SET left_out = '' WHERE name = ? AND left_out <> ''", (name,)
                ).rowcount
                for name in names
            )

    def add_metadata(self, rows: Mapping[str, Mapping[str, Any]]) -> list[str]:
        """Sets metadata from beside the documents, by document name; returns names that the corpus does not have."""
        known = set(self.names(left_out=True))
        with self.store.transaction():
            for name, meta in rows.items():
                if name in known:
                    self._held.pop(name, None)
                    body = json.dumps(dict(meta), ensure_ascii=False, sort_keys=True)
                    self.store.execute("UPDATE documents SET sidecar = ? WHERE name = ?", (body, name))
        return [name for name in rows if name not in known]

    def reports(self) -> Iterator[dict[str, Any]]:
        """The reading report of every document, in order of name."""
        rows = self.store.execute("SELECT name, title, report, left_out FROM documents ORDER BY name")
        for name, title, report, left_out in rows:
            yield {"document": name, "title": title, **json.loads(report), "left_out": left_out}

    def meta(self) -> Iterator[tuple[str, str, dict[str, Any]]]:
        """(name, title, metadata) of every document, in order of name."""
        for name, title, meta, sidecar in self.store.rows(
            "SELECT name, title, meta, sidecar FROM documents ORDER BY name"
        ):
            yield name, title, {**json.loads(meta), **json.loads(sidecar)}


def _files(
    paths: Sequence[Path], prefix: str, include: Sequence[str], exclude: Sequence[str], made: Gathered
) -> Iterator[tuple[str, str]]:
    """(document name, path) in order of name; a folder gives its files with a suffix that is read."""
    lead = prefix.strip("/") + "/" if prefix.strip("/") else ""
    for path in paths:
        if path.is_dir():
            for folder, folders, names in os.walk(path):
                folders[:] = sorted(name for name in folders if not name.startswith("."))
                below = Path(folder).relative_to(path).as_posix()
                for name in sorted(names):
                    inner = name if below == "." else f"{below}/{name}"
                    unwanted = (include and not _matches(inner, include)) or _matches(inner, exclude)
                    if name.startswith(".") or not known_suffix(name) or unwanted:
                        made.passed_over += 1
                    else:
                        yield _safe(lead + inner), os.path.join(folder, name)
        elif path.exists():
            yield _safe(lead + path.name), str(path)
        else:
            raise BadInput(f"{path}: no such file or folder")


def _matches(inner: str, patterns: Sequence[str]) -> bool:
    return any(fnmatch(inner, pattern) or fnmatch(inner.rsplit("/", 1)[-1], pattern) for pattern in patterns)


def _safe(name: str) -> str:
    """A name that can be stored and shown: bytes that are not UTF-8, and control characters, are escaped."""
    if name.isascii() and name.isprintable():
        return name
    plain = name.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
    return "".join(c if c.isprintable() else f"\\x{ord(c):02x}" for c in plain)
