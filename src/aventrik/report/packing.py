"""A part of a page that is read when it is asked for: JSON, compressed, in letters."""

from __future__ import annotations

import base64
import gzip
from typing import Any

import orjson

from ..core.surrogates import mended_json
from ..core.visible import hidden, visible


def json_of(value: Any) -> str:
    """A value as JSON in whose texts nothing is hidden: marks of direction and the like stand as what they are called, halves of
    surrogate pairs are replaced, NaN is null."""
    try:
        body = orjson.dumps(value, option=orjson.OPT_NON_STR_KEYS).decode()
    except TypeError:  # half of a surrogate pair, which it does not know
        body = orjson.dumps(mended_json(value), option=orjson.OPT_NON_STR_KEYS).decode()
    made, last = [], 0
    for place in hidden(body):
        made += [body[last:place], visible(body[place]).replace("\\", "\\\\")]
        last = place + 1
    return "".join([*made, body[last:]])


def packed(value: Any) -> str:
    """The part: the same value gives the same letters."""
    return base64.b64encode(gzip.compress(json_of(value).encode(), 6, mtime=0)).decode()
