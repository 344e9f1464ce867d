"""The documents of a workspace: what the store holds of them, what its files say beside, which a filter lets pass, and how a
test set has them searched."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from ..core.documents import Document
from ..core.documents.spans import Range, by_document
from ..core.keys import content_key
from ..core.searching.filters import check, parse, passes
from ..core.testsets import Question
from ..core.testsets.hiding import hidden
from ..storage.protocols import DocumentStore, Snapshot, Store
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

    def known(self, name: str) -> Document | None:
        """The document of that name; None when the corpus does not have it."""
        try:
            return self.store.document(name)
        except KeyError:
            return None

    def text(self, name: str) -> str | None:
        """The canonical text of a document; None when the corpus does not have it."""
        found = self.known(name)
        return found.text if found else None

    def copies(self) -> Callable[[str], tuple[str, ...]]:
        """Of each document the names of the others that take part and have the very same text, whatever they are called."""
        lengths = dict(self.store.lengths())
        out = self.workspace.decisions.reasons
        alike: dict[int, list[str]] = {}
        for name, length in lengths.items():
            if name not in out and length:
                alike.setdefault(length, []).append(name)
        found: dict[str, tuple[str, ...]] = {}

        def of(name: str) -> tuple[str, ...]:
            if name not in found:
                others = [each for each in alike.get(lengths.get(name, 0), ()) if each != name]
                text = self.text(name) if others else None
                found[name] = tuple(each for each in others if self.text(each) == text)
            return found[name]

        return of

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


def fields_of(corpus: Corpus, left_out: bool = False) -> dict[str, dict[str, Any]]:
    """The fields of each document, by its name."""
    labels = corpus.workspace.labels.rows
    names = set(corpus.names(left_out))
    rows: dict[str, dict[str, Any]] = {}
    for name, title, meta in corpus.meta():
        if name in names:
            given = {column: value for column, value in labels.get(name, {}).items() if value}
            rows[name] = {"document": name, "title": title, **given, **meta}
    return rows


def passed(corpus: Corpus, where: str, left_out: bool = False) -> frozenset[str]:
    """Names of the documents that a condition lets pass; those that were left out only when asked for.

    Fields are `document` (its name), `title`, the labels of labels.csv, and the metadata, which wins over these.
    Raises `BadInput` for a condition that can't be understood, a field that no document has, or a value of a type that
    the field never has.
    """
    condition = parse(where)
    rows = fields_of(corpus, left_out)
    check(where, rows.values())
    return frozenset(name for name, row in rows.items() if passes(condition, row))


def without_hidden(documents: DocumentStore, snapshot: Snapshot, questions: Sequence[Question]) -> Snapshot:
    """A snapshot in which the documents that hold hidden words have a content without them; the same one where nothing
    is hidden. Other documents keep their keys, and what was made of them. Spans must be at their present places."""
    ranges = by_document(each.span for question in questions for each in question.hide)
    places = {name: place for place, name in enumerate(snapshot.names) if name in ranges}
    if not places:
        return snapshot
    contents = list(snapshot.contents)
    for name, place in places.items():
        contents[place] = _hidden_key(documents, name, contents[place], ranges[name])
    pairs = list(zip(snapshot.names, contents))
    return Snapshot(content_key(pairs), snapshot.names, tuple(contents))


def _hidden_key(documents: DocumentStore, name: str, content: str, ranges: Sequence[Range]) -> str:
    """The content key of a document without some ranges, which is kept under it."""
    [document] = documents.contents([name], [content])
    found = hidden(document, ranges)
    documents.keep_contents([found])
    return found.key
