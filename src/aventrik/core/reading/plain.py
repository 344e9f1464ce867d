"""Plain text: paragraphs at blank lines, headings where a line is underlined, lists by their marks."""

from __future__ import annotations

import re

from ..documents import Document
from .builder import TextBuilder
from .decoding import decode

_RULE = re.compile(r"^\s*([=\-~^*#])\1{2,}\s*$")
_GAP = re.compile(r"\n(?:[^\S\n]*\n)+")
_COLUMNS = re.compile(r"\S {3,}\S")
_BULLETS = frozenset("-*•+0123456789")
_MARK = re.compile(r"(?:[-*•+]|\d{1,3}[.)])[^\S\n]+\S")
_ITEM = re.compile(r"^(\s*)(?:[-*•+]|\d{1,3}[.)])\s+(\S.*)$")


def read_plain(name: str, data: bytes) -> Document:
    """Reads plain text of any encoding that `decode` knows."""
    text, encoding = decode(data)
    builder = TextBuilder()
    if "\t" in text or "\f" in text:
        text = text.replace("\f", " ").expandtabs(4)
    for block in _GAP.split(text):
        _write(builder, block)
    return builder.finish(name, meta={"format": "text", "encoding": encoding})


def _write(builder: TextBuilder, block: str) -> None:
    """Writes a block as what it is; most are paragraphs, which the quick looks at its characters tell."""
    if _ruled(block):
        lines = _lines(block)
        if len(lines) >= 2 and _RULE.match(lines[1]) and len(lines[0]) < 120:
            builder.heading(lines[0], 1 if lines[1].strip()[0] in "=#*" else 2)
            lines = lines[2:]
        block = "\n".join(line for line in lines if not _RULE.match(line))
    body = block.lstrip()
    if body[:1] in _BULLETS and _MARK.match(body):
        builder.items(_items(_lines(block)))
    elif "   " in body and _in_columns(body.split("\n")):
        builder.code("\n".join(_lines(block)))
    else:
        builder.paragraph(block)


def _lines(block: str) -> list[str]:
    return [line.rstrip() for line in block.split("\n") if line.strip()]


def _ruled(block: str) -> bool:
    """Whether three characters of a rule stand in a block."""
    if "===" in block or "---" in block or "~~~" in block:
        return True
    return "^^^" in block or "***" in block or "###" in block


def _in_columns(lines: list[str]) -> bool:
    """Whether more than half of the lines, at least three, have three blanks between words."""
    if len(lines) < 3 or "   " not in "\n".join(map(str.strip, lines)):
        return False
    return sum(bool(_COLUMNS.search(line)) for line in lines) > len(lines) / 2


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
