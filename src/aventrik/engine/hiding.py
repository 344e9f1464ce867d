"""The corpus as a test set has it searched: without the words that its questions hide."""

from __future__ import annotations

from collections.abc import Sequence

from ..core.documents.spans import Range, by_document
from ..core.keys import content_key
from ..core.testsets import Question
from ..core.testsets.hiding import hidden
from ..storage.protocols import DocumentStore, Snapshot


def without_hidden(documents: DocumentStore, snapshot: Snapshot, questions: Sequence[Question]) -> Snapshot:
    """A snapshot in which the documents that hold hidden words have a content without them; the same one where nothing
    is hidden. Other documents keep their keys, and what was made of them. Spans must be at their present places."""
    ranges = by_document(each.span for question in questions for each in question.hide)
    places = {name: place for place, name in enumerate(snapshot.names) if name in ranges}
    if not places:
        return snapshot
    contents = list(snapshot.contents)
    for name, place in places.items():
        contents[place] = _key(documents, name, contents[place], ranges[name])
    pairs = list(zip(snapshot.names, contents))
    return Snapshot(content_key(pairs), snapshot.names, tuple(contents))


def _key(documents: DocumentStore, name: str, content: str, ranges: Sequence[Range]) -> str:
    """The content key of a document without some ranges, which is kept under it."""
    [document] = documents.contents([name], [content])
    found = hidden(document, ranges)
    documents.keep_contents([found])
    return found.key
