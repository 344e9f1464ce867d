"""Markdown (CommonMark with tables), by cmark: turned into HTML, which is read as a page is."""

from __future__ import annotations

import re
from typing import Any

from cmarkgfm import markdown_to_html_with_extensions
from cmarkgfm.cmark import Options

from ..documents import Document
from .builder import TextBuilder
from .decoding import decode
from .html import write_html
from .records import typed

_EXTENSIONS = ["table", "strikethrough", "tasklist"]
_FRONT = re.compile(r"\A---[ \t]*\n(.*?)\n(?:---|\.\.\.)[ \t]*\n", re.DOTALL)


def read_markdown(name: str, data: bytes) -> Document:
    """Reads Markdown. `key: value` lines of a leading block between `---` lines become metadata."""
    text, encoding = decode(data)
    meta: dict[str, Any] = {"format": "markdown", "encoding": encoding}
    front = _FRONT.match(text)
    if front:
        text = text[front.end() :]
        for line in front[1].splitlines():
            key, colon, value = line.partition(":")
            if colon and key.strip().isidentifier():
                meta[key.strip()] = _value(value.strip())
    page = markdown_to_html_with_extensions(text, Options.CMARK_OPT_UNSAFE, extensions=_EXTENSIONS)
    builder = TextBuilder()
    write_html(builder, page)
    return builder.finish(name, title=str(meta.get("title", "")), meta=meta)


def _value(text: str) -> Any:
    """A value of the leading block: what stands in quotation marks is a text, what stands in brackets a list."""
    if len(text) > 1 and text[0] == text[-1] and text[0] in "\"'":
        return text[1:-1]
    if text.startswith("[") and text.endswith("]"):
        return [entry.strip().strip("\"'") for entry in text[1:-1].split(",") if entry.strip()]
    return typed(text)
