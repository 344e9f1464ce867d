"""Sweeps: every combination, one at a time, samples; ranges and conditions; what is wrong with them."""

from __future__ import annotations

from pathlib import Path

import pytest

from aventrik.core.errors import BadInput
from aventrik.workspace.configuration import Configuration
from aventrik.workspace.sweeps import MOST_COMBINATIONS, load_configurations


def swept(folder: Path, lines: str) -> list[Configuration]:
    path = folder / "s.toml"
    path.write_text(f'name = "s"\n[sweep]\n{lines}', encoding="utf-8")
    return load_configurations(path)


def names(found: list[Configuration]) -> list[str]:
    return [each.name.removeprefix("s/") for each in found]


def test_a_range_has_both_ends_and_whole_numbers_where_the_ends_are(tmp_path: Path) -> None:
    found = swept(tmp_path, '"chunking.size" = { from = 200, to = 1000, steps = 4 }\n')
    assert [each.chunking.size for each in found] == [200, 467, 733, 1000]
    found = swept(tmp_path, '"search.weight" = { from = 0.2, to = 0.8, steps = 3 }\n')
    assert [each.search.weight for each in found] == [0.2, 0.5, 0.8]
    found = swept(tmp_path, '"chunking.size" = { from = 200, to = 1600, steps = 4, spacing = "ratio" }\n')
    assert [each.chunking.size for each in found] == [200, 400, 800, 1600]
    found = swept(tmp_path, '"context.keep" = { from = 1, to = 3, steps = 9 }\n')
    assert [each.context.keep for each in found] == [1, 2, 3]  # what rounds to the same is one


def test_a_setting_varies_only_where_its_condition_holds(tmp_path: Path) -> None:
    found = swept(
        tmp_path,
        '"search.method" = ["keyword", "vector", "both"]\n'
        '"embedding.model" = { values = ["lsa", "static"], unless = { "search.method" = "keyword" } }\n'
        '"search.weight" = { values = [0.3, 0.7], only = { "search.method" = ["both"] } }\n',
    )
    assert names(found) == [
        "method=keyword",
        "method=vector,model=lsa",
        "method=vector,model=static",
        "method=both,model=lsa,weight=0.3",
        "method=both,model=lsa,weight=0.7",
        "method=both,model=static,weight=0.3",
        "method=both,model=static,weight=0.7",
    ]
    assert found[0].embedding.model == "lsa"  # the file's own
    assert found[1].search.weight == 0.5


def test_conditions_may_depend_on_each_other_and_on_steps(tmp_path: Path) -> None:
    found = swept(
        tmp_path,
        '"search.method" = ["keyword", "both"]\n'
        '"search.blend" = { values = ["ranks", "scores"], only = { "search.method" = "both" } }\n'
        '"search.scaling" = { values = ["min-max", "z-score"], only = { "search.blend" = "scores" } }\n',
    )
    assert len(found) == 1 + 1 + 2
    found = swept(
        tmp_path,
        '"reranking" = [[], [{ step = "closeness" }]]\n'
        '"context.keep" = { values = [3, 5], only = { "reranking" = "closeness" } }\n',
    )
    assert names(found) == ["reranking=none", "reranking=closeness,keep=3", "reranking=closeness,keep=5"]


def test_a_sample_is_drawn_by_lot_and_is_the_same_again(tmp_path: Path) -> None:
    lines = (
        'mode = "sample"\ncount = 12\n"chunking.size" = { from = 200, to = 1600 }\n'
        '"search.weight" = { from = 0.1, to = 0.9 }\n"search.method" = ["keyword", "vector", "both"]\n'
    )
    found = swept(tmp_path, lines)
    assert len(found) == 12 == len({each.name for each in found})
    assert all(200 <= each.chunking.size <= 1600 and 0.1 <= each.search.weight <= 0.9 for each in found)
    assert {each.search.method for each in found} == {"keyword", "vector", "both"}
    assert names(swept(tmp_path, lines)) == names(found)
    assert names(swept(tmp_path, "seed = 1\n" + lines)) != names(found)


def test_a_sample_of_few_combinations_has_each_once(tmp_path: Path) -> None:
    lines = 'mode = "sample"\ncount = 5\n"chunking.size" = [300, 600, 900]\n"search.method" = ["keyword", "both"]\n'
    assert len(set(names(swept(tmp_path, lines)))) == 5
    assert len(swept(tmp_path, lines.replace("5", "50"))) == 6


def test_one_at_a_time_changes_one_and_keeps_to_conditions(tmp_path: Path) -> None:
    found = swept(
        tmp_path,
        'mode = "one-at-a-time"\n"search.method" = ["both", "keyword"]\n"chunking.size" = [800, 400]\n'
        '"search.weight" = { values = [0.5, 0.9], only = { "search.method" = "both" } }\n',
    )
    assert names(found) == ["base", "method=keyword", "size=400", "weight=0.9"]


def test_a_large_space_is_counted_before_it_is_built(tmp_path: Path) -> None:
    lines = "".join(f'"index.{key}" = {{ from = 0.0, to = 1.0, steps = 400 }}\n' for key in ("b", "title_b"))
    with pytest.raises(BadInput, match=r"160,000 configurations; the most is 500.*sample"):
        swept(tmp_path, lines)
    lines = "".join(f'"index.{key}" = {{ from = 0.0, to = 1.0, steps = 500 }}\n' for key in ("b", "title_b", "k1"))
    with pytest.raises(BadInput, match="125,000,000 configurations"):
        swept(tmp_path, lines)
    assert len(swept(tmp_path, f'mode = "sample"\ncount = {MOST_COMBINATIONS}\n{lines}')) == MOST_COMBINATIONS


@pytest.mark.parametrize(
    ("lines", "told"),
    [
        ('"chunking.size" = { from = 200, to = 100, steps = 3 }', "from (200) must be less than to (100)"),
        ('"chunking.size" = { from = 200, to = 900 }', "steps must be a whole number from 2 to 500, not None"),
        ('"chunking.size" = { from = "a", to = 900, steps = 2 }', "from must be a number, not 'a'"),
        ('"chunking.size" = { from = 1, to = nan, steps = 2 }', "to must be a number, not nan"),
        ('"chunking.size" = { values = [1], from = 2, to = 3 }', "needs either values, or from and to"),
        ('"chunking.size" = { values = [], only = {} }', "must be a list of values"),
        ('"chunking.size" = { form = 200, to = 900, steps = 3 }', "unknown word 'form'; did you mean from?"),
        ('"search.weight" = { from = 0, to = 1, steps = 3, spacing = "ratio" }', "needs a from greater than 0"),
        ('"search.weight" = { from = 0, to = 1, steps = 3, spacing = "log" }', "spacing 'log' is not one of even, ratio"),
        ('"search.weight" = { values = [0.1], only = { "search.metod" = "both" } }', "did you mean search.method?"),
        ('"search.weight" = { values = [0.1, 0.2], only = { "search.weight" = 0.1 } }', "names the setting itself"),
        ('"search.weight" = { values = [0.1, 0.2], only = { "search.method" = "vector" } }', "holds in no configuration"),
        ('"search.weight" = { values = [0.1], only = "both" }', "only and unless must be tables"),
        ('"search.weight" = 0.3', "must be a list of values, or a table"),
        ('mode = "sample"\n"search.weight" = [0.1]', "a sample needs a count"),
        ('mode = "sample"\ncount = 0\n"search.weight" = [0.1]', "must be a whole number from 1 to 500, not 0"),
        ('count = 3\n"search.weight" = [0.1]', "is for mode 'sample'"),
        ('mode = "random"', "'random' is not one of every-combination, one-at-a-time, sample"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_told_with_line_and_key(tmp_path: Path, lines: str, told: str) -> None:
    with pytest.raises(BadInput) as raised:
        swept(tmp_path, lines + "\n")
    assert told in str(raised.value)
    assert "s.toml, line " in str(raised.value)
