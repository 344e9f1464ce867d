"""TOML files read against a pydantic model; what is wrong is told with file, line, key and the nearest name."""

from __future__ import annotations

import difflib
import re
import tomllib
from collections.abc import Iterable
from pathlib import Path
from typing import Any, TypeVar

from pydantic import AfterValidator, BaseModel, ConfigDict, ValidationError

from ..core.errors import BadInput
from .files import read_text

Model = TypeVar("Model", bound=BaseModel)


class Table(BaseModel):
    """A table of a file of the user's: what it does not know, and a value of another type, is refused."""

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, allow_inf_nan=False)


class _OneOf:
    """Checks that a text is one of some names."""

    def __init__(self, names: Iterable[str]) -> None:
        self.allowed = list(names)

    def __call__(self, value: str) -> str:
        if value not in self.allowed:
            near = nearest(value, self.allowed, listing=False)
            raise ValueError(f"'{value}' is not one of {', '.join(self.allowed)}{near}")
        return value


def one_of(names: Iterable[str]) -> AfterValidator:
    """A setting that must be one of the names of a registry."""
    return AfterValidator(_OneOf(names))


def allowed_by(metadata: Any) -> list[str]:
    """The names that `one_of` allows, none for another kind of metadata."""
    check = getattr(metadata, "func", None)
    return check.allowed if isinstance(check, _OneOf) else []


_MESSAGES = {
    "greater_than_equal": "must be at least {ge}",
    "less_than_equal": "must be at most {le}",
    "greater_than": "must be greater than {gt}",
    "less_than": "must be less than {lt}",
    "string_type": "must be text in quotes",
    "int_type": "must be a whole number",
    "int_parsing": "must be a whole number",
    "int_from_float": "must be a whole number",
    "float_type": "must be a number",
    "float_parsing": "must be a number",
    "bool_type": "must be true or false",
    "bool_parsing": "must be true or false",
    "list_type": "must be a list",
    "dict_type": "must be a table",
    "model_type": "must be a table",
    "model_attributes_type": "must be a table",
    "missing": "is missing",
    "finite_number": "must be a finite number",
    "too_short": "must hold at least {min_length}",
    "too_long": "must hold at most {max_length}",
}


def load_toml(path: Path) -> tuple[dict[str, Any], str]:
    """A TOML file's content and text; raises `BadInput` with file and line."""
    text = read_text(path)
    try:
        content = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        where = re.search(r"\(at line (\d+), column (\d+)\)", str(error))
        reason = re.sub(r"\s*\(at .*\)$", "", str(error))
        line = f", line {where[1]}" if where else ""
        raise BadInput(f"{path}{line}: not valid TOML: {reason[:1].lower()}{reason[1:]}") from None
    except ValueError:  # a number that Python does not take
        raise BadInput(f"{path}: not valid TOML: a number in it has too many digits") from None
    except RecursionError:
        raise BadInput(f"{path}: is nested too deeply") from None
    if "\\" in text and _holds_nul(content):
        raise BadInput(f"{path}: a NUL character stands in one of its texts")
    return content, text


def _holds_nul(value: Any) -> bool:
    """Whether a text has a character that no path and no argument can hold."""
    if isinstance(value, dict):
        return any(_holds_nul(each) for pair in value.items() for each in pair)
    return any(map(_holds_nul, value)) if isinstance(value, list) else isinstance(value, str) and "\0" in value


def validated(model: type[Model], content: dict[str, Any], path: Path, text: str) -> Model:
    """The content as a model; raises `BadInput` that names the first wrong key, its line and what to do."""
    try:
        return model.model_validate(content)
    except ValidationError as error:
        first = error.errors()[0]
        location = tuple(str(part) for part in first["loc"])
        raise BadInput(f"{place(path, text, location)}: {_message(model, first, location)}") from None


def checked(model: type[Model], content: dict[str, Any], where: str) -> Model:
    """The content as a model; raises `BadInput` that names what is wrong in words given at `where`, such as a verb."""
    try:
        return model.model_validate(content)
    except ValidationError as error:
        first = error.errors()[0]
        location = tuple(str(part) for part in first["loc"] if part != "[key]")
        name = "--" + location[0].replace("_", "-") if location else where
        raise BadInput(f"{name}: {_message(model, first, location)}") from None


def place(path: Path, text: str, location: tuple[str, ...]) -> str:
    """'configs/a.toml, line 7, [chunking] size' for a location in a TOML text."""
    line = line_of(text, location)
    at = f", line {line}" if line else ""
    names = [part for part in location if not part.isdigit()]
    if len(names) > 1:
        return f"{path}{at}, [{'.'.join(names[:-1])}] {names[-1]}"
    return f"{path}{at}, {names[0]}" if names else f"{path}{at}"


def line_of(text: str, location: tuple[str, ...]) -> int:
    """The line (from 1) on which a key stands, the nearest enclosing table's line, or 0."""
    *tables, key = location or ("",)
    wanted = [part for part in tables if not part.isdigit()]
    number = next((int(part) for part in tables if part.isdigit()), 0)
    header, seen, at_table = [], -1, 0
    for count, line in enumerate(text.splitlines(), start=1):
        found = re.match(r"\s*\[\[?\s*([^\]]+?)\s*\]\]?", line)
        if found and "=" not in line.split("]")[0]:
            header = [part.strip().strip("\"'") for part in found[1].split(".")]
            if header == [*wanted, key]:
                return count
            if header == wanted:
                seen += 1
                at_table = count
            continue
        here = header == wanted and (not any(part.isdigit() for part in tables) or seen == number)
        if here and re.match(rf"\s*[\"']?{re.escape(key)}[\"']?\s*[=.]", line):
            return count
        dotted = ".".join([*wanted, key])
        if re.match(rf"\s*[\"']?{re.escape(dotted)}[\"']?\s*=", line):
            return count
    return at_table


def _message(model: type[BaseModel], first: Any, location: tuple[str, ...]) -> str:
    kind, context = first["type"], first.get("ctx", {})
    value = first.get("input")
    if kind == "extra_forbidden":
        return "unknown setting" + nearest(location[-1], names_at(model, location[:-1]))
    if kind in ("literal_error", "enum"):
        allowed = re.findall(r"'([^']*)'", str(context.get("expected", "")))
        near = nearest(value, allowed, listing=False) if isinstance(value, str) else ""
        return f"{_shown(value)} is not one of {', '.join(allowed)}{near}"
    if kind == "value_error":
        return str(context.get("error", first["msg"]))
    if kind == "missing":
        return "is missing"
    told = _MESSAGES.get(kind, first["msg"][:1].lower() + first["msg"][1:]).format(**context)
    return f"{told}, not {_shown(value)}"


def _shown(value: Any) -> str:
    try:
        shown = repr(value) if not isinstance(value, str) else f"'{value}'"
    except (ValueError, RecursionError):  # a number of thousands of digits
        return "what stands there"
    return shown if len(shown) <= 80 else shown[:79] + "…"


def names_at(model: type[BaseModel], location: tuple[str, ...]) -> list[str]:
    """The settings that a model knows at a location."""
    current: Any = model
    named = False  # the next part is a name that the user gave, as in [models.house]
    for part in location:
        if part.isdigit() or named:
            named = False
            continue
        field = getattr(current, "model_fields", {}).get(part)
        if field is None:
            return []
        current = field.annotation
        named = getattr(current, "__origin__", None) is dict
        inner = getattr(current, "__args__", ())
        current = next((one for one in inner if hasattr(one, "model_fields")), current)
    return list(getattr(current, "model_fields", {}))


def nearest(word: str, names: list[str], listing: bool = True) -> str:
    """'; did you mean x?', or the list of names when none is near."""
    close = difflib.get_close_matches(word, names, n=1, cutoff=0.55)
    if close:
        return f"; did you mean {close[0]}?"
    return f" (known here: {', '.join(names)})" if names and listing else ""
