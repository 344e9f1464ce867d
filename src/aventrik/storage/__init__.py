"""Where documents, results, arrays, calls and runs are kept. All SQL of the program stands in this folder.

Callers see the small protocols of `protocols`; `open_store` gives the store of an address.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..core.errors import MissingExtra
from .protocols import Progress, Store


@dataclass(frozen=True)
class Address:
    """Where a store is: its `folder`, in which all of it stands, or arrays alone; or `server`, the address of a PostgreSQL
    database, with a `schema` in it. `arrays` is another folder for arrays, or an `fsspec` address, for which `folder` has
    copies. `patience` is how many seconds a connection that was lost is waited for."""

    folder: Path
    server: str = ""
    schema: str = "aventrik"
    arrays: str = ""
    patience: float = 60.0

    def __str__(self) -> str:
        return self.server or str(self.folder)


def open_store(address: Address | Path) -> Store:
    """The store at an address (a folder alone means all of it stands there), laid out when it is missing; raises
    `BadInput` or `Unavailable`."""
    from .arrays import FolderArrays

    if isinstance(address, Path):
        address = Address(address)
    if not address.server and not address.arrays:
        from .embedded import EmbeddedStore

        return EmbeddedStore(address.folder)
    if "://" in address.arrays:
        from .mirrored import MirroredArrays

        arrays: FolderArrays = MirroredArrays(address.folder / "arrays", address.arrays)
    else:
        arrays = FolderArrays(Path(address.arrays) if address.arrays else address.folder / "arrays")
    if not address.server:
        from .embedded import EmbeddedStore

        return EmbeddedStore(address.folder, arrays)
    try:
        from .server import ServerStore
    except ImportError:
        raise MissingExtra("a store on a server ([store] address)", "postgres") from None
    return ServerStore(address.server, address.schema, address.patience, arrays)


def copied(
    source: Store, target: Store, progress: Progress, tables: Sequence[str] = (), backwards: bool = False
) -> dict[str, int]:
    """Copies all that a store holds into another that is empty, or filled in part by such a copying; returns the rows of
    each table, and how many keys have arrays. With `tables` these alone, and no arrays; `backwards` puts rows in in reverse
    order. Raises `BadInput` where the other holds something of its own."""
    from .tables.copying import move

    made = move(_tables(source), _tables(target), progress, tables, backwards)
    if tables:
        return made
    _tables(target).numbered_on()
    keys = source.arrays.keys()
    for number, key in enumerate(keys):
        target.arrays.take(key, source.arrays)
        progress("arrays", number + 1, len(keys))
    return made | {"arrays": len(keys)}


def _tables(store: Store) -> Any:
    """The database under a store: nobody outside this folder has use for it."""
    return store.database  # type: ignore[attr-defined]
