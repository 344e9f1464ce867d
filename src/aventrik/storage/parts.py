"""What a worker has made of some documents, as one file: a line that tells its columns, then the bytes of each, as a
collection has them, so that they are copied into one unseen."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np
import numpy.typing as npt

from ..core.errors import BadInput
from .growing import size_of
from .protocols import Collection, Columns

_ALIGNED = 64  # bytes; the first line is filled up to a multiple of it


def packed(rows: Sequence[Columns]) -> Iterator[bytes]:
    """The bytes of a part, piece by piece. Raises `BadInput` where a number is not finite."""
    columns, sizes, bodies = {}, {}, []
    for name in rows[0]:
        like = next((row[name] for row in rows if len(row[name])), rows[0][name])
        whole = np.concatenate([row[name] for row in rows if len(row[name])] or [like])
        if whole.dtype.kind == "f" and not np.isfinite(whole).all():
            raise BadInput(f"what was made of a document holds a number that is not finite ({name})")
        columns[name] = {"dtype": whole.dtype.str, "shape": list(whole.shape[1:])}
        sizes[name] = [len(row[name]) for row in rows]
        bodies.append(whole)
    line = json.dumps({"columns": columns, "sizes": sizes}).encode()
    yield line + b" " * (-(len(line) + 1) % _ALIGNED) + b"\n"
    for body in bodies:
        yield np.ascontiguousarray(body).tobytes()


def opened(path: Path) -> Collection | None:
    """The part in a file, memory-mapped and without the keys of its documents; None where there is none that is whole."""
    try:
        with open(path, "rb") as file:
            line = file.readline()
            length = path.stat().st_size
        head = json.loads(line)
        columns: Columns = {}
        ends: dict[str, npt.NDArray[np.int64]] = {}
        place = len(line)
        for name, column in head["columns"].items():
            ends[name] = np.cumsum([0, *head["sizes"][name]], dtype=np.int64)
            rows, kind = int(ends[name][-1]), np.dtype(column["dtype"])
            size, shape = size_of(column, rows), (rows, *column["shape"])
            if place + size > length:
                return None
            columns[name] = np.memmap(path, kind, "r", place, shape) if size else np.zeros(shape, kind)
            place += size
    except (OSError, ValueError, KeyError, TypeError):
        return None
    return Collection(np.zeros(0, "S1"), columns, ends) if place == length else None
