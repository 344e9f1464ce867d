"""Imports go one way, and the core keeps to computing."""

from __future__ import annotations

import ast
from pathlib import Path

import aventrik

ROOT = Path(aventrik.__file__).parent
# Each layer may import itself and what stands after it.
ORDER = ["cli", "demo", "standin", "report", "engine", "workspace", "models", "core"]
FORBIDDEN_IN_CORE = {"argparse", "sqlite3", "socket", "httpx", "rich", "subprocess"}


def imports(path: Path) -> set[str]:
    """Dotted names of all modules that a file imports, at any depth."""
    package = ("aventrik", *path.relative_to(ROOT).parent.parts)
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            found.update(alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            lead = ".".join(package[: len(package) - node.level + 1]) if node.level else ""
            found.add(".".join(part for part in (lead, node.module) if part))
    return found


def test_imports_go_one_way() -> None:
    wrong = []
    for path in ROOT.rglob("*.py"):
        layer = path.relative_to(ROOT).parts[0]
        if layer not in ORDER:
            continue
        for name in imports(path):
            parts = name.split(".")
            if parts[0] == "aventrik" and len(parts) > 1 and parts[1] in ORDER[: ORDER.index(layer)]:
                wrong.append(f"{path.relative_to(ROOT)} imports {name}")
    assert wrong == []


def test_core_neither_prints_nor_parses_arguments_nor_opens_anything() -> None:
    wrong = []
    for path in (ROOT / "core").rglob("*.py"):
        for name in imports(path):
            if name.split(".")[0] in FORBIDDEN_IN_CORE:
                wrong.append(f"{path.name} imports {name}")
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in ("print", "input"):
                wrong.append(f"{path.name} calls {node.func.id}")
    assert wrong == []


def test_the_checker_itself_sees_a_wrong_import() -> None:
    assert "aventrik.core.errors" in imports(ROOT / "workspace" / "corpus.py")
    assert "sqlite3" in imports(ROOT / "workspace" / "store.py")
