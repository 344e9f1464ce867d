"""Plain text: paragraphs at blank lines, headings where a line is underlined, lists by their marks."""

from __future__ import annotations

import re

from ..documents import Document
from .builder import TextBuilder
from .decoding import decode

_RULE = re.compile(r"^\s*([=\-~^*#])\1{2,}\s*$")
_GAP = re.compile(r"\n(?:[^\S\n]*\n)+")
_COLUMNS = re.compile(r"\S {3,}\S")
# What a rule, an item or a table of columns has at the least; all else is a paragraph.
_MARKED = re.compile(r"^[^\S\n]*([=\-~^*#])\1\1|\A\s*(?:[-*•+]|\d{1,3}[.)])\s|\S {3,}\S", re.MULTILINE)
_ITEM = re.compile(r"^(\s*)(?:[-*•+]|\d{1,3}[.)])\s+(\S.*)$")


def read_plain(name: str, data: bytes) -> Document:
    """Reads plain text of any encoding that `decode` knows."""
    text, encoding = decode(data)
    builder = TextBuilder()
    plain = text.replace("\f", " ").expandtabs(4)
    for block in _GAP.split(plain):
        if block.strip():
            _write(builder, block.strip("\n"))
    return builder.finish(name, meta={"format": "text", "encoding": encoding})


def _write(builder: TextBuilder, body: str) -> None:
    if not _MARKED.search(body):  # most blocks are plain paragraphs
        builder.paragraph(body)
        return
    block = body.split("\n")
    if len(block) >= 2 and _RULE.match(block[1]) and len(block[0]) < 120:
        builder.heading(block[0], 1 if block[1].strip()[0] in "=#*" else 2)
        block = block[2:]
    block = [line for line in block if not _RULE.match(line)]
    if not block:
        return
    if _ITEM.match(block[0]):
        builder.items(_items(block))
    elif len(block) > 2 and sum(bool(_COLUMNS.search(line)) for line in block) > len(block) / 2:
        builder.code("\n".join(line.rstrip() for line in block))
    else:
        builder.paragraph("\n".join(block))


def _items(block: list[str]) -> list[tuple[int, str]]:
    rows: list[tuple[int, str]] = []
    margin = len(block[0]) - len(block[0].lstrip())
    for line in block:
        found = _ITEM.match(line)
        if found:
            rows.append((min(5, max(0, len(found[1]) - margin) // 2), found[2]))
        else:
            depth, before = rows[-1]
            rows[-1] = (depth, f"{before} {line.strip()}")
    return rows
