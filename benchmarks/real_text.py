"""Real text for benchmarks: HTML and text files of the documentation installed on this machine."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path

from aventrik.core.chunking import Cutting, chunk
from aventrik.core.documents import Document
from aventrik.core.errors import Unreadable
from aventrik.core.reading import read

FOLDERS = ("/usr/share/doc", "/usr/share/perl", "/usr/lib/python3", "/usr/lib/python3.11")


def documents(folders: tuple[str, ...] = FOLDERS) -> Iterator[Document]:
    """Every readable HTML, Markdown and text file below the folders, in order of path, copies left out."""
    seen: set[str] = set()
    for folder in folders:
        for path in sorted(Path(folder).rglob("*")):
            if path.suffix not in (".html", ".txt", ".md", ".rst") or not path.is_file() or path.is_symlink():
                continue
            try:
                document = read(str(path), path.read_bytes())
            except (Unreadable, OSError, RecursionError):
                continue
            if document.text not in seen:
                seen.add(document.text)
                yield document


def chunks(count: int, size: int = 600) -> list[str]:
    """The first `count` paragraph chunks of real text; ends the program when the machine holds too little."""
    texts: list[str] = []
    for document in documents():
        for ranges in chunk(document, Cutting("paragraph", size, "chars", 0)):
            texts.append(document.text[ranges[0][0] : ranges[-1][1]])
            if len(texts) == count:
                return texts
    sys.exit(
        f"only {len(texts):,} chunks of real text on this machine, {count:,} wanted; "
        "apt-get install postgresql-doc-15 git-doc python3.11-doc debian-policy debian-faq"
    )
