"""Configurations of any settings that are let in, run from the documents to the scores: none is a fault of the program."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from aventrik.core.chunking import METHODS
from aventrik.core.context.serving import WAYS
from aventrik.core.indexing.approximate import LAYOUTS
from aventrik.core.indexing.keyword import SCORINGS
from aventrik.core.indexing.texts import KINDS
from aventrik.core.reranking import STEPS
from aventrik.core.rewriting import METHODS as REWRITES
from aventrik.core.searching import METHODS as SEARCHES
from aventrik.core.text.rulers import UNITS

from ..conftest import Program
from .conftest import CASES
from .test_doors import as_toml

ODD = st.sampled_from(["", "a\x00b", "..", "/dev/null", "\x1b[31m", "x" * 300])
SHARES = st.sampled_from([0.0, 0.5, 1.0, 1e-300])
SETTINGS: dict[str, st.SearchStrategy[Any]] = {
    "name": st.sampled_from(["a", "b/c", "\x1b[31m", "../up", "ü", "x" * 200]),
    "chunking.method": st.sampled_from(list(METHODS)),
    "chunking.size": st.sampled_from([1, 2, 3, 20, 300, 1_000_000]),
    "chunking.overlap": st.sampled_from([0, 1, 19, 299]),
    "chunking.unit": st.sampled_from(list(UNITS)),
    "chunking.tokenizer": ODD,
    "chunking.serve": st.sampled_from(list(WAYS)),
    "chunking.around": st.sampled_from([1, 100]),
    "chunking.larger_method": st.sampled_from(list(METHODS)),
    "chunking.larger_size": st.sampled_from([4, 10_000_000]),
    "index.text": st.sampled_from(list(KINDS)),
    "index.k1": st.sampled_from([0, 10, 1e-300]),
    "index.b": SHARES,
    "index.title_weight": st.sampled_from([0.0, 100, 1e-300]),
    "embedding.model": st.sampled_from(["none", "lsa"]),
    "embedding.dimensions": st.sampled_from([2, 4096]),
    "embedding.keep": st.sampled_from([1, 3, 100_000]),
    "embedding.bits": st.sampled_from([1, 8, 32]),
    "embedding.rescore": st.sampled_from([0, 1, 1000]),
    "index.scoring": st.sampled_from(list(SCORINGS)),
    "index.mu": st.sampled_from([1e-6, 1e6]),
    "index.language": st.sampled_from(["auto", "none", "german", "tamil"]),
    "rewriting": st.lists(st.sampled_from([{"method": name} for name in REWRITES]), max_size=4),
    "reranking": st.lists(
        st.sampled_from(
            [{"step": name} for name, step in STEPS.items() if step.own_rule or step.model in ("", "language")]
        )
        | st.sampled_from(
            [
                {"step": "embedding", "model": "lsa", "least": 1},
                {"step": "split", "size": 1},
                {"step": "extract", "keep": 1, "share": 1},
                {"step": "floor", "least": 1e9},
                {"step": "distinct", "way": "marginal", "balance": 0},
                {"step": "order", "way": "document", "keep": 1000},
                {"step": "neighbours", "unit": "chunks", "before": 100, "after": 100},
            ]
        ),
        max_size=6,
    ),
    "search.stop_words": st.sampled_from(["drop", "keep"]),
    "search.feedback": st.sampled_from([1, 1000]),
    "search.method": st.sampled_from(list(SEARCHES)),
    "search.top": st.sampled_from([1, 10_000]),
    "search.least": st.sampled_from([-1e300, 1e300, 0]),
    "search.where": st.sampled_from(["document = 'x'", "title like '%'", "format is null", "nothing = 1"]),
    "search.blend": st.sampled_from(["ranks", "scores"]),
    "search.scaling": st.sampled_from(["min-max", "z-score"]),
    "search.weight": SHARES,
    "search.nearest": st.sampled_from(list(LAYOUTS)),
    "search.links": st.sampled_from([4, 256]),
    "search.lists": st.sampled_from([0, 1, 1_000_000]),
    "search.probes": st.sampled_from([1, 1_000_000]),
    "context.keep": st.sampled_from([1, 1000]),
    "context.budget": st.sampled_from([1, 10_000_000]),
    "answering.model": st.sampled_from(["none", "offline"]),
    "answering.style": st.sampled_from(["quote", "short"]),
}
CHOSEN = st.lists(st.sampled_from(sorted(SETTINGS)), max_size=6, unique=True).flatmap(
    lambda names: st.fixed_dictionaries({name: SETTINGS[name] for name in names})
)
DOCUMENT = st.text(max_size=200) | st.sampled_from(
    ["# H\n" * 50, "| a | b |\n|---|---|\n" * 3, "x" * 5000, "\u202e\u0301" * 40, "." * 300]
)


@settings(max_examples=max(30, CASES // 4), deadline=20_000)
@given(chosen=CHOSEN, text=DOCUMENT)
def test_any_settings_that_are_let_in(gathered: Path, chosen: dict[str, Any], text: str) -> None:
    folder = gathered.parent / "case"
    shutil.rmtree(folder, ignore_errors=True)
    shutil.copytree(gathered, folder)
    lines = "".join(f"{key} = {as_toml(value)}\n" for key, value in {"name": "a", **chosen}.items())
    (folder / "configs" / "starter.toml").write_text(lines, encoding="utf-8")
    (folder / "docs" / "odd.md").write_text(text, encoding="utf-8", errors="replace")
    for verb in (
        ["gather", str(folder / "docs")],
        ["cut"],
        ["run"],
        ["compare"],
        ["explain", "1"],
        ["ask", text[:50] or "?"],
    ):
        done = Program(folder).here([*verb, "--quiet"], {})
        shown = done.stdout + done.stderr
        assert done.returncode in (0, 2, 3), (verb, lines, shown)
        assert "should not have happened" not in shown, (verb, lines, shown)
