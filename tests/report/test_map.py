"""The map as a picture and as a page."""

from __future__ import annotations

import base64
import hashlib
import json
import re
import struct
from pathlib import Path

import pytest

from aventrik.core.visible import hidden, visible
from aventrik.report.map import OTHER, PLAIN, Drawing, Point, kept_groups, look_of, write_page, write_picture

POINTS = [
    Point(-0.5, 0.2, "a.md", "A › B", "Gates </script><script>alert(1)</script> & locks", {"topic": "1: gate", "document": "a.md"}),
    Point(0.5, -0.2, "b.md", "B", "Fees\u2028and more", {"topic": "2: fee", "document": "b.md"}),
    Point(0.6, -0.3, "c.md", "C", "Fees again", {"topic": "2: fee", "document": "c.md"}),
]  # fmt: skip
DRAWING = Drawing(
    "demo <map>", "3 of 3 chunks", POINTS, {"topic": ["1: gate", "2: fee"], "document": ["a.md", "b.md", OTHER]}
)


def test_the_most_frequent_groups_are_kept_and_the_plain_ones_come_last() -> None:
    names = ["b"] * 3 + ["a"] * 3 + ["no finding"] * 9 + ["c"]
    assert kept_groups(names, ("no finding",)) == ["a", "b", "c", "no finding"]
    many = [f"d{n:02}" for n in range(30)]
    kept = kept_groups(many)
    assert len(kept) == 21
    assert kept[-1] == OTHER


def test_no_two_groups_look_the_same() -> None:
    looks = [look_of(place, f"topic {place}", PLAIN) for place in range(30)]
    assert len({(colour, symbol) for colour, _, symbol in looks}) == 30
    assert look_of(0, "no question", PLAIN) == look_of(7, "no finding", PLAIN)
    told = {name: look_of(0, name, PLAIN) for name in ("served well", "served in part", "served badly")}
    assert len({symbol for _, _, symbol in told.values()}) == 3  # not by colour alone


@pytest.mark.parametrize("colouring", ["topic", "document"])
def test_the_picture_is_of_its_size_and_the_same_each_time(tmp_path: Path, colouring: str) -> None:
    write_picture(tmp_path / "a.png", DRAWING, colouring)
    write_picture(tmp_path / "b.png", DRAWING, colouring)
    body = (tmp_path / "a.png").read_bytes()
    assert struct.unpack(">II", body[16:24]) == (1280, 800)
    assert body == (tmp_path / "b.png").read_bytes()


def test_the_page_holds_its_data_and_no_markup_of_the_documents(tmp_path: Path) -> None:
    write_page(tmp_path / "map.html", DRAWING, "topic")
    page = (tmp_path / "map.html").read_text(encoding="utf-8")
    assert "<title>demo &lt;map&gt;</title>" in page
    found = re.search(r'<script id="data" type="application/json">(.*?)</script>', page, re.DOTALL)
    assert found is not None
    data = json.loads(found[1])
    assert [point["text"] for point in data["points"]] == [visible(point.text) for point in POINTS]
    assert data["chosen"] == "topic"
    assert data["colourings"]["document"][2]["name"] == OTHER
    assert "default-src 'none'" in page  # the page may ask nothing of any network
    assert "alert(1)</script>" not in page


HOSTILE = "<!-- <script> ]]> </title> $\\frac{$ \x1b \u202e &amp; \ud800"


def test_no_text_ends_an_element_or_begins_one(tmp_path: Path) -> None:
    points = [Point(0.0, 0.1 * n, HOSTILE, HOSTILE, HOSTILE, {"document": HOSTILE}) for n in range(3)]
    drawing = Drawing("$\\frac{$ map", "a note with $x^2 and $", points, {"document": [HOSTILE]})
    write_picture(tmp_path / "a.png", drawing, "document")
    write_page(tmp_path / "a.html", drawing, "document")
    page = (tmp_path / "a.html").read_text(encoding="utf-8")
    found = re.search(r'<script id="data" type="application/json">(.*?)</script>', page, re.DOTALL)
    assert found is not None
    assert not set("<>&") & set(found[1])
    assert json.loads(found[1])["points"][0]["text"] == visible(HOSTILE)
    assert not hidden(page.replace(found[1], "").split("<script>")[0])


@pytest.mark.parametrize("count", [3, 4001])
def test_the_policy_names_each_script_by_its_hash_and_nothing_else(tmp_path: Path, count: int) -> None:
    points = [Point(0.0, 0.1, "a.md", "A", "Text", {"document": "a.md"})] * count
    write_page(tmp_path / "a.html", Drawing("m", "n", points, {"document": ["a.md"]}), "document")
    page = (tmp_path / "a.html").read_text(encoding="utf-8")
    [policy] = re.findall(r'http-equiv="Content-Security-Policy" content="([^"]*)"', page)
    rules = dict(rule.strip().split(" ", 1) for rule in policy.split(";"))
    scripts = re.findall(r"<script>(.*?)</script>", page, re.DOTALL)
    marks = [f"'sha256-{base64.b64encode(hashlib.sha256(each.encode()).digest()).decode()}'" for each in scripts]
    assert rules["script-src"].split() == marks + (["'unsafe-eval'"] if count > 4000 else [])
    assert rules["default-src"] == rules["base-uri"] == rules["form-action"] == "'none'"


def test_a_map_of_one_point(tmp_path: Path) -> None:
    alone = Drawing("one", "1 of 1 chunks", POINTS[:1], {"topic": ["1: gate"]})
    write_picture(tmp_path / "one.png", alone, "topic")
    write_page(tmp_path / "one.html", alone, "topic")
    assert (tmp_path / "one.png").stat().st_size > 1000
