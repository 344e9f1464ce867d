"""Configurations: what is refused, with the reason, and what a setting that is not given stands for."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from aventrik.core.errors import BadInput
from aventrik.workspace.configuration import Configuration
from aventrik.workspace.sweeps import load_configurations


def loaded(folder: Path, body: str) -> list[Configuration]:
    path = folder / "a.toml"
    path.write_text(f'name = "a"\n{body}', encoding="utf-8")
    return load_configurations(path)


@pytest.mark.parametrize(
    ("body", "told"),
    [
        ("[chunking]\nmethod = 'topics'\n", "line 3, [chunking] method: 'topics' is not one of"),
        ("[chunking]\nserve = 'sections'\n", "did you mean section"),
        ("[chunking]\nsize = 500\nserve = 'larger'\nlarger_size = 500\n", "larger_size (500) must be greater than size (500)"),
        ("[chunking]\naround = 0\n", "line 3, [chunking] around: must be at least 1, not 0"),
        ("[index]\ntext = 'summaries'\n", "did you mean summary"),
        ("[index]\ntitle_weight = -1\n", "must be at least 0.0, not -1"),
        ("[embedding]\ndimensions = 1\n", "must be at least 2, not 1"),
        ("[search]\nweight = 1.5\n", "line 3, [search] weight: must be at most 1.0, not 1.5"),
        ("[search]\nnearest = 'graphs'\n", "did you mean graph"),
        ("[search]\nwere = \"a = 1\"\n", "unknown setting; did you mean where?"),
        ("[search]\nwhere = \"area = \"\n", "column 8: here should stand a value, not the end"),
        ("[search]\nwhere = 7\n", "must be text in quotes, not 7"),
        ("[search]\nscaling = 'max'\n", "is not one of min-max, z-score"),
        ("[sweep]\n\"chunking.serve\" = ['chunk', 'book']\n", "[sweep] chunking.serve: book:"),
    ],
)  # fmt: skip
def test_a_wrong_setting_is_told_with_its_place(tmp_path: Path, body: str, told: str) -> None:
    with pytest.raises(BadInput) as caught:
        loaded(tmp_path, body)
    assert told in str(caught.value)
    assert str(caught.value).startswith(str(tmp_path / "a.toml"))


def test_what_is_not_given_follows_the_size(tmp_path: Path) -> None:
    [one] = loaded(tmp_path, "[chunking]\nsize = 300\nserve = 'larger'\n")
    assert one.chunking.cutting.overlap == 30
    assert one.chunking.serving.larger is not None
    assert one.chunking.serving.larger.size == 900
    assert loaded(tmp_path, "[chunking]\nsize = 5\n")[0].chunking.cutting.overlap == 0


def test_sizes_of_a_sweep_differ_in_the_size_alone(tmp_path: Path) -> None:
    swept = loaded(tmp_path, '[sweep]\n"chunking.size" = [300, 800]\n')
    settings = [each.chunking.model_dump() for each in swept]
    assert {key for key in settings[0] if settings[0][key] != settings[1][key]} == {"size"}


@pytest.mark.parametrize(
    ("settings", "told"),
    [
        ({"search.where": "area == 'x'"}, "column 7"),
        ({"search.top": 0}, "greater than or equal to 1"),
        ({"search.tops": 3}, "search.tops"),
    ],
)
def test_settings_changed_for_one_question_are_checked_too(tmp_path: Path, settings: dict[str, Any], told: str) -> None:
    [one] = loaded(tmp_path, "")
    with pytest.raises(BadInput, match=told):
        one.with_settings(settings)
    changed = one.with_settings({"search.where": "area = 'x'", "chunking.size": 99})
    assert (changed.search.where, changed.chunking.size, changed.name) == ("area = 'x'", 99, "a")
