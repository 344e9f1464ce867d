"""Each door is given what fits it nearly and what fits it not at all; only the program's own errors may come back."""

from __future__ import annotations

import asyncio
import gzip
import io
import json
import math
import shutil
import tarfile
import tempfile
import zipfile
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from aventrik.core.errors import AventrikError, BadInput, Unavailable, Unreadable
from aventrik.core.protocols import TASKS, Task
from aventrik.core.reading import FORMATS, Reading, read_all, read_file
from aventrik.core.searching import filters
from aventrik.core.testsets.locating.gathering import gathered
from aventrik.models.caller import Caller, Refused
from aventrik.models.connection import Connection
from aventrik.models.language import HttpLanguageModel
from aventrik.models.replies import RECORDS, found_objects, parsed, schema
from aventrik.models.reply_checks import Unfit
from aventrik.models.reranking import HttpReranker
from aventrik.models.vectors import HttpEmbedder
from aventrik.storage import open_store
from aventrik.workspace.answers import load_lists, load_qrels
from aventrik.workspace.baselines import load_baseline
from aventrik.workspace.configuration import Configuration
from aventrik.workspace.gates import GateSettings, load_gate
from aventrik.workspace.gathered import GatheredSources
from aventrik.workspace.logs import load_log
from aventrik.workspace.settings import Settings
from aventrik.workspace.starter import create
from aventrik.workspace.sweeps import load_configurations
from aventrik.workspace.testsets import load_testset
from aventrik.workspace.workspace import Workspace

from ..core.test_reading_formats import EPUB, word_file, zipped

TEXTS = st.text(max_size=40) | st.sampled_from(
    [
        "",
        "nan",
        "-1",
        "\x00",
        "\ud800",
        "a\nb",
        "'" * 9,
        "http://[::1",
        "http://h:99999",
        "[" * 60,
        "²",
        "\x1b[31m",
        "%%%a%",
    ]
)
NUMBERS = (
    st.integers(min_value=-(10**6), max_value=10**6)
    | st.sampled_from([10**30, -(10**30), 2**63, 10**400, -1, 0])
    | st.floats(allow_nan=True, allow_infinity=True)
)
VALUES = st.recursive(
    TEXTS | NUMBERS | st.booleans(),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(TEXTS, inner, max_size=4),
    max_leaves=8,
)


def names_of(model: Any) -> list[str]:
    """The settings of a model and of its tables."""
    found = []
    for name, field in model.model_fields.items():
        inner = getattr(field.annotation, "model_fields", None)
        found.extend([f"{name}.{key}" for key in inner] if inner else [name])
    return found


def as_toml(value: Any) -> str:
    """A value as TOML writes it, as far as it can."""
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, (int, float)):
        return (
            "inf" if value == math.inf else "-inf" if value == -math.inf else "nan" if value != value else repr(value)
        )
    if isinstance(value, str):
        return json.dumps(value)
    if isinstance(value, list):
        return f"[{', '.join(map(as_toml, value))}]"
    return "{" + ", ".join(f"{json.dumps(key)} = {as_toml(inner)}" for key, inner in value.items()) + "}"


def toml_of(pairs: dict[str, Any]) -> str:
    return "".join(f"{key} = {as_toml(value)}\n" for key, value in pairs.items())


def tomls(model: Any, more: list[str]) -> st.SearchStrategy[str]:
    keys = st.sampled_from([*names_of(model), *more])
    return st.dictionaries(keys, VALUES, max_size=5).map(toml_of) | st.text(max_size=200)


@given(tomls(Settings, [f"models.house.{key}" for key in ("kind", "address", "timeout", "context", "does", "path")]))
def test_settings(text: str) -> None:
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "aventrik.toml"
        path.write_bytes(text.encode("utf-8", "surrogatepass"))
        with suppress(BadInput):
            Workspace(Path(name))


@given(
    tomls(Configuration, ["sweep.mode", "reranking", "nonsense"]),
    st.dictionaries(
        st.sampled_from([*names_of(Configuration), "mode"]), st.lists(VALUES, max_size=12) | VALUES, max_size=9
    ),
)
def test_configurations_and_sweeps(text: str, sweep: dict[str, Any]) -> None:
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "c.toml"
        lines = "".join(f"{json.dumps(key)} = {as_toml(value)}\n" for key, value in sweep.items())
        whole = text if not sweep else f'name = "x"\n{text}\n[sweep]\n{lines}'
        path.write_bytes(whole.encode("utf-8", "surrogatepass"))
        with suppress(BadInput):
            found = load_configurations(path)
            assert 0 < len(found) <= 500
            for each in found:
                assert all(value == value for value in each.settings().values())  # no setting is "nan"


SPAN = st.dictionaries(st.sampled_from(["doc", "start", "end", "quote"]), VALUES, max_size=4)
QUESTION = st.fixed_dictionaries(
    {"id": TEXTS | VALUES, "question": TEXTS | VALUES},
    optional={
        "needs": VALUES | st.lists(st.fixed_dictionaries({"spans": st.lists(SPAN, max_size=3)}), max_size=3),
        "kind": st.sampled_from(["one-fact", "unanswerable", "x"]) | VALUES,
        "tags": VALUES,
        "meta": VALUES,
        "answer": VALUES,
    },
)


@given(st.lists(QUESTION.map(json.dumps) | st.text(max_size=80), max_size=5), st.binary(max_size=20))
def test_test_sets(lines: list[str], noise: bytes) -> None:
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "t.jsonl"
        path.write_bytes("\n".join(lines).encode("utf-8", "surrogatepass") + (noise if len(noise) > 15 else b""))
        with suppress(BadInput):
            for question in load_testset(path):
                assert question.key
                question.question.encode()


LIMIT = st.dictionaries(
    st.sampled_from(["measure", "least", "most", "drop", "margin", "tag", "each", "nonsense"]), VALUES, max_size=5
)


@given(tomls(GateSettings, ["limit", "nonsense"]), st.lists(LIMIT, max_size=3))
def test_limits_of_a_gate(text: str, several: list[dict[str, Any]]) -> None:
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "gate.toml"
        body = text + "".join(f"\n[[limit]]\n{toml_of(each)}" for each in several)
        path.write_bytes(body.encode("utf-8", "surrogatepass"))
        with suppress(BadInput):
            for limit in load_gate(path).settings.limit:
                assert limit.measure
                assert limit.margin >= 0


HEAD = {
    "baseline": 1,
    "name": "a",
    "testset": "t",
    "judge": [],
    "cover": 0.9,
    "corpus": "",
    "documents": 1,
    "program": "",
    "stages": {},
}
SCORED = st.fixed_dictionaries(
    {
        "question": TEXTS,
        "key": TEXTS,
        "mark": TEXTS,
        "list": TEXTS,
        "scores": st.dictionaries(TEXTS, NUMBERS, max_size=3),
    }
)
LINE = SCORED | st.fixed_dictionaries({}, optional={
    "question": TEXTS | VALUES, "key": TEXTS | VALUES, "mark": TEXTS, "setting": VALUES, "value": VALUES, "document": VALUES,
    "content": VALUES, "scores": st.dictionaries(TEXTS, NUMBERS | VALUES, max_size=3), "gone": VALUES,
})  # fmt: skip


@given(
    st.dictionaries(st.sampled_from([*HEAD, "questions"]), VALUES, max_size=2),
    st.lists(LINE, max_size=4),
    st.text(max_size=40),
)
def test_baseline_files(head: dict[str, Any], lines: list[dict[str, Any]], noise: str) -> None:
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "b.jsonl"
        body = "\n".join([json.dumps(HEAD | head), *map(json.dumps, lines), noise if len(noise) > 30 else ""])
        path.write_bytes(body.encode("utf-8", "surrogatepass"))
        with suppress(BadInput):
            for question in load_baseline(path).questions.values():
                assert all(math.isfinite(value) for value in question.scores.values())


@given(
    st.text(max_size=80)
    | st.lists(TEXTS | st.sampled_from(["q1", "0", "1", "a.md:1-5", "a.md:1-5,9-12", "a.md:5-1"]), max_size=9).map(
        " ".join
    )
)
def test_qrels_and_lists(text: str) -> None:
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "x.qrels"
        path.write_bytes(text.encode("utf-8", "surrogatepass"))
        for read in (load_qrels, load_lists):
            with suppress(BadInput):
                read(path)


SHEETS = ["decisions.csv", "labels.csv", "metadata.csv", "gathered.csv"]
SHEET = st.lists(
    st.lists(TEXTS | st.sampled_from(["document", "path", "area", "area by"]), max_size=4), max_size=5
).map(lambda rows: "\n".join(",".join(row) for row in [["document", "path", "left out because"], *rows]))


@given(st.sampled_from(SHEETS), SHEET | st.text(max_size=100), st.binary(max_size=4))
def test_files_that_people_decide_in(sheet: str, text: str, noise: bytes) -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        create(folder)
        (folder / sheet).write_bytes(text.encode("utf-8", "surrogatepass") + (noise if len(noise) > 3 else b""))
        with suppress(BadInput):
            workspace = Workspace(folder)
            assert all(map(str.strip, workspace.decisions.reasons.values()))
            assert isinstance(workspace.metadata.of("a.md"), dict)
            workspace.labels.set("area", {"a.md": "Moss Cut"})  # and what is written over it can be read again
            assert Workspace(folder).labels.given("area")["a.md"] == "Moss Cut"
            for source in GatheredSources(folder):
                assert source.path.is_absolute()


LOG_ROWS = st.lists(
    st.lists(TEXTS | st.sampled_from(["may i fish", "and this year?", "2031-05-02", "s1", "3", "user"]), max_size=5),
    max_size=6,
).map(lambda rows: [["question", "when", "session", "times", "role"], *rows])


@given(st.sampled_from(["l.csv", "l.tsv", "l.jsonl", "l.txt"]), LOG_ROWS, st.binary(max_size=30))
def test_logs_of_questions(name: str, rows: list[list[str]], noise: bytes) -> None:
    body = "\n".join(",".join(row) for row in rows).encode("utf-8", "surrogatepass")
    lines = "\n".join(json.dumps(dict(zip(rows[0], row))) for row in rows[1:]).encode()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / name
        for data in (body, lines, noise, body + noise):
            path.write_bytes(data)
            with suppress(BadInput):
                for enquiry in gathered(load_log(path).entries, lambda some: [text for text, _ in some]).enquiries:
                    enquiry.question.encode()


WORDS = st.sampled_from(
    "area issued and or not in like is null true between ( ) , = <> != < >= 'Moss Cut' 'x' \"odd\" 5 -3.5 % '%a%b%' \x00 ²".split(
        " "
    )
)


@given(
    st.lists(WORDS | TEXTS, max_size=30).map(" ".join)
    | st.sampled_from(["(" * 5000, "not " * 5000, "a = " + "9" * 5000])
)
def test_conditions(condition: str) -> None:
    rows = [{"area": "Moss Cut", "issued": 5}, {"area": ["a", "b" * 2000], "odd": True}, {}]
    with suppress(BadInput):
        filters.check(condition, rows)
        parsed_condition = filters.parse(condition)
        for row in rows:
            filters.passes(parsed_condition, row)


@given(st.text(alphabet="ab%_", max_size=60), st.text(alphabet="ab", max_size=3000))
def test_like_is_quick_and_means_what_it_says(like: str, text: str) -> None:
    condition = filters.parse(f"t like '{like}'")
    found = filters.passes(condition, {"t": text})
    if len(text) < 12:
        assert found == slowly_like(like, text)


def slowly_like(like: str, text: str) -> bool:
    """The definition: % any characters, _ one."""
    if not like:
        return not text
    if like[0] == "%":
        return any(slowly_like(like[1:], text[place:]) for place in range(len(text) + 1))
    return bool(text) and like[0] in ("_", text[0]) and slowly_like(like[1:], text[1:])


HOUSE = Connection("house", "http://house.test", "small", attempts=2, backoff=0.0, patience=0.0, timeout=5.0)
FIELDS = {
    "kind": "any",
    "audience": "boaters",
    "examples": ["can i moor here"],
    "avoid": ["overstay"],
    "first": "A gate.",
    "second": "A weir.",
    "question": "Why?", "count": 2, "title": "T", "headings": "H", "passage": "P.", "style": "quote", "answer": "A.",
    "about": "A?", "levels": "0: a\n1: b", "cases": ["c"], "reference": "R.", "before": ["b"], "glossary": ["a: b"],
    "claims": ["C."], "facts": ["f"], "context": [{"number": 1, "source": "s", "text": "t"}],
}  # fmt: skip
JSONS = st.recursive(
    st.none() | TEXTS | NUMBERS | st.booleans(),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=8), inner, max_size=4),
    max_leaves=10,
)
DEEP = st.sampled_from(
    [b"[" * 100_000, b'{"a":' * 50_000, b'{"a": 1e999}', b'{"a": ' + b"9" * 5000 + b"}", b"\xff\xfe{}", b""]
)
HEADERS = st.fixed_dictionaries(
    {},
    optional={
        "Retry-After": st.sampled_from(["²", "1e999", "-5", "9" * 400, "Wed, 21 Oct 99999 07:28:00 GMT", "0", ""]),
        "Content-Type": st.sampled_from(["text/html", "application/json; charset=undefined", "x; charset=utf-7", ""]),
        "Content-Encoding": st.sampled_from(["gzip", "br", "identity", "deflate", "gzip, gzip"]),
    },
)


def dumped(value: Any) -> bytes:
    with suppress(ValueError):
        return json.dumps(value).encode()
    return b"{}"


BODIES = JSONS.map(dumped) | DEEP | st.binary(max_size=60)
STATUS = st.sampled_from([200, 200, 200, 204, 302, 400, 404, 418, 422, 429, 500, 503, 529])


def answering(status: int, headers: dict[str, str], body: bytes) -> httpx.MockTransport:
    def handle(request: httpx.Request) -> httpx.Response:
        sent = [(name.encode(), value.encode()) for name, value in headers.items()]
        return httpx.Response(status, headers=sent, stream=httpx.ByteStream(body))

    return httpx.MockTransport(handle)


@given(STATUS, HEADERS, BODIES)
def test_replies_of_a_server(status: int, headers: dict[str, str], body: bytes) -> None:
    async def work() -> None:
        caller = Caller(HOUSE, answering(status, headers, body))
        with suppress(Refused, Unavailable):
            posted = await caller.post("/v1/x", {"a": 1}, 10)
            json.dumps(posted.body).encode()
        await caller.close()

    asyncio.run(work())


CONTENT = st.sampled_from(list(RECORDS)).flatmap(
    lambda task: st.tuples(
        st.just(task), st.dictionaries(st.sampled_from(list(schema(task)["properties"])), JSONS, max_size=4) | JSONS
    )
)


@given(CONTENT, st.dictionaries(st.sampled_from(["prompt_tokens", "completion_tokens"]), JSONS), st.integers(0, 30))
def test_records_in_replies(content: tuple[str, Any], usage: dict[str, Any], cut: int) -> None:
    task, value = content
    text = dumped(value).decode()
    body = dumped(
        {"choices": [{"message": {"content": text[: len(text) - cut] if cut > 20 else text}}], "usage": usage}
    )
    fields = {name: FIELDS[name] for name in TASKS[task]}
    model = HttpLanguageModel(HOUSE, transport=answering(200, {}, body))
    [reply] = model.perform([Task(task, fields)])
    assert (reply.value is None) == bool(reply.failure)
    assert 0 <= model.spent.tokens_in < 10**10
    if reply.value is not None:
        json.dumps(reply.value, ensure_ascii=False).encode()


@given(
    st.text(alphabet="{}[]\"\\:,`json \n-1a'T", max_size=200) | st.sampled_from(["```" + " " * 100_000, "{" * 90_000])
)
def test_finding_a_record_in_what_a_model_writes(text: str) -> None:
    with suppress(Unfit):
        found_objects(text)
    with suppress(ValueError):
        parsed(text)


ROW = st.dictionaries(st.sampled_from(["index", "embedding", "relevance_score", "score"]), JSONS, max_size=4)
VECTOR = st.lists(st.floats(width=32), min_size=0, max_size=3)


@given(
    st.lists(ROW | st.fixed_dictionaries({"index": JSONS, "embedding": VECTOR, "relevance_score": NUMBERS}), max_size=3)
    | JSONS
)
def test_vectors_and_scores_of_a_server(rows: Any) -> None:
    transport = answering(200, {}, dumped({"data": rows, "results": rows, "usage": {"prompt_tokens": rows}}))
    with suppress(Unavailable):
        found = HttpEmbedder(HOUSE, transport=transport).embed(["one", "two"], {})
        assert np.isfinite(found).all()
    with suppress(Unavailable):
        [scores] = HttpReranker(HOUSE, transport=transport).score([("why?", ["one", "two"])])
        assert np.isfinite(scores).all()


CELLS = st.text(max_size=20) | st.sampled_from(["7" * 5000, '"', "nan", "1e999", "a,b;c\td|e", "\ud800"])


@given(
    st.sampled_from(["r.csv", "r.tsv", "r.jsonl", "r.json"]),
    st.lists(st.lists(CELLS, max_size=5), max_size=6).map(lambda rows: "\n".join(",".join(row) for row in rows))
    | st.lists(JSONS.map(dumped).map(bytes.decode), max_size=5).map("\n".join)
    | DEEP.map(lambda body: body.decode("latin-1")),
)
def test_records(name: str, text: str) -> None:
    with suppress(Unreadable):
        documents = read_all(name, text.encode("utf-8", "surrogatepass"), Reading())
        assert len({document.name for document in documents}) == len(documents)
        for document in documents:
            document.text.encode()
            json.dumps(document.meta, ensure_ascii=False).encode()


def tarred() -> bytes:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w") as archive:
        for name, body in (("a.txt", b"The first text."), ("b/c.md", b"# Two\n\nThe second."), ("d.txt", b"Third.")):
            entry = tarfile.TarInfo(name)
            entry.size = len(body)
            archive.addfile(entry, io.BytesIO(body))
    return buffer.getvalue()


def packed() -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("a.txt", "The first text. " * 20)
        archive.writestr("b/c.csv", "title,body\nOne,A text of some length that is long enough to be one.\n")
        archive.writestr("d.html", "<p>Third.</p>")
    return buffer.getvalue()


SAMPLES: dict[str, bytes] = {
    "a.zip": packed(),
    "a.tar": tarred(),
    "a.tar.gz": gzip.compress(tarred(), mtime=0),
    "a.txt.gz": gzip.compress(b"Some text. " * 50, mtime=0),
    "a.docx": word_file(),
    "a.epub": zipped(**EPUB),
    "a.html": b'<html><head><meta charset="utf-8"></head><body><h1>H</h1><table><tr><td>1</td></tr></table></body></html>',
    "a.md": b"# Head\n\n| a | b |\n|---|---|\n| 1 | 2 |\n\n- item\n\n```\ncode\n```\n",
    "a.txt": "Überschrift\n=====\n\nText.".encode("utf-16"),
}
HARM = st.tuples(
    st.sampled_from(["flip", "cut", "drop", "copy", "put"]), st.floats(0, 1), st.binary(min_size=1, max_size=12)
)


def harmed(data: bytes, harms: list[tuple[str, float, bytes]]) -> bytes:
    """Bytes with some damage done to them."""
    body = bytearray(data)
    for how, where, noise in harms:
        place = int(where * max(0, len(body) - 1))
        if how == "flip" and body:
            body[place] ^= noise[0] or 1
        elif how == "cut":
            del body[place:]
        elif how == "drop":
            del body[place : place + len(noise)]
        elif how == "copy":
            body[place:place] = body[place : place + 40]
        else:
            body[place : place + len(noise)] = noise
    return bytes(body)


@given(st.sampled_from(sorted(SAMPLES)), st.lists(HARM, max_size=5))
def test_archives_and_documents(name: str, harms: list[tuple[str, float, bytes]]) -> None:
    with suppress(Unreadable):
        found = read_file(name, harmed(SAMPLES[name], harms), Reading())
        assert found.documents or found.failed or found.passed_over
        names = [document.name for document in found.documents]
        assert len(set(names)) == len(names)
        for document in found.documents:
            document.name.encode()
            document.text.encode()


@given(st.sampled_from(sorted(FORMATS)), st.binary(max_size=400) | st.text(max_size=200).map(str.encode))
def test_any_bytes_as_any_format(form: str, data: bytes) -> None:
    suffix = FORMATS[form][2][0]
    with suppress(Unreadable):
        read_all(f"x{suffix}", data, Reading())


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A store with a document and a run, its log folded in."""
    from ..conftest import QUESTIONS, Program, write_testset

    folder = tmp_path_factory.mktemp("store")
    program = Program(folder)
    program("new", ".")
    (folder / "moorings.md").write_text("# Moorings\n\nA boat may stay at a visitor mooring for 48 hours.")
    program("gather", "moorings.md")
    write_testset(folder, QUESTIONS[:1])
    program("run")
    return folder / ".aventrik"


@given(harms=st.lists(HARM, min_size=1, max_size=4))
def test_a_damaged_store(store: Path, harms: list[tuple[str, float, bytes]]) -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / ".aventrik"
        folder.mkdir()
        (folder / "store.db").write_bytes(harmed((store / "store.db").read_bytes(), harms))
        shutil.copytree(store / "arrays", folder / "arrays")
        looks: list[Callable[[Any], Any]] = [
            lambda opened: [opened.runs.questions(run.id) for run in opened.runs.all()],
            lambda opened: [opened.documents.document(name).text for name in opened.documents.names()],
            lambda opened: list(opened.documents.details()),
            lambda opened: opened.damaged(),
            lambda opened: opened.holds(),
        ]
        with suppress(AventrikError):
            opened = open_store(folder)
            for look in looks:
                with suppress(AventrikError, KeyError):
                    look(opened)
            opened.close()


def test_the_starter_stands_up_to_any_folder_name(tmp_path: Path) -> None:
    for name in ('quote"d', "back\\slash", "new\nline", "brace{}s", "odd\udcff", "tab\there"):
        create(tmp_path / name)
        assert Workspace(tmp_path / name).settings.name
