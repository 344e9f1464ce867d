"""Conditions on metadata, held against what SQLite makes of the same ones."""

from __future__ import annotations

import sqlite3
from typing import Any

import pytest

from aventrik.core.errors import BadInput
from aventrik.core.searching.filters import check, parse, passes

ROWS: list[dict[str, Any]] = [
    {"name": "a", "area": "Moss Cut", "issued": "2031-04-02", "beam": 4.3, "kind": "works"},
    {"name": "b", "area": "Main Line", "issued": "2030-11-30", "beam": 2, "kind": "event"},
    {"name": "c", "area": "Moss Cut", "issued": "2029-01-01", "beam": None, "kind": None},
    {"name": "d", "area": None, "issued": None, "beam": -1.5, "kind": "it's"},
]
CONDITIONS = [
    "area = 'Moss Cut'",
    "area <> 'Moss Cut'",
    "not area = 'Moss Cut'",
    "area = 'Moss Cut' and issued >= '2031-04-01'",
    "area = 'Main Line' or beam < 0",
    "not (area = 'Main Line' or beam > 4)",
    "beam >= 2 and beam <= 4.3",
    "beam between 2 and 4.3",
    "beam not between 2 and 4.3",
    "kind in ('works', 'event')",
    "kind not in ('works', 'it''s')",
    "kind = 'it''s'",
    "area like 'mo%'",
    "area like 'M_ss Cut'",
    "area not like '%line'",
    "area is null",
    "area is not null and not kind is null",
    "beam = -1.5 or (issued < '2030-01-01' and kind is null)",
    "area = 'Moss Cut' or area = 'Main Line' and beam = 2",
    "\"area\" = 'Moss Cut'",
    "AREA_MISSING is null",
]


@pytest.mark.parametrize("condition", CONDITIONS)
def test_a_condition_means_what_it_means_in_sql(condition: str) -> None:
    db = sqlite3.connect(":memory:")
    db.execute("CREATE TABLE t (name, area, issued, beam, kind, AREA_MISSING)")
    db.executemany("INSERT INTO t VALUES (:name, :area, :issued, :beam, :kind, NULL)", ROWS)
    wanted = [row[0] for row in db.execute(f"SELECT name FROM t WHERE {condition} ORDER BY name")]
    assert [row["name"] for row in ROWS if passes(parse(condition), row)] == wanted


def test_a_list_is_met_by_any_of_its_entries() -> None:
    row = {"tags": ["winter", "locks"], "none": []}
    assert passes(parse("tags = 'locks'"), row)
    assert passes(parse("tags in ('fees', 'winter')"), row)
    assert not passes(parse("tags <> 'locks'"), row)
    assert passes(parse("tags <> 'fees'"), row)
    assert passes(parse("none is null"), row)


def test_figures_and_texts_are_never_equal() -> None:
    assert not passes(parse("beam = '2'"), ROWS[1])
    assert passes(parse("flag = true"), {"flag": True})
    assert not passes(parse("flag = 1"), {"flag": True})


@pytest.mark.parametrize(
    ("condition", "told"),
    [
        ("area == 'x'", "column 7: here should stand a value, not ="),
        ("area = Moss", "column 8: here should stand a value, not Moss; a text stands in single quotes: 'Moss'"),
        ("area = 'Moss", "column 8: can't be understood from \"'Moss\" on; a text must end with a quote"),
        ("'area' = 'x'", "column 1: here should stand a field, not area; a field stands without quotes"),
        ("area = 'x' kind = 'y'", "column 12: here should stand and, or, or the end, not kind"),
        ("(area = 'x'", "column 12: here should stand ), not the end"),
        ("area in ()", "column 10: here should stand a value, not )"),
        ("area like 5", "column 11: like needs a text in single quotes, not 5"),
        ("area = 'x' and", "column 15: here should stand a field, not the end"),
        ("area # 3", "column 6: can't be understood from '# 3' on"),
        ("", "column 1: here should stand a field, not the end"),
    ],
)
def test_what_can_not_be_understood_is_told_by_its_column(condition: str, told: str) -> None:
    with pytest.raises(BadInput) as caught:
        parse(condition)
    assert str(caught.value).startswith(f"where, {told}")


@pytest.mark.parametrize(
    ("condition", "told"),
    [
        ("area = 'x' and isued > '2031'", "where, column 16: no document has a field isued; did you mean issued?"),
        ("zzzz = 1", "where, column 1: no document has a field zzzz; there are: area, beam, issued, kind, name"),
        ("beam > '4'", "where, column 1: beam holds numbers, and '4' is none of these"),
        ("kind = 'a' or area > 7", "where, column 15: area holds texts, and 7 is none of these"),
    ],
)
def test_a_field_or_type_that_the_documents_do_not_have_is_told(condition: str, told: str) -> None:
    with pytest.raises(BadInput) as caught:
        check(condition, ROWS)
    assert str(caught.value) == told
    check("area = 'x' and beam > 4 and not kind is null", ROWS)
