"""Markdown (CommonMark with tables), by markdown-it-py."""

from __future__ import annotations

import re
from typing import Any

from markdown_it import MarkdownIt
from markdown_it.token import Token

from ..documents import Document
from .builder import TextBuilder
from .decoding import decode
from .html import fold_markup
from .records import typed

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
    builder = TextBuilder()
    tokens = MarkdownIt("commonmark").enable("table").parse(text)
    _blocks(builder, tokens)
    return builder.finish(name, title=str(meta.get("title", "")), meta=meta)


def _value(text: str) -> Any:
    """A value of the leading block: what stands in quotation marks is a text, what stands in brackets a list."""
    if len(text) > 1 and text[0] == text[-1] and text[0] in "\"'":
        return text[1:-1]
    if text.startswith("[") and text.endswith("]"):
        return [entry.strip().strip("\"'") for entry in text[1:-1].split(",") if entry.strip()]
    return typed(text)


def _inline(token: Token) -> str:
    pieces: list[str] = []
    for child in token.children or ():
        if child.type in ("text", "code_inline"):
            pieces.append(child.content)
        elif child.type in ("softbreak", "hardbreak"):
            pieces.append(" ")
        elif child.type == "image":
            pieces.append(child.content)
    return "".join(pieces)


def _blocks(builder: TextBuilder, tokens: list[Token]) -> None:
    place = 0
    while place < len(tokens):
        token = tokens[place]
        if token.type == "heading_open":
            builder.heading(_inline(tokens[place + 1]), int(token.tag[1]))
        elif token.type == "paragraph_open":
            builder.paragraph(_inline(tokens[place + 1]))
        elif token.type in ("fence", "code_block"):
            builder.code(token.content)
        elif token.type == "html_block":
            builder.paragraph(fold_markup(token.content))
        elif token.type in ("bullet_list_open", "ordered_list_open"):
            place = _list(builder, tokens, place)
        elif token.type == "table_open":
            place = _table(builder, tokens, place)
        place += 1


def _list(builder: TextBuilder, tokens: list[Token], place: int) -> int:
    """Writes the list that opens at `place`; returns the place of its closing token."""
    rows: list[tuple[int, str]] = []
    opening = tokens[place].level
    closing = tokens[place].type.replace("_open", "_close")
    depth = -1
    fresh = False
    while True:
        token = tokens[place]
        if token.type.endswith("_list_open"):
            depth += 1
        elif token.type.endswith("_list_close"):
            depth -= 1
        elif token.type == "list_item_open":
            fresh = True
        elif token.type in ("inline", "fence", "code_block"):
            content = _inline(token) if token.type == "inline" else token.content
            if fresh or not rows:
                rows.append((depth, content))
            else:
                rows[-1] = (rows[-1][0], f"{rows[-1][1]} {content}")
            fresh = False
        if token.type == closing and token.level == opening:
            builder.items(rows)
            return place
        place += 1


def _table(builder: TextBuilder, tokens: list[Token], place: int) -> int:
    rows: list[list[str]] = []
    while tokens[place].type != "table_close":
        if tokens[place].type == "tr_open":
            rows.append([])
        elif tokens[place].type == "inline":
            rows[-1].append(_inline(tokens[place]))
        place += 1
    builder.table(rows[0], rows[1:])
    return place
