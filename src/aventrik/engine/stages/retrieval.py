"""From a question to the items that are handed on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ...core.chunking import Chunk, ChunkTable
from ...core.context.serving import HandedOn, ServedList, handed_on
from ...core.documents.spans import Range, text_of
from ...core.reranking import Item, Means, Ranked, apply, settings_of
from ...core.rewriting import Queries, rewrite
from ...core.searching import Candidates, Hits, QueryVectors, fuse
from ...core.text import count_tokens
from ..given import Documents, Given
from .listed import named_source, scored, served_ranges


def queries(given: Given) -> list[Queries]:
    """Each question and its rewrites."""
    how = given.settings
    texts = [wording.text for wording in given["wording"]]
    return rewrite(texts, how.method, how.count, given.models.get("rewriter"))


def query_vectors(given: Given) -> list[QueryVectors]:
    """A vector of each query."""
    texts = [found.texts for found in given["queries"]]
    rows = given.models["embedder"].embed([text for each in texts for text in each], given["fitted"] or {}, "query")
    return [QueryVectors.of(part) for part in np.split(rows, np.cumsum([len(each) for each in texts])[:-1])]


def keyword_hits(given: Given) -> list[Hits]:
    """What each query finds by its words."""
    searcher, condition = given["words"], given["condition"]
    return [
        Hits(tuple(map(tuple, searcher.by_words(found.texts, given.settings, condition)))) for found in given["queries"]
    ]


def vector_hits(given: Given) -> list[Hits]:
    """What each query finds by its vector."""
    rows = [found.rows for found in given["query vectors"]]
    lists = iter(given["near"].by_vectors(np.concatenate(rows), given.settings, given["condition"]))
    return [Hits(tuple(tuple(next(lists)) for _ in each)) for each in rows]


def candidates(given: Given) -> list[Candidates]:
    """The lists of all queries and methods joined."""
    words, near = (
        [found.lists for found in given[name]] if given[name] is not None else None
        for name in ("keyword hits", "vector hits")
    )
    several = zip(words or [()] * len(near or ()), near or [()] * len(words or ()))
    return [fuse(one, other, given.settings) for one, other in several]


@dataclass(frozen=True)
class StepSettings:
    """A reranking step, and those of its settings that are not at their default."""

    step: str
    settings: dict[str, Any]

    @property
    def whole(self) -> dict[str, Any]:
        """All its settings but for its model."""
        return settings_of({"step": self.step, **self.settings})


def step(given: Given) -> list[Ranked]:
    """What a reranking step leaves of each list."""
    how: StepSettings = given.settings
    table, documents = given["chunks"], given["documents"]
    words = given["words"]
    means = Means(
        words.rarity if words is not None else None, given.models.get("language"), given.models.get("reranker")
    )
    items = [
        [
            Item(number, score, _text(table, documents, number), " › ".join(_source(table, documents, number)))
            for number, score in scored(ranked)
        ]
        for ranked in given["ranked"]
    ]
    return apply(how.step, [wording.text for wording in given["wording"]], items, how.whole, means)


def served(given: Given) -> list[ServedList]:
    """The items that each list comes to: no text twice, and nothing for a chunk whose unit was handed on before it."""
    documents: Documents = given["documents"]
    ranges_of = served_ranges(given["chunks"], given["units"])
    sizes: dict[tuple[str, Chunk], int] = {}

    def tokens(doc: str, ranges: Chunk) -> int:
        if (doc, ranges) not in sizes:
            sizes[doc, ranges] = count_tokens(text_of(documents[doc].text, ranges))
        return sizes[doc, ranges]

    made = []
    for ranked in given["ranked"]:
        items: list[HandedOn] = []
        before: dict[str, list[Range]] = {}
        numbers = [number for number, _ in scored(ranked)]
        names = [given["chunks"].name(number) for number in numbers]
        documents.bring(names)
        for number, doc in zip(numbers, names):
            unit = ranges_of(number)
            ranges = handed_on(documents[doc].text, unit, before[doc]) if doc in before else unit
            if ranges:
                items.append(HandedOn(number, doc, ranges, tokens(doc, ranges)))
                before.setdefault(doc, []).extend(ranges)
        made.append(ServedList(tuple(items)))
    return made


def _text(table: ChunkTable, documents: Documents, number: int) -> str:
    return text_of(documents[table.name(number)].text, table.ranges(number))


def _source(table: ChunkTable, documents: Documents, number: int) -> Sequence[str]:
    return named_source(documents, table.name(number), table.ranges(number))
