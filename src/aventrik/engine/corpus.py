"""The documents of a workspace: what the store holds of them, and what its files say beside."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from ..core.documents import Document
from ..core.keys import content_key
from ..storage.protocols import Snapshot, Store
from ..workspace.workspace import Workspace


class Corpus:
    """Documents by name, with decisions, labels and metadata from the workspace's files."""

    def __init__(self, workspace: Workspace, store: Store) -> None:
        self.workspace = workspace
        self.store = store.documents

    def names(self, left_out: bool = False) -> list[str]:
        """Names in order; those that were left out only when asked for."""
        out = {} if left_out else self.workspace.decisions.reasons
        return [name for name in self.store.names() if name not in out]

    def left_out(self) -> set[str]:
        """Names of the documents that were left out."""
        return set(self.workspace.decisions.reasons)

    def snapshot(self) -> Snapshot:
        """The documents that take part now."""
        out = self.workspace.decisions.reasons
        pairs = [(name, key) for name, key in self.store.content_keys() if name not in out]
        return Snapshot(content_key(pairs), tuple(name for name, _ in pairs), tuple(key for _, key in pairs))

    def document(self, name: str) -> Document:
        """The document of that name, with all its metadata; raises KeyError."""
        found = self.store.document(name)
        beside = self.workspace.metadata.of(name)
        return replace(found, meta={**found.meta, **beside}) if beside else found

    def text(self, name: str) -> str | None:
        """The canonical text of a document; None when the corpus does not have it."""
        try:
            return self.store.document(name).text
        except KeyError:
            return None

    def figures(self) -> tuple[int, int]:
        """Number of documents and of characters, left-out ones included."""
        return self.store.figures()

    def leave_out(self, reasons: Mapping[str, str]) -> int:
        """Keeps documents out of every index, each for its reason; nothing is deleted. Returns how many were in."""
        return self.workspace.decisions.leave_out(reasons)

    def take_back(self, names: Sequence[str]) -> int:
        """Lets documents back in; returns how many were out."""
        return self.workspace.decisions.take_back(names)

    def add_metadata(self, rows: Mapping[str, Mapping[str, str]]) -> list[str]:
        """Sets metadata from beside the documents, by document name; returns names that the corpus does not have."""
        known = set(self.names(left_out=True))
        self.workspace.metadata.add({name: fields for name, fields in rows.items() if name in known})
        return [name for name in rows if name not in known]

    def reports(self) -> Iterator[dict[str, Any]]:
        """The reading report of every document, in order of name."""
        out = self.workspace.decisions.reasons
        for name, _, title, _, report in self.store.details():
            yield {"document": name, "title": title, **report, "left_out": out.get(name, "")}

    def meta(self) -> Iterator[tuple[str, str, dict[str, Any]]]:
        """(name, title, metadata) of every document, in order of name."""
        for name, _, title, meta, _ in self.store.details():
            yield name, title, {**meta, **self.workspace.metadata.of(name)}
