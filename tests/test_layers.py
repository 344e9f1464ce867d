"""Imports go one way, no files import each other in a circle, and the core keeps to computing."""

from __future__ import annotations

import ast
from functools import cache
from pathlib import Path

import aventrik

ROOT = Path(aventrik.__file__).parent
# Each room may import itself and what stands after it.
ORDER = [
    "cli", "demo", "standin", "api", "report", "results", "questions", "people", "runs", "kept", "corpora", "execution",
    "pipeline", "storage", "workspace", "models", "english", "core",
]  # fmt: skip
FORBIDDEN_IN_CORE = {"argparse", "sqlite3", "socket", "httpx", "rich", "subprocess"}


@cache
def tree(path: Path) -> ast.Module:
    """A file, parsed."""
    return ast.parse(path.read_text(encoding="utf-8"))


@cache
def imports(path: Path) -> set[str]:
    """Dotted names of all modules that a file imports, at any depth, and of what it imports from them."""
    return {name for names in _imported(path, tree(path)).values() for name in names}


def _imported(path: Path, inside: ast.AST) -> dict[str, set[str]]:
    """For each module that is imported in a part of a file: its name, and those of what is taken from it."""
    package = ("aventrik", *path.relative_to(ROOT).parent.parts)
    found: dict[str, set[str]] = {}
    for node in ast.walk(inside):
        if isinstance(node, ast.Import):
            for alias in node.names:
                found.setdefault(alias.name, set()).add(alias.name)
        elif isinstance(node, ast.ImportFrom):
            lead = ".".join(package[: len(package) - node.level + 1]) if node.level else ""
            name = ".".join(part for part in (lead, node.module) if part)
            found.setdefault(name, set()).update({name, *(f"{name}.{alias.name}" for alias in node.names)})
    return found


def room(path: Path) -> str:
    """The folder of the package that a file stands in, or its own name."""
    return path.relative_to(ROOT).parts[0].removesuffix(".py")


def test_every_room_has_its_place() -> None:
    known = {*ORDER, "__init__", "__main__"}
    assert {room(path) for path in ROOT.rglob("*.py")} <= known


def test_imports_go_one_way() -> None:
    wrong = []
    for path in ROOT.rglob("*.py"):
        here = room(path)
        if here not in ORDER:
            continue
        above = ORDER[: ORDER.index(here)]
        for name in imports(path):
            parts = name.split(".")
            if parts[0] == "aventrik" and len(parts) > 1 and parts[1] in above:
                wrong.append(f"{path.relative_to(ROOT)} imports {name}")
    assert sorted(wrong) == []


def _file_of(name: str) -> Path | None:
    """The file that a dotted name of this package is in; None for what is none of its modules."""
    whole = ROOT.parent.joinpath(*name.split("."))
    if whole.with_suffix(".py").is_file():
        return whole.with_suffix(".py")
    return whole / "__init__.py" if (whole / "__init__.py").is_file() else None


def _arrows() -> dict[Path, set[Path]]:
    """For each file those that it imports, whenever that is; but for what only the type checker sees."""
    found: dict[Path, set[Path]] = {}
    for path in ROOT.rglob("*.py"):
        typed: set[str] = set()
        for node in tree(path).body:
            if isinstance(node, ast.If) and isinstance(node.test, ast.Name) and node.test.id == "TYPE_CHECKING":
                typed |= {name for names in _imported(path, node).values() for name in names}
        plain = imports(path) - typed
        for node in ast.walk(tree(path)):  # a name that is imported for real elsewhere in the file counts
            if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
                plain |= {name for names in _imported(path, node).values() for name in names}
        files = set()
        for name in plain:
            file = _file_of(name)
            deeper = any(_file_of(other) for other in plain if other.startswith(f"{name}."))
            if file is not None and not (deeper and file.name == "__init__.py"):
                files.add(file)
        found[path] = files - {path}
    return found


def test_no_files_import_each_other_in_a_circle() -> None:
    arrows = _arrows()
    state: dict[Path, int] = {}
    circles: list[str] = []

    def visit(path: Path, way: list[Path]) -> None:
        state[path] = 1
        for other in sorted(arrows[path]):
            if state.get(other) == 1:
                circle = [*way[way.index(other) :], other] if other in way else [path, other]
                circles.append(" → ".join(str(each.relative_to(ROOT)) for each in circle))
            elif other not in state:
                visit(other, [*way, other])
        state[path] = 2

    for path in sorted(arrows):
        if path not in state:
            visit(path, [path])
    assert circles == []


def test_nothing_imports_the_insides_of_the_built_in_rules_and_no_stage_knows_of_them() -> None:
    wrong = []
    for path in ROOT.rglob("*.py"):
        if room(path) == "english":
            continue
        for name in imports(path):
            parts = name.split(".")
            if parts[:2] == ["aventrik", "english"] and len(parts) > 2 and not parts[2][0].isupper():
                wrong.append(f"{path.relative_to(ROOT)} imports {name}")
            if parts[:2] == ["aventrik", "english"] and room(path) == "pipeline":
                wrong.append(f"{path.relative_to(ROOT)} knows of {name}")
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


# What the command line may import: the face, what draws, itself; of the core what is said and shown of errors.
_FOR_THE_COMMAND_LINE = ("aventrik.cli", "aventrik.api", "aventrik.report", "aventrik.standin", "aventrik.demo")
_BESIDE = ("aventrik.core.errors", "aventrik.core.visible", "aventrik.__version__")


def test_the_verbs_call_the_face_and_nothing_below_it() -> None:
    wrong = []
    for path in (ROOT / "cli").rglob("*.py"):
        for name in sorted(imports(path)):
            if name in ("aventrik", "aventrik.core") or not name.startswith("aventrik."):
                continue
            if not name.startswith((*_FOR_THE_COMMAND_LINE, *_BESIDE)):
                wrong.append(f"{path.relative_to(ROOT)} imports {name}")
        for node in ast.walk(tree(path)):
            if isinstance(node, ast.Attribute) and node.attr in ("store", "bench", "workspace"):
                if isinstance(node.value, ast.Name) and node.value.id == "options":
                    continue
                wrong.append(f"{path.relative_to(ROOT)} reaches for .{node.attr}, line {node.lineno}")
    assert wrong == []


def test_the_checker_itself_sees_a_wrong_import() -> None:
    assert "aventrik.core.errors" in imports(ROOT / "workspace" / "workspace.py")
    assert "sqlite3" in imports(ROOT / "storage" / "embedded" / "database.py")
    assert ROOT / "core" / "errors.py" in _arrows()[ROOT / "workspace" / "workspace.py"]
