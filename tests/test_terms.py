"""Names and docstrings use the terms of the architecture, and not other words for the same things."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "aventrik"


def terms() -> dict[str, list[str]]:
    """Each term with the words that are not used for it."""
    text = (ROOT / "docs" / "architecture.md").read_text(encoding="utf-8")
    table = re.search(r"<!-- terms -->\n(.*?)\n<!-- /terms -->", text, re.DOTALL)
    assert table is not None
    rows = [[cell.strip() for cell in line.strip("|").split("|")] for line in table[1].splitlines()[2:]]
    assert all(meaning for _, meaning, _ in rows)
    return {term: [word for word in other.split(", ") if word] for term, _, other in rows}


def spoken(tree: ast.AST) -> Iterator[tuple[int, str]]:
    """(line, text) of the names that a module gives, taken apart into words, and of its docstrings."""
    for node in ast.walk(tree):
        line = getattr(node, "lineno", 1)
        if isinstance(node, (ast.Module, ast.ClassDef, ast.FunctionDef)):
            yield line, ast.get_docstring(node) or ""
        if isinstance(node, (ast.ClassDef, ast.FunctionDef)):
            yield line, words_of(node.name)
        elif isinstance(node, ast.arg):
            yield line, words_of(node.arg)
        elif isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store):
            yield line, words_of(node.id)


def words_of(name: str) -> str:
    """'RunSide' and 'run_side' as 'run side'."""
    return re.sub(r"(?<=[a-z0-9])(?=[A-Z])|_", " ", name).lower()


def test_every_term_stands_once_and_is_used() -> None:
    found = terms()
    assert len(found) > 25
    text = " ".join(words for path in SOURCE.rglob("*.py") for _, words in spoken(ast.parse(path.read_text("utf-8"))))
    for term in found:
        assert re.search(rf"\b{term}", text), f"{term} is a term of the architecture and stands nowhere"
    refused = [word for words in found.values() for word in words]
    assert len(refused) == len(set(refused))
    assert not set(refused) & set(found)


def test_names_and_docstrings_use_no_other_word_for_a_term() -> None:
    refused = {word: term for term, words in terms().items() for word in words}
    pattern = re.compile(rf"\b({'|'.join(map(re.escape, refused))})s?\b")
    wrong = [
        f"{path.relative_to(SOURCE)}:{line}: '{found[1]}' is said of what is called {refused[found[1]]}"
        for path in sorted(SOURCE.rglob("*.py"))
        for line, text in spoken(ast.parse(path.read_text("utf-8")))
        for found in pattern.finditer(text.lower())
    ]
    assert not wrong, "\n".join(wrong)


def test_the_checker_sees_a_wrong_word() -> None:
    tree = ast.parse('def best_snippet(excerpt):\n    """A golden answer."""\n    goldenRule = 1\n')
    assert {text for _, text in spoken(tree) if text} == {"best snippet", "A golden answer.", "excerpt", "golden rule"}
