"""The one codec for what stages return: frozen dataclasses to JSON and back. Equal records give equal bytes."""

from __future__ import annotations

import hashlib
import json
from dataclasses import fields, is_dataclass
from functools import lru_cache
from typing import Any

import orjson
from pydantic import TypeAdapter, ValidationError

from ..core.errors import Damaged


def encode(record: Any) -> bytes:
    """A record as JSON."""
    try:
        return orjson.dumps(record)
    except TypeError:  # half of a surrogate pair, which it does not know
        body = json.dumps(record, ensure_ascii=False, separators=(",", ":"), default=_plain)
        return body.encode("utf-8", "surrogatepass")


def _plain(value: Any) -> Any:
    if is_dataclass(value) and not isinstance(value, type):
        return {each.name: getattr(value, each.name) for each in fields(value)}
    return value.item()  # a number of numpy's


def decode(kind: type, body: bytes) -> Any:
    """The record of a kind again; raises `Damaged` for JSON that is not of that kind."""
    adapter = _adapter(kind)
    try:
        return adapter.validate_json(body)
    except ValidationError:
        try:
            return adapter.validate_python(json.loads(body.decode("utf-8", "surrogatepass")))
        except (ValueError, RecursionError):
            raise Damaged(
                f"the store: a result is no {kind.__name__}; 'aventrik store --clean' drops what no run refers to"
            ) from None


def digest(body: bytes) -> str:
    """What names a value: 40 hex digits of its SHA-256."""
    return hashlib.sha256(body).hexdigest()[:40]


@lru_cache(maxsize=64)
def _adapter(kind: type) -> TypeAdapter[Any]:
    return TypeAdapter(kind)
