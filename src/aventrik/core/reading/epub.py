"""EPUB: its pages in the order of the spine, read as HTML."""

from __future__ import annotations

import posixpath
from typing import Any
from urllib.parse import unquote

from lxml import etree

from ..documents import Document
from ..errors import Unreadable
from .builder import TextBuilder
from .decoding import declared_in_html, decode
from .html import write_html
from .zipped import member, opened


def read_epub(name: str, data: bytes) -> Document:
    """Reads an EPUB; raises `Unreadable` for one that is no sound one."""
    container = opened(data, "EPUB")
    root = _parsed(member(container, "META-INF/container.xml", "EPUB"))
    paths = root.xpath("//*[local-name()='rootfile']/@full-path")
    if not paths:
        raise Unreadable("it is no sound EPUB: it names no package")
    package = _parsed(member(container, str(paths[0]), "EPUB"))
    folder = posixpath.dirname(str(paths[0]))
    items = {each.get("id"): each.get("href") for each in package.xpath("//*[local-name()='item']")}
    builder = TextBuilder()
    for reference in package.xpath("//*[local-name()='itemref']/@idref"):
        href = items.get(reference)
        if href:
            body = member(container, posixpath.normpath(posixpath.join(folder, unquote(href))), "EPUB")
            text, _ = decode(body, declared_in_html(body))
            write_html(builder, text)
    meta: dict[str, Any] = {"format": "epub"}
    for field, key in (("creator", "author"), ("language", "language"), ("date", "date")):
        found = package.xpath(f"//*[local-name()='{field}']/text()")
        if found:
            meta[key] = str(found[0])
    titles = package.xpath("//*[local-name()='metadata']/*[local-name()='title']/text()")
    return builder.finish(name, title=str(titles[0]) if titles else "", meta=meta)


def _parsed(data: bytes) -> Any:
    try:
        return etree.fromstring(data, etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=False))
    except etree.XMLSyntaxError as error:
        raise Unreadable(f"it is no sound EPUB ({error.msg})") from None
