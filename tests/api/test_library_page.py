"""The page about the library is run as it stands: the same steps as the guide's, on the demo's documents."""

from __future__ import annotations

import doctest
import os
from pathlib import Path

import pytest

from aventrik.demo.layout import lay_out

PAGE = Path(__file__).parents[2] / "docs" / "library.md"


def test_the_page_about_the_library_holds(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    pytest.importorskip("wordllama")  # the demo's configurations leave out what is not installed
    lay_out(tmp_path / "tarrowby")
    monkeypatch.chdir(tmp_path)
    text = PAGE.read_text(encoding="utf-8").replace("```python", "").replace("```", "")
    page = doctest.DocTestParser().get_doctest(text, {}, PAGE.name, str(PAGE), 0)
    assert len(page.examples) > 20
    told: list[str] = []
    result = doctest.DocTestRunner().run(page, out=told.append)
    assert not result.failed, "".join(told)
    assert (tmp_path / "tarrowby" / "reports" / "report.html").stat().st_size > 100_000
    assert os.listdir(tmp_path) == ["tarrowby"]
