"""Documents: gathered, looked at, vetted, labelled, cut, surveyed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from fnmatch import fnmatch
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..core.errors import BadInput
from .rows import Rows
from .workspaces import check_documents

if TYPE_CHECKING:
    from ..core.comparing.intervals import Interval
    from ..core.documents import Document
    from ..core.surveying.neighbours import Overlap
    from ..core.testsets import Question
    from ..core.vetting import Finding
    from ..core.vetting.labelling import Suggested, Suggestion
    from ..corpora.cutting import ChunkFigures
    from ..corpora.gathering import Gathered
    from ..corpora.reading_ways import ReadingWays
    from ..corpora.surveying import Survey
    from ..execution.chunk_texts import ChunkTexts
    from ..execution.open_workspace import OpenWorkspace
    from ..pipeline.inputs import Progress
    from ..workspace.configuration import Configuration


def gather(
    opened: OpenWorkspace,
    paths: Sequence[str | Path] = (),
    *,
    texts: Mapping[str, str] | None = None,
    prefix: str = "",
    include: Sequence[str] = (),
    exclude: Sequence[str] = (),
    follow_links: bool = False,
    prune: bool = False,
    largest: int | None = None,
    on: str = "",
    progress: Progress | None = None,
) -> Gathered:
    """Reads files and folders into the corpus: adds what is new, updates what changed, keeps the rest.

    A document's name is its path below the gathered folder, behind `prefix`; `include` and `exclude` are shell patterns
    such as '*.html'. Without paths, what was gathered before is read again. `texts` are documents by name that are no
    files. `prune` removes documents whose file is gone; `largest` is in megabytes; `on` says who reads ("here", a number
    of workers, the address of a Dask scheduler). Raises `BadInput` for a path that is not there. A file that can't be read
    raises nothing: it stands in `failed` with its reason.

    >>> made = aventrik.gather(opened, [documents])
    >>> (len(made.added), len(made.unchanged), made.failed)
    (0, 3, [])
    """
    from ..corpora.gathering import Gathered, gather_texts
    from ..corpora.gathering import gather as gather_files
    from ..execution.hiring import workers
    from ..workspace.gathered import GatheredSource, GatheredSources

    made = Gathered()
    if texts:
        made.join(gather_texts(opened, texts))
    sources = [
        GatheredSource(Path(path), prefix, tuple(include), tuple(exclude), follow_links) for path in paths
    ]  # fmt: skip
    if not sources and not texts:
        sources = list(GatheredSources(opened.folder))
        if not sources:
            raise BadInput("nothing to gather: name files or folders")
    if not sources:
        return made
    with opened.reporting(progress), workers(opened, on, opened.tell) as reader:
        where = f"reading{opened.bench.executor.label}" if reader else "reading"
        made.join(
            gather_files(
                opened, sources, prune, largest, lambda done, total: opened.progress(where, done, total), reader
            )
        )
    return made


@dataclass(frozen=True)
class AddedMetadata:
    """Of how many documents metadata was taken, and the names that the corpus does not have."""

    documents: int
    unknown: tuple[str, ...]


def add_metadata(opened: OpenWorkspace, file: str | Path) -> AddedMetadata:
    """Takes metadata of documents from a CSV file with a column 'document'. Raises `BadInput` for a file that has none.

    >>> _ = (elsewhere / "beside.csv").write_text("document,area\\nlocks.md,north\\nmills.md,south\\n")
    >>> aventrik.add_metadata(opened, elsewhere / "beside.csv")
    AddedMetadata(documents=1, unknown=('mills.md',))
    """
    from ..workspace.metadata import load_metadata

    rows = load_metadata(Path(file))
    unknown = opened.corpus.add_metadata(rows)
    return AddedMetadata(len(rows) - len(unknown), tuple(unknown))


@dataclass(frozen=True)
class CorpusSize:
    """How many documents there are, and characters of their text."""

    documents: int
    chars: int


def corpus_size(opened: OpenWorkspace) -> CorpusSize:
    """How large the corpus is, documents that were left out included.

    >>> aventrik.corpus_size(opened).documents
    3
    """
    return CorpusSize(*opened.corpus.figures())


def document_names(opened: OpenWorkspace, *, left_out: bool = False) -> list[str]:
    """The names of the documents in order; those that were left out only when asked for.

    >>> aventrik.document_names(opened)
    ['bridges.txt', 'locks.md', 'moorings.md']
    """
    return opened.corpus.names(left_out)


def document(opened: OpenWorkspace, name: str) -> Document:
    """A document as it was read: canonical text, parts as spans of it, metadata. Raises `BadInput` for a name that there is
    not, with the nearest.

    >>> aventrik.document(opened, "moorings.md").title
    'Moorings'
    """
    from ..workspace.toml import nearest

    names = opened.corpus.names(left_out=True)
    if name not in names:
        raise BadInput(f"no document is named '{name}'{nearest(name, names, listing=False)}")
    return opened.corpus.document(name)


def page_of(found: Document, page: int | None) -> tuple[int, int]:
    """Where a page stands in a document's text (start, end); the whole text for None. Raises `BadInput` for a page that it
    does not have."""
    from ..corpora.reading_ways import page_range

    return page_range(found, page)


def reading_reports(opened: OpenWorkspace) -> Rows[dict[str, Any]]:
    """How well each document was read: pages, chars, tables, headings, `odd` (share of odd characters, 0 to 1), warnings.

    >>> [row["document"] for row in aventrik.reading_reports(opened) if row["tables"]]
    ['locks.md']
    """
    return Rows(opened.corpus.reports())


def try_readers(file: str | Path, page: int = 1) -> ReadingWays:
    """One page of a PDF file by each way of reading, side by side. Raises `BadInput` for a file that can't be read."""
    from ..corpora.reading_ways import reading_ways

    return reading_ways(Path(file), page)


@dataclass(frozen=True)
class Vetted:
    """What vetting noticed: the findings that were asked for, of all documents those that were looked at, those that are
    left out, and those that are unfit and take part all the same."""

    findings: tuple[Finding, ...]
    documents: frozenset[str]
    left_out: frozenset[str]
    unfit: tuple[str, ...]

    def to_pandas(self) -> Any:
        """A row a finding."""
        return Rows(self.findings).to_pandas()


def vet(
    opened: OpenWorkspace,
    documents: Sequence[str] = (),
    *,
    kinds: Sequence[str] = (),
    least: float = 0.0,
    where: str = "",
    progress: Progress | None = None,
) -> Vetted:
    """Looks for documents unfit for use: copies, superseded editions, garbled scans, personal data, other languages, and more.

    `documents` are names or shell patterns, `kinds` those of findings, `least` a confidence (0 to 1), `where` a condition on
    labels and metadata. Raises `BadInput` for a name, a kind or a field that there is not, and for an empty corpus.

    >>> aventrik.vet(opened).unfit
    ()
    """
    from ..core.vetting import KINDS, UNFIT
    from ..corpora.vetting import findings
    from ..execution.corpus import passed
    from ..workspace.toml import nearest

    for kind in kinds:
        if kind not in KINDS:
            raise BadInput(f"no finding is of the kind '{kind}'{nearest(kind, list(KINDS))}")
    check_documents(opened, left_out=True)
    names = _named(opened, documents)
    if where:
        names &= passed(opened.corpus, where, left_out=True)
    chosen = tuple(
        each
        for each in findings(opened, progress)
        if each.document in names and each.confidence >= least and (not kinds or each.kind in kinds)
    )
    out = opened.corpus.left_out()
    unfit = {each.document for each in chosen if each.kind in UNFIT and each.confidence >= 0.5} - out
    return Vetted(chosen, frozenset(names), frozenset(out), tuple(sorted(unfit)))


def _named(opened: OpenWorkspace, patterns: Sequence[str]) -> set[str]:
    """The documents that names and shell patterns mean, all without any."""
    from ..workspace.toml import nearest

    names = opened.corpus.names(left_out=True)
    if not patterns:
        return set(names)
    chosen: set[str] = set()
    for pattern in patterns:
        hit = {name for name in names if name == pattern or fnmatch(name, pattern)}
        if not hit:
            raise BadInput(f"no document is named '{pattern}'{nearest(pattern, names, listing=False)}")
        chosen |= hit
    return chosen


def leave_out(opened: OpenWorkspace, reasons: Mapping[str, str]) -> int:
    """Keeps documents, by name, out of every index, each for its reason; nothing is deleted. Returns how many were in.

    >>> aventrik.leave_out(opened, {"bridges.txt": "superseded"})
    1
    >>> aventrik.take_back(opened, ["bridges.txt"])
    1
    """
    return opened.corpus.leave_out(reasons)


def take_back(opened: OpenWorkspace, names: Sequence[str]) -> int:
    """Lets documents back in that were left out; returns how many were out."""
    return opened.corpus.take_back(names)


def vetting_decisions(opened: OpenWorkspace) -> Rows[dict[str, Any]]:
    """A line a document: whether it takes part and why not, its labels, its findings, how well it was read.

    >>> {row["decision"] for row in aventrik.vetting_decisions(opened)}
    {'in'}
    """
    from ..corpora.vetting import decisions, findings

    return Rows(decisions(opened.corpus, findings(opened), opened.workspace.labels))


def export_decisions(opened: OpenWorkspace, file: str | Path) -> int:
    """Writes the table of `vetting_decisions` (.csv, .jsonl, .parquet, .xlsx); returns how many lines it has.

    >>> aventrik.export_decisions(opened, elsewhere / "decisions.csv")
    3
    """
    from ..workspace.tables import write_table

    rows = vetting_decisions(opened)
    write_table(Path(file), rows)
    return len(rows)


def given_labels(opened: OpenWorkspace, column: str) -> dict[str, str]:
    """The labels of a column of labels.csv, by document."""
    return opened.workspace.labels.given(column)


def label(opened: OpenWorkspace, column: str, labels: Mapping[str, str]) -> None:
    """Writes labels of documents into a column of labels.csv.

    >>> aventrik.label(opened, "topic", {"locks.md": "locks"})
    >>> aventrik.given_labels(opened, "topic")
    {'locks.md': 'locks'}
    """
    opened.workspace.labels.set(column, labels)


def next_to_label(opened: OpenWorkspace, column: str, skipped: set[str]) -> str | None:
    """The document whose label would teach most, but for those that were skipped; None where every one has a label."""
    from ..corpora.labelling import next_to_label

    return next_to_label(opened, column, skipped)


@dataclass(frozen=True)
class SuggestedLabels:
    """What the given labels of a column teach, and the suggestions that were sure enough to be written down."""

    found: Suggested
    taken: list[Suggestion]


def suggest_labels(opened: OpenWorkspace, column: str, *, least: float | None = None) -> SuggestedLabels:
    """Suggests the rest of a column of labels.csv; writes those of at least the confidence `least` (0 to 1) down. Raises
    `BadInput` where too few labels are given."""
    from ..corpora.labelling import apply_suggestions

    made = apply_suggestions(opened, column, least)
    return SuggestedLabels(made.found, made.taken)


def configurations(opened: OpenWorkspace, names: Sequence[str] = ()) -> list[Configuration]:
    """Configurations by file ('a' means configs/a.toml) or by name, such as one of a sweep; all without any. Raises
    `BadInput` with file, line and key.

    >>> [each.name for each in aventrik.configurations(opened)]
    ['starter']
    """
    return opened.workspace.configurations(list(names))


def chunk(
    opened: OpenWorkspace,
    configurations: Sequence[str] = (),
    *,
    testset: str = "",
    questions: Sequence[Question] = (),
    progress: Progress | None = None,
) -> Rows[ChunkFigures]:
    """How configurations would chunk the corpus: counts, lengths, samples, and, with a test set, evidence cut apart; each
    different chunking once. Raises `BadInput` for an empty corpus and an unknown name.

    >>> [figures] = aventrik.chunk(opened, ["starter"], testset="small")
    >>> (figures.chunks, figures.needs, figures.needs_cut_apart)
    (3, 2, 0)
    """
    from ..corpora.cutting import chunked

    check_documents(opened)
    asked = list(questions) or (opened.questions(testset)[0] if testset else [])
    with opened.reporting(progress):
        return Rows(chunked(opened, opened.workspace.configurations(list(configurations)), asked))


def survey(
    opened: OpenWorkspace,
    configuration: str | Configuration = "",
    *,
    topics: int = 0,
    numbers: Sequence[int] = (),
    reduced: bool = False,
    questions: Sequence[Question] | None = None,
    sample: int = 40,
    floor: int = 2,
    seed: int | None = None,
    progress: Progress | None = None,
) -> Survey:
    """Groups the chunks of a configuration (the first there is) by topic, names and samples each, and says which topics and
    documents some questions leave uncovered.

    `topics` of them, or as many of `numbers` as fit best (by the silhouette); `reduced` groups by the 32 main components.
    `sample` chunks over all topics, at least `floor` of each. Raises `BadInput` for an empty corpus.

    >>> sorted(len(topic.words) > 0 for topic in aventrik.survey(opened, topics=2).topics)
    [True, True]
    """
    from ..corpora.surveying import survey

    check_documents(opened)
    with opened.reporting(progress):
        return survey(
            opened, configuration_of(opened, configuration), topics, numbers, reduced, questions, sample, floor,
            opened.workspace.settings.seed if seed is None else seed,
        )  # fmt: skip


def configuration_of(opened: OpenWorkspace, named: str | Configuration) -> Configuration:
    """A configuration by name, the first that a name stands for, the first of all for ""."""
    if not isinstance(named, str):
        return named
    return opened.workspace.configurations([named] if named else [])[0]


@dataclass(frozen=True)
class ModelsApart:
    """Two embedding models on the same chunks: how alike their neighbourhoods are (the mean share of nearest neighbours
    that both have, 0 to 1, with its 95 % interval), and around which chunks least."""

    first: str
    second: str
    chunks: ChunkTexts
    found: Overlap
    shared: Interval


def compare_embeddings(
    opened: OpenWorkspace, configuration: str | Configuration, other: str, *, progress: Progress | None = None
) -> ModelsApart:
    """Holds another embedding model against that of a configuration. Raises `BadInput` for one that there is not, or for the
    same."""
    from ..core.comparing.intervals import interval
    from ..corpora.surveying import models_apart, with_vectors
    from ..workspace.toml import nearest

    known = opened.workspace.embedding_models()
    if other not in known or other == "none":
        raise BadInput(f"--beside {other}: no such embedding model{nearest(other, [n for n in known if n != 'none'])}")
    chosen = configuration_of(opened, configuration)
    one = with_vectors(chosen).embedding.model
    if one == other:
        raise BadInput(f"--beside {other}: that is the configuration's own embedding model")
    with opened.reporting(progress):
        chunks, found = models_apart(opened, chosen, other)
    return ModelsApart(one, other, chunks, found, interval(found.share.tolist()))


def gathered_json(made: Gathered, size: CorpusSize) -> dict[str, Any]:
    """The documented shape of `gather --json`."""
    return {
        "added": made.added, "updated": made.updated, "unchanged": len(made.unchanged), "removed": made.removed,
        "vanished": made.vanished, "passed_over": made.passed_over, "links": made.links, "own": made.own,
        **asdict(size), "failed": [{"file": file, "reason": reason} for file, reason in made.failed],
    }  # fmt: skip
