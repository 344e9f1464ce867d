"""Documents by name, their contents by key, and the corpora that runs were made on."""

from __future__ import annotations

import os
from collections import OrderedDict
from collections.abc import Iterator, Sequence
from functools import partial
from typing import Any

from ...core.documents import Document, PackedParts
from ..packing import loads, packed, unpacked
from ..protocols import FileSeen, Gathering, Snapshot
from . import Database, put

_HELD = 256  # contents held in memory at a time


class TabledDocuments:
    """A `DocumentStore` in a database; the last few contents stay in memory."""

    def __init__(self, database: Database) -> None:
        self._db = database
        self._held: OrderedDict[str, tuple[str, Any, str]] = OrderedDict()

    def names(self) -> list[str]:
        """The names of all documents, in order."""
        return [row[0] for row in self._db.rows("SELECT name FROM documents ORDER BY name")]

    def content_keys(self) -> list[tuple[str, str]]:
        """(name, content key) of all documents, in order of name."""
        return [(str(name), str(key)) for name, key in self._db.rows("SELECT name, key FROM documents ORDER BY name")]

    def lengths(self) -> list[tuple[str, int]]:
        """(name, number of characters) of all documents, in order of name."""
        return [(str(name), int(n)) for name, n in self._db.rows("SELECT name, chars FROM documents ORDER BY name")]

    def figures(self) -> tuple[int, int]:
        """Number of documents and of characters."""
        row = self._db.rows("SELECT count(*), coalesce(sum(chars), 0) FROM documents")[0]
        return int(row[0]), int(row[1])

    def document(self, name: str) -> Document:
        """The document of that name as it is now, with its own metadata; raises KeyError."""
        found = self._db.rows("SELECT key, meta FROM documents WHERE name = ?", (name,))
        if not found:
            raise KeyError(name)
        [document] = self.contents([name], [found[0][0]])
        return Document(name, document.text, document.parts, document.title, loads(found[0][1]))

    def contents(self, names: Sequence[str], keys: Sequence[str]) -> list[Document]:
        """Documents by content key, under the given names and without metadata; raises KeyError for a key that is gone."""
        missing = [key for key in dict.fromkeys(keys) if key not in self._held]
        fresh = {
            key: (unpacked(text), PackedParts(partial(unpacked, parts)), title)
            for key, text, parts, title in self._db.rows_of(
                "SELECT key, text, parts, title FROM contents WHERE key IN (?)", missing
            )
        }
        made = []
        for name, key in zip(names, keys):
            if key in self._held:
                self._held.move_to_end(key)
            text, parts, title = self._held[key] if key in self._held else fresh[key]
            made.append(Document(name, text, parts, title))
        self._held.update(fresh)
        while len(self._held) > _HELD:
            self._held.popitem(last=False)
        return made

    def sizes(self, keys: Sequence[str]) -> list[int]:
        """The bytes that the texts of these content keys take here, packed; 0 for one that is gone."""
        rows = self._db.rows_of("SELECT key, length(text) FROM contents WHERE key IN (?)", list(dict.fromkeys(keys)))
        found = {str(key): int(size) for key, size in rows}
        return [found.get(key, 0) for key in keys]

    def details(self) -> Iterator[tuple[str, str, str, dict[str, Any], dict[str, Any]]]:
        """(name, content key, title, metadata, reading report) of every document, in order of name."""
        for name, key, title, meta, report in self._db.each(
            "SELECT name, key, title, meta, report FROM documents ORDER BY name"
        ):
            yield name, key, title, loads(meta), loads(report)

    def files(self) -> dict[str, FileSeen]:
        """What is known of each gathered file, by path."""
        rows = self._db.rows("SELECT path, name, size, mtime, key, reading FROM files")
        return {os.fsdecode(row[0]): FileSeen(*row[1:]) for row in rows}

    def keep_file(self, path: str, seen: FileSeen) -> None:
        """Notes how a file looked when it was read."""
        self._db.execute(
            put("files", "path, name, size, mtime, key, reading"),
            (os.fsencode(path), seen.name, seen.size, seen.mtime, seen.key, seen.reading),
        )

    def of_file(self, path: str) -> dict[str, str]:
        """The documents that a file gave: name → content key."""
        return dict(self._db.rows("SELECT name, key FROM documents WHERE file = ?", (os.fsencode(path),)))

    def of_other_files(self, names: Sequence[str], path: str) -> set[str]:
        """Those of the names that documents of other files have."""
        rows = self._db.rows_of("SELECT name, file FROM documents WHERE name IN (?)", names)
        return {name for name, file in rows if file != os.fsencode(path)}

    def keep(self, path: str, rows: Sequence[Gathering]) -> None:
        """Keeps the documents of a file; what they were before stays among the contents, for the runs made on it."""
        file = os.fsencode(path)
        self.keep_texts([row for row in rows if row.text is not None])
        self._db.many(
            put("documents", "name, file, key, title, meta, chars, report"),
            [(row.name, file, row.key, row.title, row.meta, row.chars, row.report) for row in rows],
        )

    def keep_texts(self, rows: Sequence[Gathering]) -> None:
        """Keeps what stands in documents that are on their way."""
        self._db.many(
            put("contents", "key, title, text, parts", replace=False),
            sorted({row.key: (row.key, row.title, row.text, row.parts) for row in rows}.values()),
        )

    def keep_contents(self, documents: Sequence[Document]) -> None:
        """Keeps contents that no document of the corpus has: what is left of some when words in them are hidden."""
        self._db.many(
            put("contents", "key, title, text, parts", replace=False),
            [
                (each.key, each.title, packed(each.text), packed([list(part) for part in each.parts]))
                for each in documents
            ],
        )

    def forget(self, names: Sequence[str]) -> None:
        """Drops documents; their contents stay until the store is cleaned."""
        self._db.many("DELETE FROM documents WHERE name = ?", [(name,) for name in names])

    def forget_file(self, path: str) -> None:
        """Drops what is known of a file."""
        self._db.execute("DELETE FROM files WHERE path = ?", (os.fsencode(path),))

    def keep_snapshot(self, snapshot: Snapshot) -> None:
        """Keeps which documents a corpus has, so that what was made of it can be looked at later."""
        if not self._db.rows("SELECT 1 FROM corpora WHERE key = ?", (snapshot.key,)):
            rows = [list(pair) for pair in zip(snapshot.names, snapshot.contents)]
            self._db.execute(put("corpora", "key, documents", replace=False), (snapshot.key, packed(rows)))

    def snapshot(self, key: str) -> Snapshot:
        """The corpus of that key; raises KeyError."""
        found = self._db.rows("SELECT documents FROM corpora WHERE key = ?", (key,))
        if not found:
            raise KeyError(key)
        rows = unpacked(found[0][0])
        return Snapshot(key, tuple(row[0] for row in rows), tuple(row[1] for row in rows))
