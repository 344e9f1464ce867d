"""Imports go one way, and the core keeps to computing."""

from __future__ import annotations

import ast
from functools import cache
from pathlib import Path

import aventrik

ROOT = Path(aventrik.__file__).parent
# Each layer may import itself and what stands after it.
ORDER = ["cli", "demo", "standin", "report", "engine", "storage", "workspace", "models", "core"]
FORBIDDEN_IN_CORE = {"argparse", "sqlite3", "socket", "httpx", "rich", "subprocess"}


@cache
def tree(path: Path) -> ast.Module:
    """A file, parsed."""
    return ast.parse(path.read_text(encoding="utf-8"))


@cache
def imports(path: Path) -> set[str]:
    """Dotted names of all modules that a file imports, at any depth."""
    package = ("aventrik", *path.relative_to(ROOT).parent.parts)
    found: set[str] = set()
    for node in ast.walk(tree(path)):
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
        for node in ast.walk(tree(path)):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in ("print", "input"):
                wrong.append(f"{path.name} calls {node.func.id}")
    assert wrong == []


def test_storage_knows_no_workspace_and_sql_stands_in_it_alone() -> None:
    wrong = [
        str(path.relative_to(ROOT))
        for path in ROOT.rglob("*.py")
        if "sqlite3" in imports(path) and path.relative_to(ROOT).parts[0] != "storage"
    ]
    assert wrong == []
    for path in (ROOT / "storage").rglob("*.py"):
        assert not any(name.startswith("aventrik.workspace") for name in imports(path)), path


def test_a_verb_computes_nothing() -> None:
    """What the verbs import of the core are records and errors, not the functions that do the work."""
    allowed = {
        "errors",
        "visible",
        "documents",
        "testsets",
        "measures",
        "comparing",
        "judging",
        "text",
        "surveying",
        "reading",
        "vetting",
    }
    for path in (ROOT / "cli").rglob("*.py"):
        found = {name.split(".")[2] for name in imports(path) if name.startswith("aventrik.core.")}
        assert found <= allowed, (path, found)


def test_the_checker_itself_sees_a_wrong_import() -> None:
    assert "aventrik.core.errors" in imports(ROOT / "workspace" / "workspace.py")
    assert "sqlite3" in imports(ROOT / "storage" / "embedded" / "database.py")
