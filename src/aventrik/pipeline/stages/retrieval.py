"""From a question to the items that are handed on."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ...core.chunking import Chunk, ChunkTable
from ...core.context.serving import HandedOn, ServedList, handed_on
from ...core.documents.spans import Range, text_of
from ...core.reranking import STEPS, Item, Ranked, StepMeans, apply, settings_of
from ...core.rewriting import Posed, Queries, joined, rewrite
from ...core.rewriting.drift import FIRST, Drift, Drifted, QueriesFound, changes, leaders, likenesses
from ...core.rewriting.glossary import lines
from ...core.searching import Candidates, Hits, QueryVectors, Searching, fuse
from ...core.searching.words import PLAIN, WordSearch
from ...core.text import count_tokens
from ..inputs import Documents, Given
from ..sources import Wording
from .lists import named_source, needs_met, pieces, served_ranges


@dataclass(frozen=True)
class Rewriting:
    """A way of rewriting, how many rewrites it gives (0: a single one), and the user's own prompt for it ("" for the
    task's)."""

    method: str
    count: int = 0
    wording: str = ""


def rewritten(given: Given) -> list[Queries]:
    """Each question and what one way of rewriting makes of it."""
    how: Rewriting = given.settings
    texts = [wording.text for wording in given["wording"]]
    turns = [found.before for found in given["turns"]] if given["turns"] is not None else [()] * len(texts)
    glossary = given["definitions"]
    posed = [
        Posed(text, before, tuple(lines(text, glossary.about(text))) if glossary is not None else ())
        for text, before in zip(texts, turns)
    ]
    return rewrite(posed, how.method, how.count, given.models["rewriter"], how.wording)


def standing_alone(given: Given) -> list[Wording]:
    """Each question as it stands without the turns before it; as it was asked where it does so, or where that failed."""
    return [
        Wording(found.texts[1]) if len(found.texts) > 1 else wording
        for wording, found in zip(given["wording"], given["rewrite"])
    ]


def _several(given: Given, word: str) -> list[list[Any]]:
    """Of each question what the nodes of a word, a step or rewriting, gave, in their order."""
    names = sorted(
        (name for name in given.inputs if name.startswith(f"{word} ")), key=lambda name: int(name.split()[-1])
    )
    return [list(row) for row in zip(*(given[name] for name in names))]


def queries(given: Given) -> list[Queries]:
    """Each question and all its rewrites, each text once."""
    rows = _several(given, "rewrite") or [[] for _ in given["wording"]]
    return [joined(wording.text, row) for wording, row in zip(given["wording"], rows)]


@dataclass(frozen=True)
class Drifting:
    """The least likeness of the rewrites of each rewriting, and whether vectors tell something of it."""

    least: tuple[float, ...] = ()
    vectors: bool = False


def drift(given: Given) -> list[Drift]:
    """How far each rewrite has drifted from its question, with the turns before it where a rewriting reads them."""
    how: Drifting = given.settings
    table, documents, words = given["chunks"], given["documents"], given["words"]
    known: dict[int, frozenset[str]] = {}

    def terms_of(number: int) -> frozenset[str]:
        if number not in known:
            text = text_of(documents[table.name(number)].text, table.ranges(number))
            known[number] = leaders("\n".join([*_source(table, documents, number), text]))
        return known[number]

    made = []
    for place, found in enumerate(given["queries"]):
        lists = [
            given[name][place].lists if given[name] is not None else () for name in ("keyword hits", "vector hits")
        ]
        first = [
            fuse(lists[0][n : n + 1], lists[1][n : n + 1], Searching(FIRST)).chunks for n in range(len(found.texts))
        ]
        nearest = [hits[0][1] if hits else 0.0 for hits in lists[1]] if how.vectors else None
        asked = " ".join([*(given["turns"][place].before if given["turns"] is not None else ()), found.texts[0]])
        likes = likenesses([asked, *found.texts[1:]], QueriesFound(first, nearest), terms_of, words.rarity)
        row = []
        for number, (text, like) in enumerate(zip(found.texts[1:], likes), 1):
            origin = found.origin(number)
            lost, added = changes(asked, text)
            row.append(Drifted(text, origin, like, lost, added, like < how.least[origin - 1]))
        made.append(Drift(tuple(row)))
    return made


def query_vectors(given: Given) -> list[QueryVectors]:
    """A vector of each query."""
    texts = [found.texts for found in given["queries"]]
    rows = given.models["embedder"].embed([text for each in texts for text in each], given["fitted"] or {}, "query")
    return [QueryVectors.of(part) for part in np.split(rows, np.cumsum([len(each) for each in texts])[:-1])]


@dataclass(frozen=True)
class ByWords:
    """How many chunks a query looks up, and how its words are read."""

    depth: int
    how: WordSearch = PLAIN


def keyword_hits(given: Given) -> list[Hits]:
    """What each query finds by its words."""
    searcher, condition, wanted = given["words"], given["condition"], given.settings
    return [
        Hits(tuple(map(tuple, searcher.by_words(found.texts, wanted.depth, condition, wanted.how))))
        for found in given["queries"]
    ]


def vector_hits(given: Given) -> list[Hits]:
    """What each query finds by its vector."""
    rows = [found.rows for found in given["query vectors"]]
    lists = iter(given["near"].by_vectors(np.concatenate(rows), given.settings, given["condition"]))
    return [Hits(tuple(tuple(next(lists)) for _ in each)) for each in rows]


def candidates(given: Given) -> list[Candidates]:
    """The lists of all queries and methods joined."""
    how: Searching = given.settings
    return [fuse(words, near, how, weights) for words, near, weights in _lists(given, how)]


def _lists(given: Given, how: Searching) -> Iterator[tuple[Any, Any, list[float]]]:
    """Of each question the lists of words and of vectors, and the weight of each query: 0 for one that has drifted."""
    for place in range(len(given["keyword hits"] or given["vector hits"] or ())):
        words, near = (
            given[name][place].lists if given[name] is not None else () for name in ("keyword hits", "vector hits")
        )
        weights: list[float] = []
        if given["drift"] is not None:
            dropped = [each.dropped for each in given["drift"][place].rewrites]
            origins = [each.origin for each in given["drift"][place].rewrites]
            weights = [1.0, *(0.0 if out else how.of_origin(origin) for out, origin in zip(dropped, origins))]
        yield words, near, weights


@dataclass(frozen=True)
class Gain:
    """What the list of one rewrite did to a question's candidates, by the numbers of its needs: those that are met only
    through it, and those that it has pushed out; in all candidates, and among the first that a context takes."""

    found: tuple[int, ...] = ()
    lost: tuple[int, ...] = ()
    found_first: tuple[int, ...] = ()
    lost_first: tuple[int, ...] = ()


@dataclass(frozen=True)
class Gains:
    """What each rewrite of a question did, in the order of its queries."""

    rewrites: tuple[Gain, ...] = ()


@dataclass(frozen=True)
class Weighed:
    """What it takes to join lists again without one of them, and to see which needs they meet."""

    searching: Searching
    cover: float
    first: int


def gains(given: Given) -> list[Gains]:
    """What the candidates would be without each rewrite."""
    how: Weighed = given.settings
    meets = needs_met(given["chunks"], given["units"], how.cover)
    made = []
    for evidence, (words, near, weights) in zip(given["evidence"], _lists(given, how.searching)):
        rows = [weights, *([*weights[:n], 0.0, *weights[n + 1 :]] for n in range(1, len(weights)))]
        held: list[tuple[list[bool], list[bool]]] = []
        for row in rows if evidence.needs else ():
            same = row == weights and held
            chunks = [] if same else [(number, ()) for number in fuse(words, near, how.searching, row).chunks]
            both = (meets(evidence.needs, chunks), meets(evidence.needs, chunks[: how.first]))
            held.append(held[0] if same else both)
        made.append(Gains(tuple(_gain(held[0], without) for without in held[1:])))
    return made


def _gain(now: tuple[list[bool], list[bool]], without: tuple[list[bool], list[bool]]) -> Gain:
    """What is met now and was not without a list, and the other way round."""

    def only(one: Sequence[bool], other: Sequence[bool]) -> tuple[int, ...]:
        return tuple(n for n, (here, there) in enumerate(zip(one, other), 1) if here and not there)

    return Gain(only(now[0], without[0]), only(without[0], now[0]), only(now[1], without[1]), only(without[1], now[1]))


@dataclass(frozen=True)
class StepSettings:
    """A reranking step, those of its settings that are not at their default, and the user's own prompt for it ("" for the
    task's)."""

    step: str
    settings: dict[str, Any]
    wording: str = ""

    @property
    def whole(self) -> dict[str, Any]:
        """All its settings but for its model."""
        return settings_of({"step": self.step, **self.settings})


def step(given: Given) -> list[Ranked]:
    """What a reranking step leaves of each list."""
    how: StepSettings = given.settings
    kind = STEPS[how.step]
    table, documents, words = given["chunks"], given["documents"], given["words"]
    embedder, fitted = given.models.get("embedder"), given["fitted"] or {}
    means = StepMeans(
        words.rarity if words is not None else None,
        given.models.get("language"),
        given.models.get("reranker"),
        (lambda texts, use: embedder.embed(list(texts), fitted, use)) if embedder is not None else None,
        documents.__getitem__,
        lambda number, away: _beside(table, number, away),
        wording=how.wording,
    )
    ranges_of = served_ranges(table, given["units"]) if kind.whole else table.ranges
    lists = [pieces(ranked) for ranked in given["ranked"]]
    documents.bring(dict.fromkeys(table.name(number) for row in lists for number, _, _ in row))
    above: dict[int, str] = {}
    items = []
    for row in lists:
        made = []
        for number, score, ranges in row:
            doc = table.name(number)
            if number not in above:
                above[number] = " › ".join(_source(table, documents, number))
            own = ranges or ranges_of(number)
            made.append(Item(number, score, text_of(documents[doc].text, own), above[number], doc, own, bool(ranges)))
        items.append(made)
    return apply(how.step, [wording.text for wording in given["wording"]], items, how.whole, means)


def _beside(table: ChunkTable, number: int, away: int) -> Chunk:
    """The ranges of the chunk so many places away in the same document; empty beyond its ends."""
    other = number + away
    if not 0 <= other < len(table) or table.doc[other] != table.doc[number]:
        return ()
    return table.ranges(other)


@dataclass(frozen=True)
class ListHeld:
    """What a list held: its items and their tokens, the same of the first that a context takes, and whether each need is
    met by all of them and by the first. Text that an item repeats of one before it does not count again."""

    items: int
    tokens: int
    first_items: int
    first_tokens: int
    met: tuple[bool, ...] = ()
    met_first: tuple[bool, ...] = ()


@dataclass(frozen=True)
class ChainAccount:
    """What the candidates held, and then the list behind each reranking step, in order."""

    lists: tuple[ListHeld, ...] = ()


def chain_account(given: Given) -> list[ChainAccount]:
    """What each step did to text and evidence."""
    how: Counting = given.settings
    table, documents = given["chunks"], given["documents"]
    ranges_of = served_ranges(table, given["units"])
    meets = needs_met(table, given["units"], how.cover)
    sizes: dict[tuple[str, Chunk], int] = {}
    steps = _several(given, "step")
    made = []
    for evidence, found, row in zip(given["evidence"], given["candidates"], steps):
        held = []
        for ranked in (found, *row):
            chunks = [(number, ranges) for number, _, ranges in pieces(ranked)]
            units = [(table.name(number), ranges or ranges_of(number)) for number, ranges in chunks]
            tokens = [size for size in _new_tokens(units, documents, sizes) if size]
            held.append(
                ListHeld(
                    len(chunks), sum(tokens), len(tokens[: how.first]), sum(tokens[: how.first]),
                    tuple(meets(evidence.needs, chunks)), tuple(meets(evidence.needs, chunks[: how.first])),
                )
            )  # fmt: skip
        made.append(ChainAccount(tuple(held)))
    return made


@dataclass(frozen=True)
class Counting:
    """From which cover on a need is met, and how many items a context takes."""

    cover: float
    first: int


def _new_tokens(
    units: Sequence[tuple[str, Chunk]], documents: Documents, sizes: dict[tuple[str, Chunk], int]
) -> Iterator[int]:
    """The tokens of each item that are not in one before it."""
    before: dict[str, list[Range]] = {}
    for doc, unit in units:
        ranges = handed_on(documents[doc].text, unit, before[doc]) if doc in before else unit
        if ranges and (doc, ranges) not in sizes:
            sizes[doc, ranges] = count_tokens(text_of(documents[doc].text, ranges))
        yield sizes[doc, ranges] if ranges else 0
        before.setdefault(doc, []).extend(ranges)


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
        row = pieces(ranked)
        names = [given["chunks"].name(number) for number, _, _ in row]
        documents.bring(names)
        for (number, _, own), doc in zip(row, names):
            unit = own or ranges_of(number)
            ranges = handed_on(documents[doc].text, unit, before[doc]) if doc in before else unit
            if ranges:
                items.append(HandedOn(number, doc, ranges, tokens(doc, ranges)))
                before.setdefault(doc, []).extend(ranges)
        made.append(ServedList(tuple(items)))
    return made


def _source(table: ChunkTable, documents: Documents, number: int) -> Sequence[str]:
    return named_source(documents, table.name(number), table.ranges(number))
