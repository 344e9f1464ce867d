"""`gate`: what stops a bad change, alone with a file from version control too."""

from __future__ import annotations

import json
import shutil
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from junitparser import JUnitXml
from lxml import etree

from aventrik.execution.open_workspace import OpenWorkspace

from ..conftest import TEXTS, Program, write_testset
from .test_compare import hits, put_run

# What tools that read such files expect, of the elements and attributes that are written.
SCHEMA = """<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">
<xs:attributeGroup name="counts"><xs:attribute name="name" type="xs:string" use="required"/>
 <xs:attribute name="tests" type="xs:nonNegativeInteger" use="required"/>
 <xs:attribute name="failures" type="xs:nonNegativeInteger" use="required"/>
 <xs:attribute name="errors" type="xs:nonNegativeInteger" use="required"/>
 <xs:attribute name="skipped" type="xs:nonNegativeInteger" use="required"/>
 <xs:attribute name="time" type="xs:decimal" use="required"/></xs:attributeGroup>
<xs:complexType name="told"><xs:simpleContent><xs:extension base="xs:string">
 <xs:attribute name="message" type="xs:string" use="required"/><xs:attribute name="type" type="xs:string"/>
</xs:extension></xs:simpleContent></xs:complexType>
<xs:element name="testsuites"><xs:complexType><xs:sequence><xs:element name="testsuite" maxOccurs="unbounded"><xs:complexType>
 <xs:sequence><xs:element name="properties" minOccurs="0"><xs:complexType><xs:sequence>
   <xs:element name="property" maxOccurs="unbounded"><xs:complexType><xs:attribute name="name" use="required"/>
   <xs:attribute name="value" use="required"/></xs:complexType></xs:element></xs:sequence></xs:complexType></xs:element>
  <xs:element name="testcase" maxOccurs="unbounded"><xs:complexType><xs:sequence>
   <xs:choice minOccurs="0"><xs:element name="failure" type="told"/><xs:element name="skipped" type="told"/></xs:choice>
   <xs:element name="system-out" type="xs:string" minOccurs="0"/></xs:sequence>
   <xs:attribute name="name" type="xs:string" use="required"/><xs:attribute name="classname" type="xs:string" use="required"/>
   <xs:attribute name="time" type="xs:decimal" use="required"/></xs:complexType></xs:element>
 </xs:sequence><xs:attributeGroup ref="counts"/></xs:complexType></xs:element></xs:sequence>
 <xs:attributeGroup ref="counts"/></xs:complexType></xs:element></xs:schema>"""

LIMITS = """
baseline = "before"

[[limit]]
measure = "hit@5"
drop = 0.1

[[limit]]
measure = "hit@5"
least = 0.3
each = "kind"

[[limit]]
measure = "tokens@5"
drop = "10%"
"""


@pytest.fixture(scope="module")
def runs(tmp_path_factory: pytest.TempPathFactory) -> Program:
    """Four runs on 240 questions: before, like it, much worse, and one of half the questions."""
    program = Program(tmp_path_factory.mktemp("gate"))
    program("new", "w")
    program = Program(program.folder / "w")
    opened = OpenWorkspace(program.folder)
    hard = np.random.default_rng(2).normal(size=240)
    for seed, (name, good, tokens) in enumerate(
        (("before", 0.4, 500.0), ("like", 0.42, 500.0), ("worse", -0.6, 700.0))
    ):
        put_run(opened, name, hits(np.random.default_rng(seed), good, hard, tokens))
    put_run(opened, "half", hits(np.random.default_rng(9), 0.4, hard, 500.0)[:120])
    opened.store.close()
    return program


def limits(program: Program, text: str = LIMITS, name: str = "gate.toml") -> Path:
    path = program.folder / name
    path.write_text(text, encoding="utf-8")
    return path


def states(found: dict[str, Any]) -> list[tuple[str, str, str]]:
    return [(check["measure"], check["group"], check["state"]) for check in found["checks"]]


def test_a_run_that_is_much_worse_fails_and_one_like_it_does_not(runs: Program) -> None:
    limits(runs)
    like = runs.json("gate", "like")
    assert like["state"] == "passed"
    assert like["baseline"] == "run 1 (before)"
    assert like["shared"] == 240
    assert ("tokens@5", "", "passed") in states(like)
    shown = runs("gate", "worse", code=1).stdout
    assert "gate FAILED" in shown
    assert "✗ failed" in shown
    worse = json.loads(runs("gate", "worse", "--json", code=1).stdout)["result"]
    assert worse["state"] == "failed"
    assert states(worse)[0] == ("hit@5", "", "failed")
    assert states(worse)[-1] == ("tokens@5", "", "failed")
    tokens = worse["checks"][-1]
    assert tokens["allowed"] == pytest.approx(50.0)  # 10 % of 500
    assert tokens["held"]["value"] == pytest.approx(200.0)
    assert [group for _, group, _ in states(worse)[1:-1]] == ["kind one-fact", "kind table"]
    compared = runs.json("compare", "before", "worse")["differences"][0]["difference"]
    assert worse["checks"][0]["held"]["value"] == pytest.approx(compared["mean"])
    assert compared["low"] < worse["checks"][0]["held"]["low"] < compared["mean"]  # 90 and 95 %


def test_what_so_few_questions_leave_open_counts_as_is_said_and_tells_how_many_would_decide(runs: Program) -> None:
    limits(runs, 'baseline = "before"\n[[limit]]\nmeasure = "hit@5"\ndrop = 0.01\n')
    found = runs.json("gate", "like")
    assert states(found) == [("hit@5", "", "undecided")]
    assert found["checks"][0]["held"]["enough"] > 2000
    shown = runs("gate", "like").stdout
    assert "about so many questions more would decide" in " ".join(shown.split())
    assert "1 undecided, which counts as passed" in shown
    assert "counts as failed" in runs("gate", "like", "--undecided", "fail", code=1).stdout
    limits(runs, 'baseline = "before"\nundecided = "fail"\n[[limit]]\nmeasure = "hit@5"\ndrop = 0.01\n')
    runs("gate", "like", code=1)


def test_junit_xml_is_what_its_readers_expect(runs: Program) -> None:
    limits(runs)
    runs("gate", "worse", "--junit", "out/gate.xml", code=1)
    path = runs.folder / "out" / "gate.xml"
    etree.XMLSchema(etree.fromstring(SCHEMA)).assertValid(etree.parse(str(path)))
    suite = next(iter(JUnitXml.fromfile(str(path))))
    cases = {case.name: case for case in suite}
    assert (suite.tests, suite.errors) == (4, 0)
    assert suite.failures == sum(case.is_failure for case in cases.values()) >= 2
    fallen = cases["hit@5: worse by at most 0.1"]
    assert fallen.is_failure
    assert "on 240 questions, baseline" in fallen.result[0].message
    limits(runs, 'baseline = "before"\n[[limit]]\nmeasure = "hit@5"\ndrop = 0.01\n')
    runs("gate", "like", "--junit", "open.xml")
    [case] = next(iter(JUnitXml.fromfile(str(runs.folder / "open.xml"))))
    assert case.is_skipped
    runs("gate", "like", "--junit", "open.xml", "--undecided", "fail", code=1)
    [case] = next(iter(JUnitXml.fromfile(str(runs.folder / "open.xml"))))
    assert case.is_failure


def test_questions_that_are_gone_are_told_and_too_many_fail(runs: Program) -> None:
    limits(runs)
    found = json.loads(runs("gate", "half", "--json", code=1).stdout)["result"]
    assert (found["shared"], len(found["missing"])) == (120, 120)
    assert states(found)[-1] == ("questions", "", "failed")
    limits(runs, LIMITS.replace('baseline = "before"', 'baseline = "before"\ngone = 0.6'))
    shown = runs("gate", "half").stdout
    assert "120 of the baseline's 240 take no part: 120 missing (q120, q121, q122, q123, …)" in " ".join(shown.split())


def without_store(program: Program, folder: Path) -> Program:
    """What version control has of a workspace, on another machine."""
    shutil.copytree(program.folder, folder, ignore=shutil.ignore_patterns(".aventrik", "gathered.csv"))
    return Program(folder)


CI = (("gather", "docs"), ("run", "configs/ci.toml", "--testset", "small"), ("gate", "ci"))


@pytest.fixture
def versioned(workspace: Program) -> Program:
    """A workspace with a baseline in version control."""
    (workspace.folder / "configs" / "ci.toml").write_text(
        'name = "ci"\n[chunking]\nsize = 300\n[search]\nmethod = "keyword"\n'
    )
    limits(workspace, '[[limit]]\nmeasure = "hit@5"\ndrop = 0.05\n[[limit]]\nmeasure = "groundedness"\ndrop = 0.05\n'
           '[[limit]]\nmeasure = "declined-rightly"\nleast = 0.0\n', "gate.toml")  # fmt: skip
    text = (workspace.folder / "gate.toml").read_text()
    (workspace.folder / "gate.toml").write_text('baseline = "baseline.jsonl"\nunable = "pass"\n' + text)
    said = workspace("run", "configs/ci.toml", "--testset", "small", "--baseline-file", "baseline.jsonl").stdout
    assert "baseline: 3 questions" in said
    return workspace


def test_a_baseline_file_is_small_readable_and_the_same_each_time(versioned: Program) -> None:
    path = versioned.folder / "baseline.jsonl"
    body = path.read_bytes()
    lines = [json.loads(line) for line in body.decode().splitlines()]
    assert lines[0]["baseline"] == 1
    assert lines[0]["questions"] == 3
    assert {"setting": "chunking.size", "value": 300} in lines
    questions = [line for line in lines if "question" in line]
    assert [line["question"] for line in questions] == ["a1", "a2", "a3"]
    assert questions[0]["scores"]["hit@5"] == 1
    assert {line["document"] for line in lines if "document" in line} == {"moorings.md", "bridges.txt"}
    assert len(body) < 10_000
    versioned("run", "configs/ci.toml", "--testset", "small", "--baseline-file", "again.jsonl")
    assert (versioned.folder / "again.jsonl").read_bytes() == body


def test_three_lines_are_all_that_ci_needs_in_a_clean_folder(versioned: Program, tmp_path: Path) -> None:
    clean = without_store(versioned, tmp_path / "clean")
    for line in CI[:2]:
        clean(*line)
    shown = clean(*CI[2]).stdout
    assert "gate passed: 3 of 3 limits hold, none failed (gate.toml)" in shown
    assert "the same results" in shown  # on another machine, by the keys of what was computed


def test_a_change_of_documents_is_told_and_what_lost_its_evidence_takes_no_part(
    versioned: Program, tmp_path: Path
) -> None:
    clean = without_store(versioned, tmp_path / "clean")
    path = clean.folder / "docs" / "moorings.md"
    path.write_text(TEXTS["moorings.md"].replace("for 48 hours", "for 72 hours"))
    (clean.folder / "gate.toml").write_text("gone = 0.5\n" + (clean.folder / "gate.toml").read_text())
    for line in CI[:2]:
        clean(*line)
    found = clean.json("gate")
    assert found["evidence_gone"] == ["a1"]
    assert found["documents"]["changed"] == ["moorings.md"]
    assert found["checks"][0]["held"]["n"] == 1
    shown = " ".join(clean("gate").stdout.split())
    assert "1 without their evidence (a1)" in shown
    assert "of those that hold evidence 1 changed (moorings.md)" in shown


def test_where_the_answers_alone_change_what_was_found_is_still_the_same(versioned: Program) -> None:
    (versioned.folder / "configs" / "ci.toml").write_text(
        'name = "ci"\n[chunking]\nsize = 300\n[search]\nmethod = "keyword"\n[answering]\nstyle = "short"\n'
    )
    versioned(*CI[1])
    found = versioned.json("gate")
    assert [(check["measure"], check["state"], check["held"]["same"]) for check in found["checks"][:2]] == [
        ("hit@5", "passed", True), ("groundedness", "undecided", False),
    ]  # fmt: skip


def test_so_few_questions_that_nothing_could_fail_do_not_pass_unless_that_is_allowed(versioned: Program) -> None:
    path = versioned.folder / "gate.toml"
    path.write_text(path.read_text().replace('unable = "pass"\n', ""))
    (versioned.folder / "configs" / "ci.toml").write_text(
        'name = "ci"\n[chunking]\nsize = 300\n[search]\nmethod = "keyword"\n[answering]\nstyle = "short"\n'
    )
    versioned(*CI[1])
    shown = " ".join(versioned("gate", code=1).stdout.split())
    assert "1 could not have failed with so few questions, which counts as failed" in shown
    found = json.loads(versioned("gate", "--json", code=1).stdout)["result"]
    assert [check["held"]["unable"] for check in found["checks"][:2]] == [False, True]


def test_a_change_of_settings_is_told(versioned: Program) -> None:
    (versioned.folder / "configs" / "ci.toml").write_text(
        'name = "ci"\n[chunking]\nsize = 200\n[search]\nmethod = "keyword"\n'
    )
    versioned(*CI[1])
    shown = " ".join(versioned("gate").stdout.split())
    assert "settings changed since the baseline: chunking.size 300 → 200" in shown


def test_another_judge_is_refused_unless_that_is_said(versioned: Program, tmp_path: Path) -> None:
    path = versioned.folder / "baseline.jsonl"
    path.write_text(path.read_text().replace('"judge": ["offline"', '"judge": ["house"'))
    told = versioned.fails("gate")
    assert "was judged by 'offline', the baseline by 'house'" in told
    assert "a drop of groundedness may be the judge's" in told
    text = (versioned.folder / "gate.toml").read_text()
    (versioned.folder / "gate.toml").write_text('judge = "any"\n' + text)
    assert "what changed may be the judge's" in versioned("gate").stderr
    (versioned.folder / "gate.toml").write_text(
        'baseline = "baseline.jsonl"\n[[limit]]\nmeasure = "hit@5"\ndrop = 0.05\n'
    )
    versioned("gate")  # no measure that a judge has a word in


def changed(lines: Sequence[str], place: int, line: str) -> str:
    return "\n".join([*lines[:place], line, *lines[place + 1 :]]) + "\n"


def test_a_baseline_file_that_is_not_sound_is_refused_by_its_line(versioned: Program) -> None:
    path = versioned.folder / "baseline.jsonl"
    lines = path.read_text().splitlines()
    question = next(n for n, line in enumerate(lines) if line.startswith('{"question"'))
    head = json.loads(lines[0])
    for body, told in (
        ("", "is empty"),
        ("\n".join(lines[:-1]) + "\n", "holds 2 questions of 3; it may be half written"),
        ("\n".join(lines[:question]), "holds no question"),
        (changed(lines, 0, json.dumps(head | {"baseline": 2})), "line 1: was written by a newer Aventrik (version 2"),
        (changed(lines, 0, json.dumps(head | {"baseline": 0})), "line 1: was written by another Aventrik"),
        (changed(lines, 0, '{"x": 1}'), "line 1: is no baseline file"),
        (changed(lines, 0, json.dumps(head | {"cover": "much"})), "line 1: cover is missing or of another kind"),
        (changed(lines, 1, "<<<<<<< HEAD"), "line 2: two versions of the file were merged and not settled"),
        (
            changed(lines, 1, '{"y": 1}'),
            "line 2: is neither a setting, a document, a premise nor a question",
        ),
        (changed(lines, question, lines[question][:40]), f"line {question + 1}: not valid JSON"),
        (changed(lines, question, lines[question].replace('"hit@5": 1', '"hit@5": "1"')), "hit@5 is no number"),
        (changed(lines, question, lines[question + 1]), "stands there twice"),
    ):
        path.write_text(body)
        assert told in versioned.fails("gate"), told
    path.write_bytes(b"\xff\xfe\x00")
    assert "not UTF-8 text" in versioned.fails("gate")
    path.unlink()
    assert "no such file" in versioned.fails("gate")


def test_a_baseline_of_other_questions_or_another_cover_is_refused(versioned: Program) -> None:
    path = versioned.folder / "baseline.jsonl"
    text = path.read_text()
    path.write_text(text.replace('"cover": 0.9', '"cover": 0.8'))
    assert "a need is met from cover 0.9 on in run 1, from 0.8 in the baseline" in versioned.fails("gate")
    path.write_text(text)
    limits(versioned, 'baseline = "baseline.jsonl"\n[[limit]]\nmeasure = "hit@5"\ndrop = 0.05\n')
    write_testset(versioned.folder, [{"id": "a1", "question": "What does a key cost?", "answer": "12 pounds.", "needs": [
        {"fact": "12 pounds", "spans": [{"doc": "bridges.txt", "quote": "A bridge key costs 12 pounds"}]}]}])  # fmt: skip
    versioned(*CI[1])
    assert "no question of it is in run 2 as it was asked then" in versioned.fails("gate")


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("", "limit: is missing"),
        ("[[limit]]\nmeasure = 'hit@5'\n", "line 1, limit: says nothing: give least, most or drop"),
        ("[[limit]]\nmeasure = 'hit@5'\nleast = 0.5\nmost = 0.4\n", "least 0.5 is more than most 0.4"),
        ("[[limit]]\nmeasure = 'hit@5'\ndrop = '5'\n", 'drop is a figure, or a share of the baseline such as "10%", not "5"'),
        ("[[limit]]\nmeasure = 'hit@5'\ndrop = -0.1\n", "must be at least 0"),
        ("[[limit]]\nmeasure = 'hit@5'\nleast = nan\n", "must be a finite number"),
        ("[[limit]]\nmeasure = 'hit@5'\ndrop = 0.1\nmargin = 0.1\n", "margin goes with least or most"),
        ("[[limit]]\nmeasure = 'hit@5'\nleest = 0.5\n", "unknown setting; did you mean least?"),
        ("undecided = 'maybe'\n[[limit]]\nmeasure = 'hit@5'\nleast = 0.5\n", "'maybe' is not one of pass, fail"),
        ("[[limit]]\nmeasure = 'hit@5'\nleast = 0.5\neach = 'kinds'\n", "did you mean kind?"),
        ("[[limit]]\nmeasure = 'hit@5'\nleast = 0.5\ntag = 'a'\nkind = 'table'\n", "is of one group of questions"),
        ("[[limit]\n", "not valid TOML"),
        ("[[limit]]\nmeasure = 'hits@5'\nleast = 0.5\n", "line 2, [limit] measure: run 1 (before) has no measure 'hits@5'; did you"),
        ("[[limit]]\nmeasure = 'hit@5'\nleast = 0.5\nkind = 'tables'\n", "no question of run 1 has the kind 'tables'; did you mean table?"),
        ("[[limit]]\nmeasure = 'hit@5'\nleast = 0.5\neach = 'style'\n", "the questions of run 1 have no style"),
        ("[[limit]]\nmeasure = 'hit@5'\ndrop = 0.1\n", "needs a baseline"),
        ("baseline = 'befor'\n[[limit]]\nmeasure = 'hit@5'\ndrop = 0.1\n", "no run is numbered, labelled or named 'befor'"),
        ("baseline = 'gone.jsonl'\n[[limit]]\nmeasure = 'hit@5'\ndrop = 0.1\n", "gone.jsonl: no such file; "),
    ],
)  # fmt: skip
def test_limits_that_are_not_sound_are_refused(runs: Program, text: str, told: str) -> None:
    limits(runs, text, "odd.toml")
    assert told in " ".join(runs.fails("gate", "before", "--limits", "odd.toml").split())


def test_without_limits_or_runs_or_an_end_it_says_what_to_do(tmp_path: Path) -> None:
    program = Program(tmp_path)
    program("new", "w")
    program = Program(tmp_path / "w")
    assert "there is no run yet" in program.fails("gate")
    (program.folder / "gate.toml").unlink()
    assert "no such file; it holds what 'aventrik gate' holds a run against" in program.fails("gate")
    limits(program, "[[limit]]\nmeasure = 'hit@5'\nleast = 0.5\n")
    opened = OpenWorkspace(program.folder)
    opened.store.runs.begin("i", "half done", "locks", {"format": 1}, 3)
    opened.store.close()
    assert "run 1 (half done) is not finished; 'aventrik run' goes on with it" in program.fails("gate")


def test_a_baseline_file_is_of_one_configuration_that_is_run(workspace: Program) -> None:
    (workspace.folder / "configs" / "two.toml").write_text("name = 'two'\n[chunking]\nsize = 300\n")
    assert "these are 2: name one" in workspace.fails("run", "--baseline-file", "b.jsonl")
    assert "not with --plan" in workspace.fails("run", "starter", "--plan", "--baseline-file", "b.jsonl")
    assert "is a folder" in workspace.fails("run", "starter", "--baseline-file", "configs")
    assert not (workspace.folder / "b.jsonl").exists()
    limits(workspace, "[[limit]]\nmeasure = 'hit@5'\n")
    assert "says nothing" in workspace.fails("run", "starter", "--testset", "small", "--baseline-file", "b.jsonl")
    assert workspace.json("runs") == []  # it is refused before anything runs


def test_names_with_markup_stay_text_in_what_is_written(tmp_path: Path) -> None:
    program = Program(tmp_path)
    program("new", "w")
    program = Program(tmp_path / "w")
    opened = OpenWorkspace(program.folder)
    put_run(opened, '<b>&\x1b[31m"evil"</b>', [{"hit@5": 1.0}] * 12)
    opened.store.close()
    limits(program, "[[limit]]\nmeasure = 'hit@5'\nleast = 0.5\n")
    shown = program("gate", "--junit", "j.xml").stdout
    assert "\x1b" not in shown
    assert next(iter(JUnitXml.fromfile(str(program.folder / "j.xml")))).name == 'gate: <b>&␛[31m"evil"</b>'
