"""The documents gathered into a workspace, and how they come in."""

from __future__ import annotations

import hashlib
import json
import os
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from fnmatch import fnmatch
from pathlib import Path

from ..core.documents import Document, pack_parts, unpack_parts
from ..core.errors import BadInput, Unreadable
from ..core.keys import content_key
from ..core.reading import known_suffix, read
from .store import Store, packed, unpacked

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

    def key(self) -> str:
        """Content key of all documents that are not left out."""
        return content_key(self.store.rows("SELECT name, key FROM documents WHERE left_out = '' ORDER BY name"))

    def keys(self) -> list[tuple[str, str]]:
        """(name, content key) of all documents that are not left out, in order of name."""
        rows = self.store.rows("SELECT name, key FROM documents WHERE left_out = '' ORDER BY name")
        return [(str(name), str(key)) for name, key in rows]

    def document(self, name: str) -> Document:
        """The document of that name; raises KeyError."""
        held = self._held.get(name)
        if held is None:
            found = self.store.rows("SELECT text, parts, title, meta FROM documents WHERE name = ?", (name,))
            if not found:
                raise KeyError(name)
            text, parts, title, meta = found[0]
            held = Document(name, unpacked(text), unpack_parts(unpacked(parts)), title, json.loads(meta))
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

    def _put(self, document: Document, source: str, status: os.stat_result, file_key: str) -> None:
        self._held.pop(document.name, None)
        self.store.execute(
            """INSERT INTO documents (name, source, size, mtime, file_key, key, title, meta, chars, text, parts)
            VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
            ON CONFLICT(name) DO UPDATE SET source = excluded.source, size = excluded.size, mtime = excluded.mtime,
            file_key = excluded.file_key, key = excluded.key, title = excluded.title, meta = excluded.meta,
            chars = excluded.chars, text = excluded.text, parts = excluded.parts""",
            (
                document.name,
                os.fsencode(source),
                status.st_size,
                status.st_mtime_ns,
                file_key,
                document.key,
                document.title,
                json.dumps(document.meta, ensure_ascii=False, sort_keys=True),
                len(document.text),
                packed(document.text),
                packed(pack_parts(document.parts)),
            ),
        )

    def gather(
        self,
        paths: Sequence[Path],
        prefix: str = "",
        prune: bool = False,
        largest: int = LARGEST_MEGABYTES,
        include: Sequence[str] = (),
        exclude: Sequence[str] = (),
        progress: Callable[[int, int], None] = lambda done, total: None,
    ) -> Gathered:
        """Reads files and folders into the corpus: adds, updates what changed, and tells what vanished.

        A document's name is its path below the gathered folder (or its file name), behind `prefix`. Each file is
        kept as soon as it is read, so an interrupted gathering goes on where it stopped. With `prune`, documents
        of a gathered folder whose file is gone are removed. `include` and `exclude` are shell patterns for the names of
        files in folders (their path, or its last part). Raises `BadInput` for a path that is missing.
        """
        made = Gathered()
        files = list(_files(paths, prefix, include, exclude, made))
        before = {
            row[0]: (os.fsdecode(row[1]), *row[2:])
            for row in self.store.rows("SELECT name, source, size, mtime, file_key FROM documents")
        }
        met: set[str] = set()
        for done, (name, path) in enumerate(files):
            progress(done, len(files))
            source = str(path.resolve())
            if name in met:
                made.failed.append(
                    (str(path), f"another gathered file is named {name} too; gather it with --as PREFIX")
                )
                continue
            old = before.get(name)
            if old is not None and old[0] != source and Path(old[0]).is_file():
                made.failed.append((str(path), f"{name} was gathered from {old[0]}; gather this with --as PREFIX"))
                continue
            met.add(name)
            self._one(name, path, source, old, largest, made)
        progress(len(files), len(files))
        self._vanished(paths, prune, met, before, made)
        return made

    def _one(self, name: str, path: Path, source: str, old: tuple | None, largest: int, made: Gathered) -> None:
        try:
            status = path.stat()
            if old is not None and (status.st_size, status.st_mtime_ns) == (old[1], old[2]):
                made.unchanged.append(name)
                return
            if status.st_size > largest * 1_000_000:
                raise Unreadable(
                    f"{status.st_size / 1e6:,.0f} MB is over the limit of {largest} MB (--largest N raises it)"
                )
            data = path.read_bytes()
            file_key = hashlib.sha256(data).hexdigest()
            if old is not None and file_key == old[3]:
                self.store.execute("UPDATE documents SET mtime = ? WHERE name = ?", (status.st_mtime_ns, name))
                made.unchanged.append(name)
                return
            document = read(name, data)
        except Unreadable as error:
            made.failed.append((str(path), str(error)))
            return
        except RecursionError:
            made.failed.append((str(path), "it is nested too deeply"))
            return
        except OSError as error:
            made.failed.append((str(path), f"can't be read ({error.strerror})"))
            return
        with self.store.transaction():
            self._put(document, source, status, file_key)
        (made.added if old is None else made.updated).append(name)

    def _vanished(
        self, paths: Sequence[Path], prune: bool, met: set[str], before: dict[str, tuple], made: Gathered
    ) -> None:
        roots = [path.resolve() for path in paths if path.is_dir()]
        for name, (source, *_) in before.items():
            where = Path(source)
            if name in met or where.is_file() or not any(root in where.parents for root in roots):
                continue
            made.vanished.append(name)
            if prune:
                self._held.pop(name, None)
                self.store.execute("DELETE FROM documents WHERE name = ?", (name,))
                made.removed.append(name)


def _files(
    paths: Sequence[Path], prefix: str, include: Sequence[str], exclude: Sequence[str], made: Gathered
) -> Iterator[tuple[str, Path]]:
    """(document name, file) in order of name; a folder gives its files with a suffix that is read."""
    lead = prefix.strip("/") + "/" if prefix.strip("/") else ""
    for path in paths:
        if path.is_dir():
            for folder, folders, names in os.walk(path):
                folders[:] = sorted(name for name in folders if not name.startswith("."))
                for name in sorted(names):
                    file = Path(folder) / name
                    inner = file.relative_to(path).as_posix()
                    unwanted = (include and not _matches(inner, include)) or _matches(inner, exclude)
                    if name.startswith(".") or not known_suffix(name) or unwanted:
                        made.passed_over += 1
                    else:
                        yield _safe(lead + inner), file
        elif path.exists():
            yield _safe(lead + path.name), path
        else:
            raise BadInput(f"{path}: no such file or folder")


def _matches(inner: str, patterns: Sequence[str]) -> bool:
    return any(fnmatch(inner, pattern) or fnmatch(inner.rsplit("/", 1)[-1], pattern) for pattern in patterns)


def _safe(name: str) -> str:
    """A name that can be stored and shown: bytes that are not UTF-8, and control characters, are escaped."""
    plain = name.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
    return "".join(c if c.isprintable() else f"\\x{ord(c):02x}" for c in plain)
