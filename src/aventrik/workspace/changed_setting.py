"""One setting changed in the text of a settings file; all else, comments too, stays as it is."""

from __future__ import annotations

import json
import re
import tomllib
from typing import Any

from ..core.errors import BadInput


def with_setting(text: str, table: str, key: str, value: str) -> str:
    """The text of a TOML file in which `key` of a table has a value; raises `BadInput` where that can't be done by
    changing or adding a line."""
    line = f"{key} = {json.dumps(value, ensure_ascii=False)}"
    lines = text.split("\n")
    head = next((n for n, each in enumerate(lines) if re.match(rf"\s*\[\s*{table}\s*\]\s*(#.*)?$", each)), None)
    if head is None:
        made = f"{text.rstrip()}\n\n[{table}]\n{line}\n" if text.strip() else f"[{table}]\n{line}\n"
    else:
        last = next((n for n in range(head + 1, len(lines)) if lines[n].lstrip().startswith("[")), len(lines))
        found = next((n for n in range(head + 1, last) if re.match(rf"\s*{key}\s*=", lines[n])), None)
        if found is None:
            lines.insert(head + 1, line)
        else:
            lines[found] = line
        made = "\n".join(lines)
    wanted: dict[str, Any] = tomllib.loads(text)
    try:
        wanted[table] = {**wanted.get(table, {}), key: value}
        good = tomllib.loads(made) == wanted
    except (tomllib.TOMLDecodeError, TypeError):
        good = False
    if not good:
        raise BadInput(f"the settings are written in a way that can't be changed here; set {table}.{line} yourself")
    return made
