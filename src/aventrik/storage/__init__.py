"""Where documents, results, arrays, calls and runs are kept. All SQL of the program stands in this folder.

Callers see the small protocols of `protocols`; `open_store` gives the store of an address.
"""

from __future__ import annotations

from pathlib import Path

from .protocols import Store


def open_store(address: Path) -> Store:
    """The store in a workspace's folder `.aventrik`, made when it is missing; raises `BadInput` or `Unavailable`."""
    from .embedded import EmbeddedStore

    return EmbeddedStore(address)
