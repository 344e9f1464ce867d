"""`gathered.csv`: what was gathered, a line a file or folder, so that a corpus can be read in again from its sources."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from .files import read_rows, write_rows

_COLUMNS = ("path", "as", "include", "exclude", "links")
_FOLLOWED = "followed"


@dataclass(frozen=True)
class GatheredSource:
    """A file or folder, and how it was gathered."""

    path: Path
    prefix: str = ""
    include: tuple[str, ...] = ()
    exclude: tuple[str, ...] = ()
    links: bool = False


class GatheredSources:
    """The sources of a workspace's corpus, read from and written to its file. A path inside the workspace's folder
    stands as it is from there."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder.resolve()
        self.path = folder / "gathered.csv"
        _, self._rows = read_rows(self.path, "path")

    def __iter__(self) -> Iterator[GatheredSource]:
        for path, row in self._rows.items():
            yield GatheredSource(
                self._folder / path,
                row.get("as", ""),
                _patterns(row.get("include", "")),
                _patterns(row.get("exclude", "")),
                row.get("links", "") == _FOLLOWED,
            )

    def add(self, sources: Sequence[GatheredSource]) -> None:
        """Notes sources; one that stands already is noted as it was gathered last."""
        for source in sources:
            whole = Path(os.path.abspath(source.path))
            inside = whole.is_relative_to(self._folder) and whole != self._folder
            name = str(whole.relative_to(self._folder) if inside else whole)
            self._rows[name] = {
                "as": source.prefix, "include": " ".join(source.include), "exclude": " ".join(source.exclude),
                "links": _FOLLOWED if source.links else "",
            }  # fmt: skip
        write_rows(self.path, _COLUMNS, [{"path": path, **row} for path, row in sorted(self._rows.items())])


def _patterns(cell: str) -> tuple[str, ...]:
    return tuple(cell.split())
