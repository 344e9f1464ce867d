"""How values stand in rows: JSON, compressed; and what is no longer that."""

from __future__ import annotations

import json
import zlib
from typing import Any

import orjson
import zstandard

from ..core.errors import Damaged

_ROW = "a row of the store is not what was written there; 'aventrik store --check' looks through all of it"


def packed(value: Any) -> bytes:
    """A JSON-able value as compressed bytes; equal values give equal bytes."""
    body = json.dumps(value, ensure_ascii=False, separators=(",", ":"))
    return compressed(body.encode("utf-8", "surrogatepass"))


def compressed(body: bytes) -> bytes:
    """Bytes of JSON, compressed."""
    return zstandard.compress(body, 1)


def decompressed(body: bytes) -> bytes:
    """The inverse of `compressed`, and of zlib, by which a store of format 1 was written; raises `Damaged`."""
    try:
        return zstandard.decompress(body) if body.startswith(zstandard.FRAME_HEADER) else zlib.decompress(body)
    except (zstandard.ZstdError, zlib.error, AttributeError, TypeError, MemoryError):
        raise Damaged(_ROW) from None


def unpacked(body: bytes) -> Any:
    """The value of what `packed` or `compressed` gave; raises `Damaged`."""
    plain = decompressed(body)
    try:
        return orjson.loads(plain)
    except orjson.JSONDecodeError:  # it does not know NaN, nor half of a surrogate pair
        return loads(plain)


def loads(body: str | bytes) -> Any:
    """The value of plain JSON in a row; raises `Damaged`."""
    try:
        return json.loads(body if isinstance(body, str) else body.decode("utf-8", "surrogatepass"))
    except (ValueError, TypeError, AttributeError, RecursionError):
        raise Damaged(_ROW) from None
