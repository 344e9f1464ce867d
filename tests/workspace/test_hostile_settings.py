"""Settings, test sets and conditions that can't be: refused with their place, before they cost anything."""

from __future__ import annotations

from pathlib import Path

import pytest

from aventrik.core.errors import BadInput
from aventrik.core.searching.filters import check, parse, passes
from aventrik.workspace.starter import create
from aventrik.workspace.sweeps import MOST_COMBINATIONS, load_configurations
from aventrik.workspace.testsets import load_testset
from aventrik.workspace.workspace import Workspace

HOUSE = '[models.house]\nkind = "http"\nmodel = "m"\n'


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("a = " + "[" * 5000, "nested too deeply"),
        ("a = " + "7" * 5000, "too many digits"),
        ("seed = -1", "line 1, seed: must be at least 0"),
        ("seed = 4294967296", "must be less than 4294967296"),
        ("cut_offs = [1, -3]", "must be at least 1, not -3"),
        ("cut_offs = []", "must hold at least 1"),
        ("cover = nan", "cover: must be"),
        ("cover = inf", "cover: must be"),
        ("name = [1]", "must be text in quotes"),
        ("[roles]\njudge = []", "must be a model's name, or a list of names"),
        ("[roles]\nanswerer = []", "must be text in quotes"),
        ('[roles]\njudge = ["offline", "offline"]', "names a judge twice"),
        (HOUSE + 'address = "http://h:99999"', "address: is no address"),
        (HOUSE + 'address = "http://[::1"', "address: is no address"),
        (HOUSE + 'address = "http://"', "address: is no address"),
        (HOUSE + 'address = "http://a b"', "address: is no address"),
        (HOUSE + 'address = "http://user:pass@h"', "a key belongs in key_variable"),
        (HOUSE + 'address = "http://h/?key=abc"', "a key belongs in key_variable"),
        (HOUSE + 'address = "http://h"\ntimeout = nan', "timeout: must be"),
        (HOUSE + 'address = "http://h"\nprice_in = inf', "price_in: must be"),
    ],
)
def test_a_setting_that_can_not_be(tmp_path: Path, text: str, told: str) -> None:
    (tmp_path / "aventrik.toml").write_text(text)
    with pytest.raises(BadInput) as caught:
        Workspace(tmp_path)
    assert told in str(caught.value)
    assert "pass@" not in str(caught.value)
    assert len(str(caught.value)) < 400


@pytest.mark.parametrize("value", ["nan", "inf", "-inf"])
@pytest.mark.parametrize(
    "setting", ["[search]\nleast", "[search]\nweight", "[index]\nk1", '[[reranking]]\nstep = "closeness"\nweight']
)
def test_no_setting_takes_what_is_no_number(tmp_path: Path, setting: str, value: str) -> None:
    path = tmp_path / "c.toml"
    path.write_text(f'name = "c"\n{setting} = {value}\n')
    with pytest.raises(BadInput, match="must be"):
        load_configurations(path)


def test_a_sweep_is_counted_before_it_is_built(tmp_path: Path) -> None:
    path = tmp_path / "c.toml"
    keys = ("index.k1", "index.b", "search.weight", "context.keep", "context.budget", "chunking.size", "search.feedback",
            "search.effort", "search.probes", "embedding.dimensions")  # fmt: skip
    values = ", ".join(str(n) for n in range(1, 11))
    path.write_text('name = "c"\n[sweep]\n' + "".join(f'"{key}" = [{values}]\n' for key in keys))
    # Were they built before they are counted, this would not end.
    with pytest.raises(BadInput, match=f"stands for 10,000,000,000 configurations; the most is {MOST_COMBINATIONS}"):
        load_configurations(path)
    path.write_text('name = "c"\n[sweep]\nmode = ["one"]\n')
    with pytest.raises(BadInput, match="mode"):
        load_configurations(path)


@pytest.mark.parametrize(
    "condition", ["(" * 5000 + "a = 1" + ")" * 5000, "not " * 200 + "a = 1", "a = " + "9" * 400, "x" * 20_000]
)
def test_a_condition_without_end_is_refused(condition: str) -> None:
    with pytest.raises(BadInput, match="where") as caught:
        parse(condition)
    assert len(str(caught.value)) < 400


def test_many_wildcards_are_soon_done() -> None:
    condition = parse(f"t like '{'%a' * 200}b'")
    # Were each way of sharing out the wildcards tried, this would not end.
    assert not passes(condition, {"t": "a" * 5000})
    assert passes(condition, {"t": "a" * 5000 + "b"})
    check("t like '%'", [{"t": "x"}])


@pytest.mark.parametrize(
    ("line", "told"),
    [
        ('{"id": "\\ud800", "question": "Why?", "kind": "unanswerable"}', "half of a surrogate pair"),
        ('{"id": "a", "question": "Why?", "meta": ' + "[" * 5000, "nested too deeply|not valid JSON"),
        ('{"id": "a", "question": "Why?", "meta": ' + "7" * 5000 + "}", "too many digits"),
        ('{"id": "a", "question": "' + "x" * 100_001 + '", "kind": "unanswerable"}', "question"),
    ],
)
def test_a_line_of_a_test_set_that_can_not_be(tmp_path: Path, line: str, told: str) -> None:
    path = tmp_path / "t.jsonl"
    path.write_text(line + "\n")
    with pytest.raises(BadInput, match=told):
        load_testset(path)


@pytest.mark.parametrize("name", ['quote"d', "back\\slash", "new\nline", "brace{}s", "odd\udcff", "esc\x1b"])
def test_a_workspace_may_lie_in_a_folder_of_any_name(tmp_path: Path, name: str) -> None:
    create(tmp_path / name)
    found = Workspace(tmp_path / name).settings.name
    assert found.isprintable()
    found.encode()
