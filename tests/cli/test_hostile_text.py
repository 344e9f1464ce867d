"""Characters that steer a terminal, planted wherever text comes from: no verb lets one through, in JSON neither."""

from __future__ import annotations

import io
import json
import re
import shutil
import threading
import zipfile
from collections.abc import Callable, Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import pytest
from rich.text import Text

from aventrik.cli.main import main
from aventrik.cli.screen import Screen
from aventrik.core.visible import hidden, visible, visible_json
from aventrik.kept.run_names import run_named

# Colour, a link (OSC 8), an eight-bit CSI, a bell, a backspace, a carriage return, DEL, turned direction, a separator.
EVIL = "\x1b[31mred\x1b]8;;http://x.test\x07go\x9b2J\x08\r\x7f\u202eback\u2066\u2028\u200f"
FORBIDDEN = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ud800-\udfff]")

Call = Callable[..., tuple[int, str, str]]


@pytest.mark.parametrize(
    ("text", "seen"),
    [
        ("plain\ttext\nof two lines", "plain\ttext\nof two lines"),
        ("\x1b[31m", "␛[31m"),
        ("\x00\r\x7f", "␀␍␡"),
        ("\x9b2J\x85", "\\x9b2J\\x85"),
        ("a\u202eb\u2066c\u200f", "a\\u202eb\\u2066c\\u200f"),
        ("\udcff\ufeff\U000e0041", "\\udcff\\ufeff\\U000e0041"),
        ("naïve – 漢字 🙂 क्‍ष soft\u00adhyphen", "naïve – 漢字 🙂 क्‍ष soft\u00adhyphen"),
    ],
)
def test_what_steers_or_hides_is_shown_and_the_rest_stays(text: str, seen: str) -> None:
    assert visible(text) == seen
    assert visible(seen) == seen
    body = json.dumps({text: [text]}, ensure_ascii=False)
    assert json.loads(visible_json(body)) == json.loads(body)
    assert not hidden(visible_json(body))


def test_styles_stay_where_they_were(capsys: pytest.CaptureFixture[str]) -> None:
    screen = Screen("x")
    text = Text("a\x1bb").append("\x9bc", style="bold")
    text.stylize("red", 1, 3)
    screen.text(text)
    screen.table(["he\x1bad"], [["ce\x9bll"], [Text("t\u202ext", style="bold")]])
    screen.show("laid out\x1b")
    screen.say("\x1bsaid [bold]not markup[/bold]")
    screen.title("\x07title")
    screen.warn("w\x1b")
    screen.error("e\x1b", 2)
    shown = capsys.readouterr()
    assert not FORBIDDEN.search(shown.out + shown.err)
    for part in ("a␛b\\x9bc", "he␛ad", "ce\\x9bll", "t\\u202ext", "laid out␛", "[bold]not markup[/bold]", "␇title"):
        assert part in shown.out
    assert "note: w␛" in shown.err


class Evil(BaseHTTPRequestHandler):
    """A model server whose every word is hostile."""

    def do_POST(self) -> None:
        self.rfile.read(int(self.headers["Content-Length"]))
        reply = {"declined": False, "statements": [{"text": f"48 hours {EVIL}", "cites": [1], "quotes": [EVIL]}]}
        if self.path.startswith("/fails"):
            self._send(500, {"error": EVIL})
        else:
            self._send(200, {"choices": [{"message": {"content": json.dumps(reply)}}]})

    def do_GET(self) -> None:
        self._send(200, {"data": [{"id": EVIL}]})

    def _send(self, status: int, body: Any) -> None:
        data = json.dumps(body, ensure_ascii=False).encode()
        self.send_response(status)
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def log_message(self, *args: Any) -> None:
        """Silent."""


@pytest.fixture(scope="module")
def server() -> Iterator[str]:
    made = ThreadingHTTPServer(("127.0.0.1", 0), Evil)
    threading.Thread(target=made.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{made.server_port}"
    made.shutdown()


@pytest.fixture(scope="module")
def planted(tmp_path_factory: pytest.TempPathFactory, server: str) -> Path:
    """A workspace with hostile text in names, titles, ids, members, metadata, questions, tags and settings."""
    folder = tmp_path_factory.mktemp("planted") / "w"
    assert main(["new", str(folder)]) == 0
    docs = folder / "docs"
    docs.mkdir()
    body = f"# Title {EVIL}\n\nA boat may stay for 48 hours {EVIL} at a mooring. A key costs 12 pounds at the desk.\n"
    body += "\nThe keeper of lock number seven notes the level of the water every morning at eight.\n" * 30
    (docs / f"name{EVIL.replace('/', '')}.md").write_bytes((body * 3).encode("utf-8", "surrogateescape"))
    rows = [
        {"id": f"r{EVIL}", "title": EVIL, "body": f"The fee is 25 pounds {EVIL} a day for all boats.", "area": EVIL}
    ]
    (docs / "records.jsonl").write_text("".join(json.dumps(row) + "\n" for row in rows), encoding="utf-8")
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr(f"in{EVIL}.txt", "A lock keeper works the staircase from 8 am to 5 pm each day.")
        archive.writestr(f"bad{EVIL}.docx", "no docx")
    (docs / "pack.zip").write_bytes(buffer.getvalue())
    (docs / f"broken{EVIL.replace('/', '')}.docx").write_bytes(b"nothing")
    questions = [
        {
            "id": f"q{EVIL}", "question": f"How long may a boat stay? {EVIL}", "answer": EVIL, "tags": [EVIL],
            "needs": [{"fact": f"48 {EVIL}", "spans": [{"doc": "records.jsonl#gone", "quote": f"25 pounds {EVIL}"}]}],
        },
        {"id": "q2", "question": "What is the fee?", "needs": [
            {"fact": "fee", "spans": [{"doc": f"lost{EVIL}", "quote": "The fee is 25 pounds"}]}]},
    ]  # fmt: skip
    path = folder / "testsets" / "evil.jsonl"
    path.write_text("".join(json.dumps(row) + "\n" for row in questions), encoding="utf-8")
    name = json.dumps(f"c{EVIL}").replace("\x7f", "\\u007f")  # a basic string of TOML; it takes no DEL as it is
    configuration = f'name = {name}\nnote = {name}\n[answering]\nmodel = "house"\n'
    (folder / "configs" / "starter.toml").write_text(configuration, encoding="utf-8")
    (folder / "configs" / "other.toml").write_text('name = "other"\n[answering]\nmodel = "fails"\n', encoding="utf-8")
    said = [
        {"id": "q2", "answer": f"The fee is 25 pounds {EVIL} a day. It is 48 hours {EVIL}.", "context": [
            f"The fee is 25 pounds {EVIL} a day for all boats.", {"text": EVIL * 9, "doc": EVIL}]},
        {"id": f"other{EVIL}", "answer": EVIL},
    ]  # fmt: skip
    for name in ("live", "again"):
        (folder / f"{name}.jsonl").write_text("".join(json.dumps(row) + "\n" for row in said), encoding="utf-8")
        said[0]["answer"] = f"The fee is 30 pounds {EVIL} a day."
    (folder / "r.trec").write_text("q2 Q0 a\x1b[31mb 1 0.5 x\nq\x07 Q0 c 1 1 x\n", encoding="utf-8")
    (folder / "criteria").mkdir(exist_ok=True)
    (folder / "criteria" / "figured.toml").write_text(
        f'about = {json.dumps(EVIL)}\njudges = "answer"\njudge = "offline"\n'.replace("\x7f", "\\u007f")
        + f"[[levels]]\nlevel = 0\nmeans = {json.dumps('no' + EVIL)}\n".replace("\x7f", "\\u007f")
        + "[[levels]]\nlevel = 1\nmeans = 'a figure'\npattern = 'pounds.*'\n",
        encoding="utf-8",
    )
    with (folder / "aventrik.toml").open("a", encoding="utf-8") as file:
        for model, lead in (("house", ""), ("fails", "/fails")):
            file.write(f'\n[models.{model}]\nkind = "http"\naddress = "{server}{lead}"\nmodel = "m"\nattempts = 1\n')
    return folder


VERBS: list[tuple[str, ...]] = [
    ("gather", "docs"),
    ("gather", "--report"),
    ("gather", "--show", "pack.zip/in"),
    ("gather", f"gone{EVIL}"),
    ("vet",),
    ("cut", "starter"),
    ("cut", "starter", "--document", "DOCUMENT"),
    ("survey",),
    ("draft", "--testset", "drafted", "-n", "5"),
    ("ask", f"How long may a boat stay? {EVIL}"),
    ("ask", "What is the fee?", "--where", f"area = '{EVIL}'"),
    ("ask", "What is the fee?", "--where", f"{EVIL} = 1"),
    ("run", "--testset", "evil"),
    ("run", f"gone{EVIL}", "--testset", "evil"),
    ("runs",),
    ("runs", "--label", "1", EVIL),
    ("runs",),
    ("compare",),
    ("compare", f"gone{EVIL}"),
    ("explain", "1"),
    ("explain", "1", f"q{EVIL}"),
    ("explain", "2", "q2"),
    ("score", "live.jsonl", "--testset", "evil"),
    ("score", "again.jsonl", "--testset", "evil", "--name", f"again{EVIL}"),
    ("score", "--ranked", "r.trec", "--testset", "evil"),
    ("score", "live.jsonl", "--testset", "evil", "--fields", f"answer={EVIL}"),
    ("compare", "live", f"again{EVIL}"),
    ("compare", "live", f"again{EVIL}", "--spread", "groundedness"),
    ("runs", "live", "--tag", f"ok{EVIL}"),
    ("runs", "live", "--tag", "ok"),
    ("report", "live", f"again{EVIL}", "--title", f"for {EVIL}"),
    ("report", "--to", "out"),
    ("report", "--measure", f"x{EVIL}"),
    ("run", "starter", "--testset", "evil", "--baseline-file", "b.jsonl"),
    ("gate", f"c{EVIL}", "--baseline", "b.jsonl", "--junit", "j.xml"),
    ("gate", "--baseline", f"gone{EVIL}"),
    ("gate", f"gone{EVIL}"),
    ("explain", "live", "q2"),
    ("explain", "live", f"again{EVIL}", "q2"),
    ("explain", "1", f"q{EVIL}", "--calls"),
    ("locate", "evil.csv"),
    ("locate", "evil.csv", "--columns", f"question={EVIL}", "--replace"),
    ("locate", f"gone{EVIL}"),
    ("survey", "--gaps", "asked"),
    ("review", "asked", "--to", "asked.csv", "--who", "ann"),
    ("review", "asked", "--agreement"),
    ("review", "--passages", "--to", "p.csv", "--questions", "5"),
    ("testsets", "asked"),
    ("review", "--verdicts", "live", "--to", "sheet.csv", "--who", "ann"),
    ("review", "--verdicts", "live", "--agreement"),
    ("review", "--verdicts", "live", "--of", "figured", "--agreement"),
    ("models", "--test"),
    ("store",),
    (f"verb{EVIL}",),
    ("run", f"--option{EVIL}"),
]


@pytest.mark.parametrize("way", [(), ("--json",)], ids=["shown", "json"])
def test_no_verb_lets_a_control_character_through(
    planted: Path,
    tmp_path: Path,
    way: tuple[str, ...],
    capsys: pytest.CaptureFixture[str],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    folder = tmp_path / "w"
    shutil.copytree(planted, folder)
    monkeypatch.chdir(folder)
    monkeypatch.setenv("COLUMNS", "120")
    reached = set()
    rows = [f'"how long may a boat stay {EVIL}","c{EVIL}"', f'"{EVIL} wifi for wedding guests",c']
    rows += [f"what is written on the large board beside lock number {number},d" for number in range(60)]  # it is text
    (folder / "evil.csv").write_text("\n".join(["question,session", *rows]), encoding="utf-8")
    said = {
        "what": "question",
        "item": EVIL,
        "who": "ann",
        "decision": EVIL,
        "question": EVIL,
        "claim": EVIL,
        "reason": EVIL,
    }
    (folder / "reviews").mkdir(exist_ok=True)
    (folder / "reviews" / "ann.jsonl").write_text(json.dumps(said) + f'\n{{"what": "{EVIL}\n', encoding="utf-8")
    for arguments in VERBS:
        given = [name if each == "DOCUMENT" else each for each in arguments for name in [first_document(folder)]]
        try:
            code = main([*given, *way])
        except SystemExit as ended:
            code = int(ended.code or 0)
        shown = capsys.readouterr()
        for stream in (shown.out, shown.err):
            found = FORBIDDEN.search(stream)
            assert found is None, (given, found and stream[max(0, found.start() - 40) : found.end() + 20])
        assert "should not have happened" not in shown.err, (given, shown.err)
        assert code in (0, 1, 2, 3), given
        if code == 0 or (code == 1 and arguments[0] == "gate"):  # the model of one run is not to be reached: it fails
            reached.add(arguments[0])
        if way and shown.out:
            json.loads(shown.out)
    assert reached >= {
        "gather", "vet", "cut", "locate", "testsets", "survey", "ask", "run", "runs", "compare", "explain", "store", "score", "review",
        "report", "gate",
    }  # fmt: skip


def test_the_screen_for_decisions_lets_none_through_either(
    planted: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    from aventrik.cli.review_views.session import Session, drawn
    from aventrik.cli.review_views.verdicts import VerdictMatter
    from aventrik.execution.open_workspace import OpenWorkspace
    from aventrik.people.verdict_review import VerdictReview
    from aventrik.people.verdicts import sample_of

    monkeypatch.chdir(planted)
    main(["gather", "docs", "--quiet"])
    assert main(["score", "live.jsonl", "--testset", "evil", "--quiet"]) == 0
    opened = OpenWorkspace(planted)
    for what in ("verdict", "figured"):
        sample = sample_of(opened.store, run_named(opened.store, "live"), what)
        session = Session(VerdictMatter(VerdictReview(opened, sample, "ann")))
        session.press(session.matter.choices[0].key)
        session.press("left")
        session.press("v")
        session.explain(EVIL)
        shown = drawn(session, 90, 60)
        assert "25 pounds" in shown
        assert "the judge:" in shown
        assert not FORBIDDEN.search(re.sub("\x1b\\[[0-9;]*m", "", shown))


def test_the_screen_for_questions_lets_none_through_either(
    planted: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    from aventrik.cli.review_views.questions import QuestionMatter
    from aventrik.cli.review_views.session import Session, drawn
    from aventrik.execution.open_workspace import OpenWorkspace
    from aventrik.people.question_review import Ledger, QuestionReview
    from aventrik.workspace.testsets import load_rows

    monkeypatch.chdir(planted)
    main(["gather", "docs", "--quiet"])
    path = planted / "testsets" / "evil.jsonl"
    opened = OpenWorkspace(planted)
    rows = load_rows(path)
    ledger = Ledger(path, rows, opened.workspace.reviews, "ann")
    session = Session(QuestionMatter(QuestionReview(opened, ledger, range(len(rows)))))
    for place in range(len(rows)):
        session.place = place
        session.press("n")
        session.paste(EVIL)
        shown = drawn(session, 90, 60)
        session.press("enter")
        session.place = place
        session.press("v")
        shown += drawn(session, 90, 60)
        assert not FORBIDDEN.search(re.sub("\x1b\\[[0-9;]*m", "", shown))


def first_document(folder: Path) -> str:
    """A document of the workspace by name, once there is one."""
    import sqlite3

    path = folder / ".aventrik" / "store.db"
    if not path.exists():
        return "none"
    with sqlite3.connect(path) as db:
        row = db.execute("SELECT name FROM documents ORDER BY name").fetchone()
    return str(row[0]) if row else "none"


def test_json_holds_what_was_there(
    planted: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(planted)
    main(["gather", "docs", "--quiet"])
    capsys.readouterr()
    assert main(["ask", f"What is it? {EVIL}", "other", "--json"]) in (0, 3)
    found = json.loads(capsys.readouterr().out)["result"]
    assert found[0]["question"]["text"] == f"What is it? {EVIL}"
    assert found[0]["documents"] == 3


def test_plain_ascii_where_the_encoding_has_no_more(program: Any) -> None:
    program("new", ".")
    (program.folder / "a.md").write_text("# Ü\n\nDie Schleuse öffnet um acht.")
    program("gather", "a.md")
    told = program("ask", "Wann öffnet die Schleuse?", PYTHONIOENCODING="ascii", LC_ALL="C")
    assert "ffnet um acht" in told.stdout
    found = program("ask", "Wann öffnet die Schleuse?", "--json", PYTHONIOENCODING="ascii", LC_ALL="C").stdout
    assert found.isascii()
    assert "öffnet um acht" in str(json.loads(found))
