"""Halves of surrogate pairs: no characters, but JSON and some codecs let them into texts, where nothing can store them."""

from __future__ import annotations

import re
from typing import Any

HALF = re.compile("[\ud800-\udfff]")


def mended(text: str) -> str:
    """The text with U+FFFD in the place of each half, as is left where an emoji was cut in two."""
    return HALF.sub("\ufffd", text)


def mended_json(value: Any) -> Any:
    """A value of JSON, all its texts mended."""
    if isinstance(value, str):
        return mended(value)
    if isinstance(value, list):
        return value if set(map(type, value)) == {float} else [mended_json(each) for each in value]  # a vector
    if isinstance(value, dict):
        return {mended(name): mended_json(each) for name, each in value.items()}
    return value
