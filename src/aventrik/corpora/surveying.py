"""What a corpus speaks of: topics over chunk vectors, their words and samples, what a test set leaves uncovered, and
the points of the map."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
import numpy.typing as npt

from ..core.chunking import ChunkTable, chunks_of
from ..core.documents.spans import common
from ..core.errors import BadInput
from ..core.surveying.neighbours import Overlap, overlap
from ..core.surveying.topics import Topics, find_topics, numbers_to_try, own_words, shares, stated_share
from ..core.testsets import Question
from ..execution.chunk_texts import ChunkTexts
from ..execution.open_workspace import OpenWorkspace
from ..execution.place import Place
from ..workspace.configuration import Configuration
from .vetting import findings

if TYPE_CHECKING:
    import pandas

_LITTLE = 0.25  # of a topic's text in full sentences
_AGAIN = 0.5  # of a topic's chunks that stand in another document too
_MEASURED = 200  # chunks of a topic that these are measured on
_MOST_WORDS = 60_000  # chunks that own words are found from


@dataclass(frozen=True)
class Topic:
    """One topic: chunk numbers in `typical`, `border` and `sample`; `tightness` is the mean cosine with its centre;
    `needs` are those of the test set whose evidence lies in it, None without a test set; `useless` says why it looks
    unfit for questions, empty when it does not."""

    number: int
    words: tuple[str, ...]
    size: int
    documents: int
    tightness: float
    typical: tuple[int, ...]
    border: tuple[int, ...]
    sample: tuple[int, ...]
    stated: float
    repeated: float
    needs: int | None
    useless: str


@dataclass(frozen=True)
class Survey:
    """The topics of a configuration's chunks."""

    place: Place
    chunks: ChunkTexts
    topics: list[Topic]
    found: Topics
    uncovered: list[str] = field(default_factory=list)

    def to_pandas(self) -> pandas.DataFrame:
        """A row a topic."""
        import pandas

        return pandas.DataFrame([vars(topic) for topic in self.topics])

    @property
    def configuration(self) -> Configuration:
        """Whose chunks these are."""
        return self.place.resolved.configuration

    @property
    def table(self) -> ChunkTable:
        """The chunks."""
        return self.chunks.table


def with_vectors(configuration: Configuration) -> Configuration:
    """The configuration, with an embedding model if it has none, and chunks as their own index texts."""
    changes: dict[str, Any] = {"index": configuration.index.model_copy(update={"text": "chunk"})}
    if configuration.embedding.model == "none":
        changes["embedding"] = configuration.embedding.model_copy(update={"model": "lsa"})
    if configuration.search.method == "keyword":
        changes["search"] = configuration.search.model_copy(update={"method": "both"})
    return configuration.model_copy(update=changes)


def survey(
    opened: OpenWorkspace,
    configuration: Configuration,
    count: int = 0,
    numbers: Sequence[int] = (),
    reduced: bool = False,
    questions: Sequence[Question] | None = None,
    sample: int = 40,
    floor: int = 2,
    seed: int = 0,
) -> Survey:
    """The topics; `count` of them, or as many of `numbers` as fit best. Raises `BadInput` for an empty corpus."""
    place = opened.place(with_vectors(configuration))
    chunks = ChunkTexts(place)
    table = chunks.table
    if not len(table):
        raise BadInput("the documents hold no text: there is nothing to survey")
    vectors = place.open("vectors")
    opened.progress("topics", 0, 1)
    tried = [count] if count else list(numbers) or numbers_to_try(len(table))
    found = find_topics(vectors, tried, reduced, seed)
    step = max(1, -(-len(table) // _MOST_WORDS))
    places = np.arange(0, len(table), step)
    words = own_words([chunks.text(int(number)) for number in places], found.topic[places])
    words += [[]] * (found.count - len(words))
    needed = None if questions is None else main_chunks(table, questions)
    drawn = shares([len(found.members(topic)) for topic in range(found.count)], sample, floor)
    again = _texts_again(chunks)
    topics = [
        _topic(chunks, found, number, words[number], drawn[number], needed, again) for number in range(found.count)
    ]
    uncovered = []
    if needed is not None:
        touched = {int(table.doc[chunk]) for chunk in needed}
        uncovered = [name for n, name in enumerate(table.docs) if n not in touched and chunks_of(table, name)]
    return Survey(place, chunks, topics, found, uncovered)


def _topic(
    chunks: ChunkTexts,
    found: Topics,
    number: int,
    words: list[str],
    drawn: int,
    needed: Counter[int] | None,
    again: npt.NDArray[np.bool_],
) -> Topic:
    table = chunks.table
    members = found.members(number)
    measured = members[:: max(1, -(-len(members) // _MEASURED))]
    stated = float(np.median([stated_share(chunks.text(int(chunk))) for chunk in measured]))
    repeated = float(again[members].mean())
    useless = []
    if stated < _LITTLE:
        useless.append(f"{stated:.0%} of its text is in full sentences or table rows")
    if repeated > _AGAIN:
        useless.append(f"{repeated:.0%} of its chunks stand in other documents too")
    spread = members[np.unique(np.linspace(0, len(members) - 1, drawn).astype(int))] if drawn else members[:0]
    return Topic(
        number=number + 1,
        words=tuple(words),
        size=len(members),
        documents=len(np.unique(table.doc[members])),
        tightness=float(found.nearness[members].mean()),
        typical=tuple(found.typical(number, 3)),
        border=tuple(found.border(number, 3)),
        sample=tuple(int(chunk) for chunk in spread),
        stated=stated,
        repeated=repeated,
        needs=None if needed is None else sum(needed.get(int(chunk), 0) for chunk in members),
        useless="; ".join(useless),
    )


def _texts_again(chunks: ChunkTexts) -> npt.NDArray[np.bool_]:
    """Whether each chunk's text stands in another document too, but for white space and capitals."""
    table = chunks.table
    seen: dict[int, int] = {}
    again = np.zeros(len(table), dtype=bool)
    first: dict[int, int] = {}
    for number in range(len(table)):
        mark = hash(" ".join(chunks.text(number).lower().split()))
        doc = int(table.doc[number])
        if seen.setdefault(mark, doc) != doc:
            again[[first[mark], number]] = True
        first.setdefault(mark, number)
    return again


def main_chunks(table: ChunkTable, questions: Sequence[Question]) -> Counter[int]:
    """How many needs have evidence in each chunk: of overlapping chunks the one that holds most of it."""
    found: Counter[int] = Counter()
    for question in questions:
        for need in question.needs:
            for quoted in need.spans:
                best, most = -1, 0
                for number in chunks_of(table, quoted.doc):
                    held = common(table.ranges(number), quoted.start, quoted.end)
                    if held > most:
                        best, most = number, held
                if best >= 0:
                    found[best] += 1
    return found


def served_well(table: ChunkTable, questions: Sequence[Question], scores: dict[str, float]) -> dict[int, float]:
    """For each chunk with evidence of a question the mean score of those questions."""
    sums: dict[int, list[float]] = {}
    for question in questions:
        if question.id in scores:
            for chunk in main_chunks(table, [question]):
                sums.setdefault(chunk, []).append(scores[question.id])
    return {chunk: float(np.mean(values)) for chunk, values in sums.items()}


def chosen_points(found: Topics, most: int) -> npt.NDArray[np.int64]:
    """The chunks that a map shows: all, or a sample by topic in proportion."""
    sizes = [len(found.members(topic)) for topic in range(found.count)]
    picked = []
    for topic, count in enumerate(shares(sizes, most, 1)):
        members = found.members(topic)
        picked.append(members[np.unique(np.linspace(0, len(members) - 1, count).astype(int))])
    return np.sort(np.concatenate(picked))


def models_apart(
    opened: OpenWorkspace, configuration: Configuration, other: str, k: int = 10
) -> tuple[ChunkTexts, Overlap]:
    """The configuration's embedding model beside another one on the same chunks."""
    one = with_vectors(configuration)
    two = one.model_copy(update={"embedding": one.embedding.model_copy(update={"model": other})})
    places = [opened.place(each) for each in (one, two)]
    chunks = ChunkTexts(places[0])
    if len(chunks) < 2:
        raise BadInput(f"{len(chunks)} chunks have no neighbours to compare")
    return chunks, overlap(places[0].open("vectors"), places[1].open("vectors"), k)


def findings_by_chunk(opened: OpenWorkspace, made: Survey) -> dict[int, str]:
    """For each chunk that a finding touches the kind of the surest one."""
    found: dict[int, tuple[float, str]] = {}
    for each in findings(opened):
        for number in chunks_of(made.table, each.document):
            ranges = made.table.ranges(number)
            touched = not each.spans or any(common(ranges, *span) for span in each.spans)
            if touched and each.confidence > found.get(number, (0.0, ""))[0]:
                found[number] = (each.confidence, each.kind)
    return {number: kind for number, (_, kind) in found.items()}
