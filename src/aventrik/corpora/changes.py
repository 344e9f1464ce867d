"""What changed in the documents between two runs, and which questions still have their evidence."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from ..storage.protocols import Run, Store

GONE = "not in the documents"  # where a need is lost whose evidence no document holds


@dataclass(frozen=True)
class Changes:
    """The names of documents that were added, removed, and changed, from one corpus to another; `before` and `now` are how
    many there were, and are."""

    before: int
    now: int
    added: tuple[str, ...] = ()
    removed: tuple[str, ...] = ()
    changed: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.added or self.removed or self.changed)

    def in_words(self, names: int = 3) -> str:
        """In a few words: '2 added (a.md, b.md), 1 changed (c.md)'."""
        parts = []
        for what, some in (("added", self.added), ("removed", self.removed), ("changed", self.changed)):
            if some:
                listed = ", ".join(some[:names]) + (", …" if len(some) > names else "")
                parts.append(f"{len(some)} {what} ({listed})")
        return ", ".join(parts) or "none"


def changes(before: Mapping[str, str], now: Mapping[str, str]) -> Changes:
    """What changed between two corpora, each a content key by a document's name."""
    return Changes(
        len(before), len(now), tuple(sorted(now.keys() - before.keys())), tuple(sorted(before.keys() - now.keys())),
        tuple(sorted(name for name in before.keys() & now.keys() if before[name] != now[name])),
    )  # fmt: skip


def changes_between(store: Store, before: Run, now: Run) -> Changes | None:
    """The same of the documents of two runs; None where the store no longer has them."""
    found = [contents_of(store, run) for run in (before, now)]
    return None if found[0] is None or found[1] is None else changes(found[0], found[1])


def contents_of(store: Store, run: Run) -> dict[str, str] | None:
    """The content key of each document of a run, by name; None where the store no longer has them."""
    try:
        snapshot = store.documents.snapshot(run.corpus)
    except KeyError:
        return None
    return dict(zip(snapshot.names, snapshot.contents))


def without_evidence(lost: Mapping[str, Sequence[str]], keys: Iterable[str]) -> set[str]:
    """Those of some questions, by key, of which a need's evidence stands in no document; `lost` says of each question where
    its needs were lost."""
    return {key for key in keys if GONE in lost.get(key, ())}
