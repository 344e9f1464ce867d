"""HTML, by selectolax (the lexbor parser): the main content, without navigation, scripts and styles."""

from __future__ import annotations

from typing import Any

from selectolax.lexbor import LexborDocumentOptions, LexborHTMLParser, LexborNode

from ..documents import Document
from .builder import TextBuilder, folded
from .decoding import declared_in_html, decode


def _ids(names: str) -> frozenset[int]:
    """The parser's numbers of elements, which are quicker to ask for than their names."""
    page = LexborHTMLParser("")
    return frozenset(page.create_node(name).tag_id for name in names.split())


_TEXT = next(node.tag_id for node in LexborHTMLParser("x").css("body")[0].iter(include_text=True))
_DROPPED = _ids("script style title nav aside footer button select textarea noscript template svg iframe object head")
_VOID = _ids("br img")
_BLOCKS = _ids(
    """address article blockquote body center dd details dialog div dl dt fieldset figcaption figure form h1 h2
    h3 h4 h5 h6 header hr html li main ol p pre section summary table tbody td tfoot th thead tr ul"""
)
_PARTING = _BLOCKS | _DROPPED
_LISTS = _ids("ul ol")
_CELLS = _ids("td th")
_ROLES = frozenset({"navigation", "search", "banner", "contentinfo", "complementary", "doc-noteref"})
# What page generators put beside the text, and may write as any element.
_CLASSES = frozenset({"headerlink", "footnote-reference", "navheader", "navfooter"})
_MARKED = "[role], [hidden], " + ", ".join(f"[class~={name}]" for name in sorted(_CLASSES))
_PROSE = "p, h1, h2, h3, h4, pre, table, main, article"  # what a form of a few fields does not hold
_HEADINGS = {f"h{level}": level for level in range(1, 7)}
_META = {"author": "author", "date": "date", "dcterms.date": "date", "description": "description"}


def read_html(name: str, data: bytes) -> Document:
    """Reads a page of any encoding."""
    text, encoding = decode(data, declared_in_html(data))
    page = _parse(text)
    meta: dict[str, Any] = {"format": "html", "encoding": encoding}
    language = page.root.attrs.sget("lang") if page.root else ""
    if language:
        meta["language"] = language
    for element in page.css("meta[name][content]"):
        field = _META.get(element.attrs.sget("name").lower())
        value = folded(element.attrs.sget("content"))
        if field and value:
            meta[field] = value
    named = page.css_first("title")
    title = named.text() if named else ""
    builder = TextBuilder()
    _write(builder, page)
    return builder.finish(name, title=title, meta=meta)


def write_html(builder: TextBuilder, text: str) -> None:
    """Writes a page's main content into a builder."""
    _write(builder, _parse(text))


def _parse(text: str) -> LexborHTMLParser:
    # A document type comes first, so that every page is read by the same rules (a table ends a paragraph).
    page = "<!doctype html>" + text
    return LexborHTMLParser(page.encode("utf-8", "replace"), options=LexborDocumentOptions.WO_EVENTS)


def _write(builder: TextBuilder, page: LexborHTMLParser) -> None:
    for element in page.css(_MARKED):
        if element.tag not in ("html", "body") and _beside(element.attributes):
            element.decompose()
    content = _content(page)
    if content is not None:
        _Walk(builder).children(content)


def _beside(attributes: dict[str, str | None]) -> bool:
    """Whether an element's attributes say that it is no content."""
    classes = (attributes.get("class") or "").split()
    return attributes.get("role") in _ROLES or "hidden" in attributes or not _CLASSES.isdisjoint(classes)


def _content(page: LexborHTMLParser) -> LexborNode | None:
    """The element with the page's own content: the only <main> or role=main, or else the body."""
    found = page.css("main, [role=main]")
    if len(found) == 1 and len("".join(found[0].text().split(maxsplit=41)[:41])) > 40:
        return found[0]
    return page.body or page.root


def _text(element: LexborNode) -> str:
    """All text under an element, on one line."""
    pieces: list[str] = []
    nodes = element.traverse(include_text=True)
    next(nodes)  # the element itself
    for node in nodes:
        tag = node.tag_id
        if tag == _TEXT:
            pieces.append(node.text_content or "")
        elif tag in _VOID:
            pieces.append(_void(node))
        elif tag in _PARTING:
            pieces = []
            _collect(element, pieces)
            break
    return folded("".join(pieces))


def _collect(element: LexborNode, pieces: list[str]) -> None:
    """The text under an element that holds blocks, which blanks part, or what is dropped."""
    for child in element.iter(include_text=True):
        tag = child.tag_id
        if tag == _TEXT:
            pieces.append(child.text_content or "")
        elif tag in _BLOCKS:
            pieces.append(" ")
            _collect(child, pieces)
            pieces.append(" ")
        elif tag in _VOID:
            pieces.append(_void(child))
        elif tag not in _DROPPED:
            _collect(child, pieces)


def _void(element: LexborNode) -> str:
    """What stands for a line break or a picture in a text."""
    return " " if element.tag == "br" else element.attrs.sget("alt")


def _code(element: LexborNode) -> str:
    """The text of preformatted lines as it stands; pictures in it are marks that belong to no line."""
    for control in element.css("button, script, style, svg, select, textarea"):
        control.decompose()
    pieces: list[str] = []
    for node in element.traverse(include_text=True):
        if node.tag_id == _TEXT:
            pieces.append(node.text_content or "")
        elif node.tag == "br":
            pieces.append("\n")
    return "".join(pieces)


class _Walk:
    """Goes through the tree, gathering inline text into paragraphs between blocks."""

    def __init__(self, builder: TextBuilder) -> None:
        self.builder = builder
        self.inline: list[str] = []

    def flush(self) -> None:
        if self.inline:
            self.builder.paragraph("".join(self.inline))
            self.inline = []

    def children(self, element: LexborNode) -> None:
        self.inside(element)
        self.flush()

    def inside(self, element: LexborNode) -> None:
        for child in element.iter(include_text=True):
            tag = child.tag_id
            if tag == _TEXT:
                text = child.text_content or ""
                if self.inline or not text.isspace():
                    self.inline.append(text)
            elif tag in _BLOCKS:
                self.flush()
                self.block(child, child.tag or "")
            elif tag in _VOID:
                self.inline.append(_void(child))
            elif tag not in _DROPPED:
                self.inside(child)

    def block(self, element: LexborNode, tag: str) -> None:
        if tag == "p":  # holds no other block: where one begins, a paragraph ends
            self.builder.paragraph(_text(element))
        elif tag in _HEADINGS:
            self.builder.heading(_text(element), _HEADINGS[tag])
        elif tag == "pre":
            self.builder.code(_code(element))
        elif tag in ("ul", "ol") and not _holds_blocks(element):
            self.builder.items(_items(element, 0))
        elif tag == "table" and len(element.css("table")) == 1:
            self.table(element)
        elif tag != "form" or element.css_first(_PROSE) is not None:
            self.children(element)

    def table(self, element: LexborNode) -> None:
        header, rows, caption = _grid(element)
        if not header and max((len(row) for row in rows), default=0) < 2:
            for row in rows:
                for cell in row:
                    self.builder.paragraph(cell)
        else:
            self.builder.table(header, rows, caption)


def _holds_blocks(element: LexborNode) -> bool:
    """Whether list items hold structure that a list of lines would lose."""
    return element.css_first("table, pre, h1, h2, h3, h4, dl, li > p ~ p") is not None


def _items(element: LexborNode, depth: int) -> list[tuple[int, str]]:
    """The rows of a list: each item's own text, and behind it those of the lists in it."""
    rows: list[tuple[int, str]] = []
    for child in element.iter(include_text=True, skip_empty=True):
        tag = child.tag_id
        if tag in _LISTS:
            rows.extend(_items(child, depth + 1))
        elif tag == _TEXT:
            rows.append((depth, child.text_content or ""))
        elif tag not in _DROPPED:
            rows.extend(_item(child, depth))
    return rows


def _item(element: LexborNode, depth: int) -> list[tuple[int, str]]:
    lists = [child for child in element.iter() if child.tag_id in _LISTS]
    below = [row for each in lists for row in _items(each, depth + 1)]
    for each in lists:
        each.replace_with(" ")
    return [(depth, _text(element)), *below]


def _grid(element: LexborNode) -> tuple[list[str], list[list[str]], str]:
    """Header words, body rows and caption; a cell over several rows or columns stands in each of them."""
    lines: list[list[str]] = []
    held: dict[tuple[int, int], str] = {}
    heads: list[bool] = []
    for number, row in enumerate(element.css("tr")):
        cells = [cell for cell in row.iter() if cell.tag_id in _CELLS]
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
        in_head = row.parent is not None and row.parent.tag == "thead"
        heads.append(bool(cells) and (in_head or all(cell.tag == "th" for cell in cells)))
    header: list[str] = []
    while lines and heads[0] and len(lines) > 1:
        line = lines.pop(0)
        heads.pop(0)
        header = _joined_header(header, line)
    caption = element.css_first("caption")
    return header, lines, "" if caption is None else _text(caption)


def _joined_header(upper: list[str], lower: list[str]) -> list[str]:
    """Header words of two header rows, one over the other."""
    if not upper:
        return lower
    wide = max(len(upper), len(lower))
    upper = upper + [""] * (wide - len(upper))
    lower = lower + [""] * (wide - len(lower))
    return [a if a == b or not b else f"{a} {b}".strip() for a, b in zip(upper, lower)]


def _extent(cell: LexborNode, name: str) -> int:
    value = cell.attrs.sget(name) or "1"
    return max(1, min(100, int(value))) if value.isdigit() else 1
