"""Work that makes very many objects of which none is garbage."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def not_collected() -> Iterator[None]:
    """While it lasts nothing looks for garbage, which takes as long as making so many objects does."""
    collecting = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if collecting:
            gc.enable()
