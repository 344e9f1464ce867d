"""HTML, by lxml: the main content, without navigation, scripts and styles."""

from __future__ import annotations

from typing import Any

from lxml import etree, html

from ..documents import Document
from ..errors import Unreadable
from .builder import TextBuilder, folded
from .decoding import declared_in_html, decode

_DROPPED = frozenset(
    """script style nav aside footer form button select textarea noscript template svg iframe object head
""".split()
)
_ROLES = frozenset({"navigation", "search", "banner", "contentinfo", "complementary"})
_CLASSES = frozenset({"headerlink", "footnote-reference"})  # marks that page generators put beside the text
_HEADINGS = {f"h{level}": level for level in range(1, 7)}
_BLOCKS = frozenset(
    """address article blockquote body center dd details dialog div dl dt fieldset figcaption figure footer h1 h2
    h3 h4 h5 h6 header hr html li main ol p pre section summary table tbody td tfoot th thead tr ul""".split()
)
_META = {"author": "author", "date": "date", "dcterms.date": "date", "description": "description"}


def read_html(name: str, data: bytes) -> Document:
    """Reads a page of any encoding; raises `Unreadable` when it holds no text."""
    text, encoding = decode(data, declared_in_html(data))
    tree = _parse(text)
    if tree is None:
        raise Unreadable("it holds no HTML element")
    meta: dict[str, Any] = {"format": "html", "encoding": encoding}
    if tree.get("lang"):
        meta["language"] = tree.get("lang")
    for element in tree.iter("meta"):
        field = _META.get((element.get("name") or "").lower())
        if field and element.get("content"):
            meta[field] = folded(element.get("content"))
    title = tree.findtext(".//title") or ""
    builder = TextBuilder()
    _Walk(builder).children(_content(tree))
    return builder.finish(name, title=title, meta=meta)


def write_html(builder: TextBuilder, text: str) -> None:
    """Writes a page's main content into a builder."""
    tree = _parse(text)
    if tree is not None:
        _Walk(builder).children(_content(tree))


def fold_markup(markup: str) -> str:
    """The text of a fragment of HTML on one line, for HTML inside other formats."""
    tree = _parse(f"<div>{markup}</div>")
    return "" if tree is None else _text(tree)


def _parse(text: str) -> Any:
    parser = html.HTMLParser(encoding="utf-8", remove_comments=True, remove_pis=True, huge_tree=True)
    try:
        return html.document_fromstring(text.encode("utf-8", "surrogatepass"), parser=parser)
    except etree.ParserError:
        return None


def _content(tree: Any) -> Any:
    """The element with the page's own content: the only <main> or role=main, or else the body."""
    found = tree.xpath("//main | //*[@role='main']")
    if len(found) == 1 and len(_text(found[0])) > 40:
        return found[0]
    body = tree.find("body")
    return tree if body is None else body


def _dropped(element: Any) -> bool:
    tag = element.tag
    if tag in _DROPPED or not isinstance(tag, str):
        return True
    attributes = element.attrib
    if not attributes:
        return False
    role = attributes.get("role")
    return (
        (role is not None and (role in _ROLES or role == "doc-noteref"))
        or "hidden" in attributes
        or ("class" in attributes and not _CLASSES.isdisjoint(attributes["class"].split()))
    )


def _text(element: Any) -> str:
    """All text under an element that is not dropped, on one line."""
    pieces: list[str] = []

    def collect(node: Any) -> None:
        if node.tag == "br":
            pieces.append(" ")
        if node.text:
            pieces.append(node.text)
        for child in node:
            if not _dropped(child):
                block = child.tag in _BLOCKS
                if block:
                    pieces.append(" ")
                collect(child)
                if block:
                    pieces.append(" ")
            if child.tail:
                pieces.append(child.tail)

    collect(element)
    return folded("".join(pieces))


class _Walk:
    """Goes through the tree, gathering inline text into paragraphs between blocks."""

    def __init__(self, builder: TextBuilder) -> None:
        self.builder = builder
        self.inline: list[str] = []

    def flush(self) -> None:
        if self.inline:
            self.builder.paragraph("".join(self.inline))
            self.inline = []

    def children(self, element: Any) -> None:
        if element.text:
            self.inline.append(element.text)
        for child in element:
            if not _dropped(child):
                self.element(child)
            if child.tail:
                self.inline.append(child.tail)
        if element.tag in _BLOCKS:
            self.flush()

    def element(self, element: Any) -> None:
        tag = element.tag
        if tag not in _BLOCKS:
            if tag == "br":
                self.inline.append(" ")
            elif tag == "img":
                self.inline.append(element.get("alt") or "")
            else:
                self.children(element)
            return
        self.flush()
        if tag in _HEADINGS:
            self.builder.heading(_text(element), _HEADINGS[tag])
        elif tag == "pre":
            self.builder.code("".join(element.itertext()))
        elif tag in ("ul", "ol") and not _holds_blocks(element):
            self.builder.items(_items(element, 0))
        elif tag == "table" and not element.xpath(".//table"):
            self.table(element)
        else:
            self.children(element)

    def table(self, element: Any) -> None:
        header, rows, caption = _grid(element)
        if not header and max((len(row) for row in rows), default=0) < 2:
            for row in rows:
                for cell in row:
                    self.builder.paragraph(cell)
        else:
            self.builder.table(header, rows, caption)


def _holds_blocks(element: Any) -> bool:
    """Whether list items hold structure that a list of lines would lose."""
    return bool(element.xpath(".//table | .//pre | .//h1 | .//h2 | .//h3 | .//h4 | .//li/p[2] | .//dl"))


def _items(element: Any, depth: int) -> list[tuple[int, str]]:
    rows: list[tuple[int, str]] = []
    for child in element:
        if child.tag != "li" or _dropped(child):
            continue
        nested = [sub for sub in child if sub.tag in ("ul", "ol")]
        for sub in nested:
            child.remove(sub)
        rows.append((depth, _text(child)))
        for sub in nested:
            rows.extend(_items(sub, depth + 1))
    return rows


def _grid(element: Any) -> tuple[list[str], list[list[str]], str]:
    """Header words, body rows and caption; a cell over several rows or columns stands in each of them."""
    lines: list[list[str]] = []
    held: dict[tuple[int, int], str] = {}
    heads: list[bool] = []
    for number, row in enumerate(element.iter("tr")):
        cells = [cell for cell in row if cell.tag in ("td", "th")]
        line: list[str] = []
        for cell in cells:
            while (number, len(line)) in held:
                line.append(held[number, len(line)])
            value = _text(cell)
            wide, tall = _extent(cell, "colspan"), _extent(cell, "rowspan")
            for step in range(1, tall):
                for column in range(len(line), len(line) + wide):
                    held[number + step, column] = value
            line.extend([value] * wide)
        while (number, len(line)) in held:
            line.append(held[number, len(line)])
        lines.append(line)
        in_head = row.getparent() is not None and row.getparent().tag == "thead"
        heads.append(bool(cells) and (in_head or all(cell.tag == "th" for cell in cells)))
    header: list[str] = []
    while lines and heads[0] and len(lines) > 1:
        line = lines.pop(0)
        heads.pop(0)
        header = _joined_header(header, line)
    caption = element.find("caption")
    return header, lines, "" if caption is None else _text(caption)


def _joined_header(upper: list[str], lower: list[str]) -> list[str]:
    """Header words of two header rows, one over the other."""
    if not upper:
        return lower
    wide = max(len(upper), len(lower))
    upper = upper + [""] * (wide - len(upper))
    lower = lower + [""] * (wide - len(lower))
    return [a if a == b or not b else f"{a} {b}".strip() for a, b in zip(upper, lower)]


def _extent(cell: Any, name: str) -> int:
    value = cell.get(name) or "1"
    return max(1, min(100, int(value))) if value.isdigit() else 1
