"""Ranked lists and evidence in the form of the Text Retrieval Conference (TREC), which `score` reads back."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from urllib.parse import quote

from ..core.documents.spans import Range
from ..core.testsets import Question
from ..kept.accounts import Account, AccountItem

_BLANK = re.compile(r"\s|%")


def item_name(doc: str, ranges: Sequence[Range]) -> str:
    """`document:start-end`, with several ranges `document:start-end,start-end`; what is white space in a document's name
    stands as %20 and the like (RFC 3986), since it parts the columns."""
    return f"{_named(doc)}:{','.join(f'{start}-{end}' for start, end in ranges)}"


def _named(doc: str) -> str:
    return _BLANK.sub(lambda found: quote(found[0]), doc)


def run_lines(accounts: Iterable[Account], tag: str) -> Iterable[str]:
    """A line an item: question, Q0, item, rank, score, tag. The score is 1 ÷ rank, so that any reader keeps the order. An item
    that was not found in the documents, or came before, keeps its rank under a name that no document has."""
    tag = "-".join(tag.split()) or "run"
    for account in accounts:
        seen: set[str] = set()
        for rank, item in enumerate(account.items, 1):
            name = item_name(item.doc, item.ranges) if item.doc and item.ranges else f"(not-found-{rank})"
            if name in seen:
                name = f"(again-{rank})"
            seen.add(name)
            yield f"{_named(account.question)} Q0 {name} {rank} {1 / rank:.9f} {tag}\n"


def evidence_qrels(questions: Sequence[Question]) -> Iterable[str]:
    """A line a place of evidence: question, number of the need (in the column that TREC calls iteration and ignores), place,
    1. Places of the same need are alternatives."""
    for question in questions:
        for number, need in enumerate(question.needs, 1):
            for place in dict.fromkeys(
                item_name(quoted.doc, [(quoted.start, quoted.end)])
                for quoted in need.spans
                if 0 <= quoted.start < quoted.end
            ):
                yield f"{_named(question.id)} {number} {place} 1\n"


def item_qrels(items: Mapping[str, Iterable[AccountItem]], cover: float) -> Iterable[str]:
    """A line an item that some run found, 1 where it covers a need by itself and 0 where not: for other programs, which know
    nothing of ranges."""
    for question, found in items.items():
        names: dict[str, int] = {}
        for item in found:
            if item.doc and item.ranges:
                names[item_name(item.doc, item.ranges)] = int(max(item.covers, default=0.0) >= cover)
        for name, relevant in sorted(names.items()):
            yield f"{_named(question)} 0 {name} {relevant}\n"
