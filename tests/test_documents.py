"""What the documents say of the code is what the code says."""

from __future__ import annotations

import argparse
import json
import re
from collections.abc import Callable
from importlib import import_module
from pathlib import Path

import pytest
from pydantic.fields import FieldInfo

from aventrik.cli.main import VERBS
from aventrik.core.measures import MEASURES
from aventrik.core.measures.loss import STAGES as LOSSES
from aventrik.core.reranking import STEPS
from aventrik.core.rewriting import METHODS
from aventrik.pipeline.brought import OUTSIDE
from aventrik.pipeline.registry import GRAPH
from aventrik.workspace.configuration import Configuration
from aventrik.workspace.settings import Model, Settings
from aventrik.workspace.stage_settings import about, choices_of, settings_of

from .test_layers import imports

DOCS = Path(__file__).parent.parent / "docs"


def stage_table() -> str:
    """The stages of the graph as the architecture lists them."""
    rows = ["| stage | of a | version | inputs | kept |", "|---|---|---|---|---|"]
    for stage in GRAPH:
        inputs = ", ".join(f"`{name}`" for name in stage.inputs)
        rows.append(
            f"| `{stage.name}` | {stage.scope} | {stage.version} | {inputs} | {'yes' if stage.kept else 'no'} |"
        )
    return "\n".join(rows)


def settings_table() -> str:
    """The settings of a configuration as the reference lists them."""
    rows = ["| setting | default | values | meaning | counts when |", "|---|---|---|---|---|"]
    for name, field in settings_of(Configuration):
        known = about(field)
        default = known.unset or (
            f"{field.default:g}" if isinstance(field.default, float) else json.dumps(field.default)
        )
        values = ", ".join(f"`{each}`" for each in choices_of(field)) or _bounds(field)
        default = default.strip('"') or '""'
        rows.append(f"| `{name}` | {default} | {values} | {field.description} | {known.when.words} |")
    return "\n".join(rows)


def _bounds(field: FieldInfo) -> str:
    """'from 1 to 10,000' for a number, what kind of value it is for another."""
    told = []
    for word, sign in (("ge", "from"), ("gt", "over"), ("le", "to"), ("lt", "under")):
        bound = next((getattr(each, word) for each in field.metadata if hasattr(each, word)), None)
        if bound is not None:
            told.append(f"{sign} {bound:,.0f}" if bound == int(bound) else f"{sign} {bound:g}")
    kinds = {bool: "true, false", str: "text", int: "a whole number"}
    return " ".join(told) or kinds.get(field.annotation or str, "a number")


def brought_table() -> str:
    """The stages of what is brought as the architecture lists them."""
    rows = ["| node | stage | version | inputs |", "|---|---|---|---|"]
    for stage in OUTSIDE:
        inputs = ", ".join(f"`{each}`" for each in stage.inputs)
        rows.append(f"| `{stage.called}` | `{stage.name}` | {stage.version} | {inputs} |")
    return "\n".join(rows)


TABLES: dict[str, tuple[str, Callable[[], str]]] = {
    "stages": ("architecture.md", stage_table),
    "brought": ("architecture.md", brought_table),
    "settings": ("reference.md", settings_table),
}


@pytest.mark.parametrize("name", TABLES)
def test_a_table_of_the_documents_is_what_the_code_says(name: str) -> None:
    page, table = TABLES[name]
    found = re.search(
        rf"<!-- {name} -->\n(.*?)\n<!-- /{name} -->", (DOCS / page).read_text(encoding="utf-8"), re.DOTALL
    )
    assert found is not None
    assert found[1] == table(), "write the tables anew with 'make tables'"


def write_tables() -> None:
    """Writes the tables of the documents that follow from the code."""
    for name, (page, table) in TABLES.items():
        text = (DOCS / page).read_text(encoding="utf-8")
        pieces = re.split(rf"(<!-- /?{name} -->)", text)
        pieces[2] = f"\n{table()}\n"
        (DOCS / page).write_text("".join(pieces), encoding="utf-8")


def test_the_reference_has_every_verb_setting_and_measure() -> None:
    reference = (DOCS / "reference.md").read_text(encoding="utf-8")
    scores = (DOCS / "scores.md").read_text(encoding="utf-8")
    for verb in VERBS:
        assert f"| `{verb}" in reference, verb
    for name in Configuration(name="x").settings():
        assert f"`{name}`" in reference or f"`[[{name}]]`" in reference, name
    for name in Model.model_fields:
        assert re.search(rf"`{name}`", reference), name
    for name in Settings.model_fields:
        assert re.search(rf"`\[?{name}\b", reference) or name == "models", name
    for name, measure in MEASURES.items():
        assert (f"`{name}@k`" if measure.of == "list" else f"`{name}`") in scores, name
    for stage in LOSSES:
        assert f"*{stage}*" in scores.replace("\n", " "), stage


def test_the_pages_have_every_step_and_every_way_of_rewriting_with_its_settings() -> None:
    reference = (DOCS / "reference.md").read_text(encoding="utf-8")
    depth = (DOCS / "depth.md").read_text(encoding="utf-8")
    for name, step in STEPS.items():
        [row] = [line for line in depth.splitlines() if line.startswith(f"| `{name}` |") and "`" in line.split("|")[3]]
        for setting, default in step.settings.items():
            assert f"`{setting}`" in row, (name, setting)
            if isinstance(default, (int, float)) and default >= 0:
                told = reference.split(f"`{name}` (", 1)[1].split(";")[0]
                assert f"`{setting}` {default:g}" in told or setting == "least", (name, setting)
    for name in METHODS:
        assert f"| `{name}` |" in depth
        assert f"`{name}`" in reference


def test_the_reference_has_every_option() -> None:
    reference = (DOCS / "reference.md").read_text(encoding="utf-8")
    for verb in VERBS:
        parser = argparse.ArgumentParser()
        import_module(f"aventrik.cli.verbs.{verb}").arguments(parser)
        for option in re.findall(r"(?<![\w-])--[a-z][a-z-]+", parser.format_help()):
            assert option == "--help" or f"`{option}" in reference, (verb, option)


def test_the_way_of_a_comparison_is_through_files_that_are_there() -> None:
    text = (DOCS / "architecture.md").read_text(encoding="utf-8")
    part = text[text.index("## A comparison") : text.index("## Which version")]
    root = DOCS.parent / "src" / "aventrik"
    files = [file for file in re.findall(r"`([\w/]+\.py)`", part) if "/" in file]
    assert len(files) >= 10
    assert not [file for file in files if not (root / file).is_file()]
    near = re.findall(r"`(\w+\.py)`", part)
    places = [root / "core" / "comparing", root / "cli" / "compare_views"]
    assert not [file for file in near if not any((place / file).is_file() for place in places)]


def test_the_way_of_a_question_is_through_files_that_are_there() -> None:
    text = (DOCS / "architecture.md").read_text(encoding="utf-8")
    part = text[text.index("## One question") : text.index("## The stages")]
    files = re.findall(r"^\| \d+ \| `([^`]+)` \|", part, re.MULTILINE)
    assert len(files) == 16
    root = DOCS.parent / "src" / "aventrik"
    names = ["aventrik." + file.removesuffix(".py").removesuffix("/__init__").replace("/", ".") for file in files]
    for place, file in enumerate(files):
        known = imports(root / file)
        above = {name for name in names[:place] if not name.startswith("aventrik.core.")}  # records of core are data
        assert not known & above, f"{file} looks up"


if __name__ == "__main__":
    write_tables()
