"""Pieces of SQL that searches share."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import numpy.typing as npt
import orjson
from psycopg import sql

from ...core.searching.filters import parse
from .conditions import Said


def met(where: str, said: Callable[..., Said], lead: str = "WHERE") -> tuple[sql.Composable, list[Any]]:
    """A condition behind `lead`, as `said` puts it into SQL, and the values bound to it; nothing for none."""
    if not where:
        return sql.SQL(""), []
    condition, values = said(parse(where))
    return sql.SQL(lead + " {}").format(condition), values


def asked(match: str) -> str:
    """The SQL of a query made of a text: all its lexemes, or any of them."""
    if match == "all":
        return "plainto_tsquery(%s::regconfig, %s)"
    quoted = r"'''' || replace(replace(lexeme, '\', '\\'), '''', '''''') || ''''"
    return f"(SELECT string_agg({quoted}, ' | ')::tsquery FROM unnest(to_tsvector(%s::regconfig, %s)))"


def written(vector: npt.NDArray[np.float32] | None) -> str:
    """A vector as pgvector reads it; the shortest digits that give the same numbers again."""
    row = np.ascontiguousarray(vector, dtype=np.float32)
    return orjson.dumps(row, option=orjson.OPT_SERIALIZE_NUMPY).decode()
