"""Files into the corpus: what has to be read, what became of it, what is gone."""

from __future__ import annotations

import hashlib
import os
import stat
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, field, fields
from fnmatch import fnmatch
from pathlib import Path

from ..core.errors import BadInput, Unreadable
from ..core.keys import content_key
from ..core.reading import REVISION, Reading, known_suffix, read_file, safe_name
from ..execution.open_workspace import OpenWorkspace
from ..execution.reading_workers import FileToRead, Reader, ReadOne, document_row, file_mark, read_many
from ..storage.protocols import FileSeen, Store
from ..workspace.gathered import GatheredSource, GatheredSources
from ..workspace.settings import SETTINGS

LARGEST_MEGABYTES = 100
_IN_MEMORY = "text:"  # before the name of what was no file


@dataclass
class Gathered:
    """What a gathering did, document names by outcome."""

    added: list[str] = field(default_factory=list)
    updated: list[str] = field(default_factory=list)
    unchanged: list[str] = field(default_factory=list)
    removed: list[str] = field(default_factory=list)
    vanished: list[str] = field(default_factory=list)
    failed: list[tuple[str, str]] = field(default_factory=list)
    passed_over: int = 0
    links: int = 0
    own: int = 0

    def join(self, other: Gathered) -> None:
        """Takes in what another gathering did."""
        for each in fields(self):
            setattr(self, each.name, getattr(self, each.name) + getattr(other, each.name))

    @property
    def good(self) -> int:
        return len(self.added) + len(self.updated) + len(self.unchanged)


def gather(
    opened: OpenWorkspace,
    sources: Sequence[GatheredSource],
    prune: bool = False,
    largest: int | None = None,
    progress: Callable[[int, int], None] = lambda done, total: None,
    reader: Reader | None = None,
) -> Gathered:
    """Gathers sources into a workspace as its settings say, and notes them in gathered.csv."""
    how, made = opened.workspace.settings.reading, Gathered()
    limit = largest or opened.workspace.settings.limits.file_megabytes
    gatherer = Gatherer(opened.store, reader)
    kinds: dict[tuple[str, tuple[str, ...], tuple[str, ...], bool], list[Path]] = {}
    for source in sources:
        kinds.setdefault((source.prefix, source.include, source.exclude, source.links), []).append(source.path)
    for (prefix, include, exclude, links), paths in kinds.items():
        one = gatherer.gather(
            paths,
            prefix,
            prune,
            limit,
            include,
            exclude,
            how.reading,
            how.workers,
            how.seconds,
            how.megabytes,
            progress,
            links,
        )
        made.join(one)
    if sources:
        GatheredSources(opened.workspace.folder).add(sources)
    return made


def gather_texts(opened: OpenWorkspace, texts: Mapping[str, str]) -> Gathered:
    """Takes texts in as documents by name, read as files of such names would be; one that is there already is updated."""
    reading, made = opened.workspace.settings.reading.reading, Gathered()
    gatherer = Gatherer(opened.store)
    how = content_key(asdict(reading), REVISION)
    for name, text in texts.items():
        known = safe_name(name)
        if not known_suffix(known):
            raise BadInput(f"{name}: what is it? give the name an ending that is read, such as .md or .txt")
        data = text.encode("utf-8", "surrogatepass")
        key = hashlib.sha256(data).hexdigest()
        one = ReadOne(FileToRead(known, f"{_IN_MEMORY}{known}", len(data)), key, 0, len(data))
        try:
            found = read_file(known, data, reading)
            one.rows = [document_row(document) for document in found.documents]
            one.failed = found.failed
        except Unreadable as error:
            one.failure = str(error)
        with opened.store.transaction():
            gatherer.take(one, how, made)
    return made


class Gatherer:
    """Brings files into a store."""

    def __init__(self, store: Store, reader: Reader | None = None) -> None:
        self.store = store
        self._reader = reader
        self._documents = store.documents

    def gather(
        self,
        paths: Sequence[Path],
        prefix: str = "",
        prune: bool = False,
        largest: int = LARGEST_MEGABYTES,
        include: Sequence[str] = (),
        exclude: Sequence[str] = (),
        reading: Reading | None = None,
        workers: int = 0,
        seconds: int = 120,
        megabytes: int = 4000,
        progress: Callable[[int, int], None] = lambda done, total: None,
        links: bool = False,
    ) -> Gathered:
        """Reads files and folders into the corpus: adds, updates what changed, and tells what vanished.

        A document's name is its path below the gathered folder (or its file name), behind `prefix`; a record's is
        its file's, # and its id. Files are kept as soon as they are read, so an interrupted gathering goes on where
        it stopped. With `prune`, documents of a gathered folder whose file is gone are removed. `include` and
        `exclude` are shell patterns for the names of files in folders (their path, or its last part). A symbolic link
        that leads out of a gathered folder is followed only with `links`. What belongs to a workspace is never
        gathered. Raises `BadInput` for a path that is missing, or such a one.
        """
        made = Gathered()
        reading = reading or Reading()
        how = content_key(asdict(reading), REVISION)
        files = list(_files(paths, prefix, include, exclude, links, made))
        before = self._documents.files()
        taken = {seen.name: path for path, seen in before.items() if os.path.isfile(path)}
        met: set[str] = set()
        wanted: list[FileToRead] = []
        for name, path in files:
            self._look_at(name, path, largest, how, before, taken, met, wanted, made)
        done = len(files) - len(wanted)
        progress(done, len(files))
        read = (
            read_many(wanted, reading, workers, seconds, megabytes)
            if self._reader is None
            else self._reader(wanted, reading, seconds, megabytes)
        )
        for some in read:
            with self.store.transaction():
                for one in some:
                    self.take(one, how, made)
            done += len(some)
            progress(done, len(files))
        self._vanished(paths, prune, before, made)
        return made

    def _look_at(
        self,
        name: str,
        path: str,
        largest: int,
        how: str,
        before: dict[str, FileSeen],
        taken: dict[str, str],
        met: set[str],
        wanted: list[FileToRead],
        made: Gathered,
    ) -> None:
        """Decides of one file whether it has to be read."""
        source = os.path.abspath(path)
        if name in met:
            made.failed.append((path, f"another gathered file is named {name} too; gather it with --as PREFIX"))
            return
        if os.path.normpath(taken.get(name, source)) != source:
            made.failed.append((path, f"{name} was gathered from {taken[name]}; gather this with --as PREFIX"))
            return
        met.add(name)
        try:
            status = os.stat(path)
        except OSError as error:
            made.failed.append((path, f"can't be read ({error.strerror})"))
            return
        if not stat.S_ISREG(status.st_mode):
            made.failed.append((path, f"it is {_kind(status.st_mode)}, not a file"))
            return
        old = before.get(source)
        mark = file_mark(status)
        now = (name, status.st_size, mark, how)
        if old is not None and mark and now == (old.name, old.size, old.mtime, old.reading):
            made.unchanged.append(name)
            return
        if status.st_size > largest * 1_000_000:
            size = f"{status.st_size / 1e6:,.0f} MB is over the limit of {largest} MB (--largest N raises it)"
            made.failed.append((path, size))
            return
        known = old.key if old is not None and (old.name, old.reading) == (name, how) else ""
        wanted.append(FileToRead(name, source, status.st_size, known))

    def take(self, one: ReadOne, how: str, made: Gathered) -> None:
        """Keeps what came of a file: its documents take the place of those that it gave before."""
        name, path = one.wanted.name, one.wanted.path
        made.failed.extend(one.failed)
        if one.failure:
            made.failed.append((path, one.failure))
            return
        self._documents.keep_file(path, FileSeen(name, one.size, one.mtime, one.key, how))
        if one.same:
            made.unchanged.append(name)
            return
        made.passed_over += one.passed_over
        old = self._documents.of_file(path)
        others = self._documents.of_other_files([row.name for row in one.rows], path)
        rows = [row for row in one.rows if row.name not in others]
        for taken in sorted(others):
            made.failed.append(
                (path, f"another gathered file has a document named {taken}; gather it with --as PREFIX")
            )
        gone = sorted(old.keys() - {row.name for row in rows})
        self._documents.forget(gone)
        self._documents.keep(path, rows)
        for row in rows:
            into = made.added if row.name not in old else made.unchanged if old[row.name] == row.key else made.updated
            into.append(row.name)
        made.removed.extend(gone)

    def _vanished(self, paths: Sequence[Path], prune: bool, before: dict[str, FileSeen], made: Gathered) -> None:
        roots = [Path(os.path.abspath(path)) for path in paths if path.is_dir()]
        for source in sorted(before):
            where = Path(source)
            if where.is_file() or not any(root in where.parents for root in roots):
                continue
            names = sorted(self._documents.of_file(source))
            made.vanished.extend(names)
            if prune:
                with self.store.transaction():
                    self._documents.forget(names)
                    self._documents.forget_file(source)
                made.removed.extend(names)


# What in a folder with aventrik.toml is the workspace's own: no document of anybody's.
_OWN_FOLDERS = ("configs", "testsets", "prompts", "reports")
_OWN_FILES = (SETTINGS, "decisions.csv", "gathered.csv", "labels.csv", "metadata.csv", "gate.toml")


def _files(
    paths: Sequence[Path],
    prefix: str,
    include: Sequence[str],
    exclude: Sequence[str],
    links: bool,
    made: Gathered,
) -> Iterator[tuple[str, str]]:
    """(document name, path) in order of name; a folder gives its files with a suffix that is read."""
    lead = prefix.strip("/") + "/" if prefix.strip("/") else ""
    for path in paths:
        if _is_own(path):
            raise BadInput(f"{path}: is the workspace's own, and no document")
        if path.is_dir():
            for folder, name in _walked(path, links, made):
                below = Path(folder).relative_to(path).as_posix()
                inner = name if below == "." else f"{below}/{name}"
                unwanted = (include and not _matches(inner, include)) or _matches(inner, exclude)
                if name.startswith(".") or not known_suffix(name) or unwanted:
                    made.passed_over += 1
                else:
                    yield safe_name(lead + inner), os.path.join(folder, name)
        elif path.exists():
            yield safe_name(lead + path.name), str(path)
        else:
            raise BadInput(f"{path}: no such file or folder")


def _walked(root: Path, links: bool, made: Gathered) -> Iterator[tuple[str, str]]:
    """(folder, name) of all files below a folder, in order, but for those that are a workspace's own; a symbolic link
    that leads out of the folder is counted, or followed, no folder twice."""
    home = os.path.realpath(root)
    seen = {home}
    for folder, folders, names in os.walk(root, followlinks=True):
        workspace = SETTINGS in names
        kept = []
        for name in sorted(folders):
            whole = os.path.join(folder, name)
            if name.startswith("."):
                continue
            if workspace and name in _OWN_FOLDERS:
                made.own += sum(len(files) for _, _, files in os.walk(whole))
                continue
            if os.path.islink(whole):
                real = os.path.realpath(whole)
                if not links and not _inside(real, home):
                    made.links += 1
                if not links or real in seen:
                    continue
                seen.add(real)
            kept.append(name)
        folders[:] = kept
        for name in sorted(names):
            whole = os.path.join(folder, name)
            if workspace and name in _OWN_FILES:
                made.own += 1
            elif not links and os.path.islink(whole) and not _inside(os.path.realpath(whole), home):
                made.links += 1
            else:
                yield folder, name


def _inside(path: str, folder: str) -> bool:
    return path == folder or path.startswith(folder.rstrip(os.sep) + os.sep)


def _is_own(path: Path) -> bool:
    """Whether a path is, or lies in, what belongs to a workspace."""
    whole = Path(os.path.abspath(path))
    for place, folder in enumerate(whole.parents):
        below = whole.relative_to(folder).parts
        own = below[0] in (*_OWN_FOLDERS, ".aventrik") or (place == 0 and below[0] in _OWN_FILES)
        if own and (folder / SETTINGS).is_file():
            return True
    return False


def _kind(mode: int) -> str:
    for test, told in (
        (stat.S_ISFIFO, "a named pipe"),
        (stat.S_ISSOCK, "a socket"),
        (stat.S_ISCHR, "a device"),
        (stat.S_ISBLK, "a device"),
        (stat.S_ISDIR, "a folder"),
    ):
        if test(mode):
            return told
    return "something else"


def _matches(inner: str, patterns: Sequence[str]) -> bool:
    return any(fnmatch(inner, pattern) or fnmatch(inner.rsplit("/", 1)[-1], pattern) for pattern in patterns)
