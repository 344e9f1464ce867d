"""What a server can do to its caller: too much, too slowly, too soon, and with the key in its mouth."""

from __future__ import annotations

import asyncio
import base64
import gzip
import json
import re
import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import quote

import httpx
import pytest

from aventrik.core.errors import BadInput, Unavailable
from aventrik.core.protocols import Task
from aventrik.models.caller import Caller, Posted, Refused
from aventrik.models.connection import Connection
from aventrik.models.language import HttpLanguageModel
from aventrik.models.limits import Pace
from aventrik.models.secret import Secret, read_secret
from aventrik.models.vectors import HttpEmbedder

from ..conftest import Program


@contextmanager
def raw_server(*replies: list[bytes]) -> Iterator[str]:
    """A server that sends these pieces, a tenth of a second apart, for its first, second … connection."""
    listening = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        for pieces in replies:
            try:
                connection, _ = listening.accept()
                connection.recv(65_536)
                for piece in pieces:
                    connection.sendall(piece)
                    time.sleep(0.1)
                connection.close()
            except OSError:
                return

    threading.Thread(target=serve, daemon=True).start()
    yield f"http://127.0.0.1:{listening.getsockname()[1]}"
    listening.close()


def post(connection: Connection, transport: httpx.AsyncBaseTransport | None = None) -> Posted:
    async def work() -> Posted:
        caller = Caller(connection, transport)
        try:
            return await caller.post("/v1/x", {}, 1)
        finally:
            await caller.close()

    return asyncio.run(work())


def test_a_small_reply_that_unpacks_to_a_huge_one_is_given_up_at_the_limit() -> None:
    body = gzip.compress(b'{"a": "' + b"x" * 60_000_000 + b'"}', 1)
    head = f"HTTP/1.1 200 OK\r\nContent-Encoding: gzip\r\nContent-Length: {len(body)}\r\n\r\n".encode()
    with raw_server([head + body]) as address:
        house = Connection("house", address, "m", attempts=1, reply_megabytes=5)
        with pytest.raises(Refused, match=r"over 5 MB \(reply_megabytes\)"):
            post(house)


@pytest.mark.parametrize("packing", ["br", "zstd", "gzip, gzip"])
def test_a_packing_that_was_not_asked_for_is_not_unpacked(packing: str) -> None:
    def handle(request: httpx.Request) -> httpx.Response:
        assert request.headers["accept-encoding"] == "gzip, deflate"
        return httpx.Response(200, headers={"Content-Encoding": packing}, stream=httpx.ByteStream(b"??"))

    with pytest.raises(Refused, match="not asked for"):
        post(Connection("house", "http://h.test", "m", attempts=1), httpx.MockTransport(handle))


def test_a_reply_that_comes_in_drips_ends_at_the_time_of_the_request() -> None:
    head = b"HTTP/1.1 200 OK\r\nContent-Length: 1000\r\n\r\n"
    with raw_server([head, *[b" "] * 900]) as address:
        began = time.monotonic()
        with pytest.raises(Refused, match=r"no answer within 0\.5 s"):
            post(Connection("house", address, "m", attempts=1, timeout=0.5))
        assert time.monotonic() - began < 45  # all the drips would take twice that


class Clock:
    """Time that passes only where it is slept."""

    def __init__(self) -> None:
        self.now = 100.0
        self.slept: list[float] = []

    def __call__(self) -> float:
        return self.now

    async def sleep(self, seconds: float) -> None:
        self.slept.append(seconds)
        self.now += seconds


def test_the_pace_becomes_that_of_the_last_minute_and_grows_again() -> None:
    async def work() -> None:
        clock = Clock()
        pace = Pace(clock, clock.sleep)
        for _ in range(30):
            await pace.take()
            pace.good()
        assert pace.gap == 0
        assert clock.slept == []
        pace.held_up(7)
        assert pace.gap == pytest.approx(2.0)  # 30 in a minute
        await pace.take()
        assert clock.now == pytest.approx(107.0)
        await pace.take()
        assert clock.now == pytest.approx(109.0)
        for _ in range(2000):
            pace.good()
        assert pace.gap == 0

    asyncio.run(work())


def limited(asks: int, wait: str) -> httpx.MockTransport:
    """A server that turns so many requests away before it answers."""
    left = [asks]

    def handle(request: httpx.Request) -> httpx.Response:
        left[0] -= 1
        if left[0] >= 0:
            return httpx.Response(429, headers={"Retry-After": wait} if wait else {}, json={"error": "slow down"})
        return httpx.Response(200, json={"good": True})

    return httpx.MockTransport(handle)


@pytest.mark.parametrize(("wait", "asks"), [("2", 40), ("", 9)])
def test_a_server_that_says_when_to_come_back_is_not_down(wait: str, asks: int) -> None:
    async def work() -> None:
        clock = Clock()
        told: list[tuple[float, float]] = []
        house = Connection("house", "http://h.test", "m", attempts=2, concurrency=1)
        caller = Caller(house, limited(asks, wait), clock.sleep, lambda passed, whole: told.append((passed, whole)))
        posted = await caller.post("/v1/x", {}, 1)
        assert posted.body == {"good": True}
        assert posted.attempts == asks + 1
        assert sum(clock.slept) > 30
        assert told  # it is shown
        await caller.close()

    asyncio.run(work())


def test_a_wait_beyond_the_patience_ends_the_work_and_says_so() -> None:
    house = Connection("house", "http://h.test", "m", patience=60)
    with pytest.raises(
        Unavailable, match=r"left alone for 3,600 s in all, over the patience of 60 s; what was finished"
    ):
        post(house, limited(1, "3600"))


AWKWARD = [
    "key-ab/cd+ef==",
    "sk.'quoted\"&<%>",
    "back\\slash-key",
    "p%41ss:word#1",
    "0123456789abcdef" * 4,
    "Zebra7~^{}|`",
]


@pytest.mark.parametrize("key", AWKWARD)
def test_no_form_of_a_key_comes_through(key: str) -> None:
    secret = Secret(key)
    raw = key.encode()
    forms = [
        key,
        json.dumps(key),
        json.dumps({"k": f"Bearer {key}"}),
        repr(key),
        repr(f"Bearer {key}".encode()),
        quote(key, safe=""),
        re.sub("%..", lambda found: found[0].lower(), quote(key, safe="")),
        "".join(f"%{byte:02x}" for byte in raw),
        "".join(f"\\u{byte:04x}" for byte in raw),
        "".join(f"\\x{byte:02x}" for byte in raw),
        key.replace("/", "\\/"),
        *(
            base64.b64encode(lead.encode() + raw + tail).decode()
            for lead in ("", "B", "Be", "Bearer ")
            for tail in (b"", b"!", b"??")
        ),
    ]
    for form in forms:
        cleaned = secret.clean(f"before {form} after")
        assert key not in cleaned, form
        assert "[key]" in cleaned, form
    assert secret.cleaned({"a": [key, {key: 1}], "b": 2.5, "c": None}) == {
        "a": ["[key]", {"[key]": 1}],
        "b": 2.5,
        "c": None,
    }
    assert secret.clean("nothing of it here") == "nothing of it here"
    assert key not in repr(secret)


def test_a_placeholder_for_a_key_spoils_no_answer(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("HOUSE_KEY", "none")
    house = Connection("house", "http://h.test", "m", key_variable="HOUSE_KEY", attempts=1)
    for key, status, told in (
        ("none", 200, "none of it"),
        ("none", 400, "[key] of it"),
        ("long-secret", 200, "[key]!"),
    ):
        monkeypatch.setenv("HOUSE_KEY", key)
        body = {"text": [0.5, told.replace("[key]", key)]}  # in a list that begins like a vector
        transport = httpx.MockTransport(lambda request, status=status, body=body: httpx.Response(status, json=body))
        if status == 200:
            assert post(house, transport).body == {"text": [0.5, told]}
        else:
            with pytest.raises(Refused, match=re.escape(told)):
                post(house, transport)


@pytest.mark.parametrize(
    ("found", "told"),
    [
        (None, "is not set"),
        ("  \n", "is not set"),
        ("ab\rcd-secret", "can't be sent"),
        ("schlüssel", "can't be sent"),
        ("a b", "can't be sent"),
    ],
)
def test_a_key_that_no_header_can_hold_is_told_without_quoting_it(found: str | None, told: str) -> None:
    with pytest.raises(BadInput, match=told) as caught:
        read_secret("model 'house'", "HOUSE_KEY", found)
    assert "HOUSE_KEY" in str(caught.value)
    assert "secret" not in str(caught.value)
    assert "schl" not in str(caught.value)
    assert read_secret("m", "K", " good-key\r\n").value == "good-key"


@pytest.mark.parametrize("key", AWKWARD)
def test_planted_keys_are_in_no_file_and_no_output(workspace: Program, key: str) -> None:
    """A server that repeats its key in every form, in good replies and in bad ones; the whole workspace is searched."""
    said = f"{key} {json.dumps(key)} {quote(key, safe='')} {base64.b64encode(f'Bearer {key}'.encode()).decode()}"
    good = {"choices": [{"message": {"content": json.dumps({"declined": False, "statements": [{"text": said}]})}}]}

    def reply(status: int, body: object) -> bytes:
        data = json.dumps(body).encode()
        return f"HTTP/1.1 {status} X\r\nConnection: close\r\nContent-Length: {len(data)}\r\n\r\n".encode() + data

    with raw_server([reply(400, {"error": said})], *[[reply(200, good)]] * 8) as address:
        with (workspace.folder / "aventrik.toml").open("a") as file:
            file.write(
                f'\n[models.house]\nkind = "http"\naddress = "{address}"\nmodel = "m"\nkey_variable = "HOUSE_KEY"\n'
            )
            file.write("concurrency = 1\nattempts = 1\n")
        path = workspace.folder / "configs" / "starter.toml"
        path.write_text(path.read_text().replace('model = "offline"', 'model = "house"'))
        done = workspace("run", "--debug", HOUSE_KEY=f"{key}\n")
        shown = done.stdout + done.stderr
        shown += workspace("explain", "1", "--json", HOUSE_KEY=key).stdout
        shown += workspace("compare", HOUSE_KEY=key).stdout
    assert key not in shown
    raw = base64.b64encode(f"Bearer {key}".encode()).decode().rstrip("=")[8:-1]
    for file in workspace.folder.rglob("*"):
        if file.is_file():
            body = file.read_bytes()
            assert key.encode() not in body, file
            assert raw.encode() not in body, file
    assert key not in everything_stored(workspace.folder)
    assert "[key]" in everything_stored(workspace.folder)


def everything_stored(folder: Path) -> str:
    """All values of a workspace's store, unpacked."""
    import sqlite3

    from aventrik.storage.packing import unpacked

    found = []
    with sqlite3.connect(folder / ".aventrik" / "store.db") as db:
        for table in ("calls", "results", "runs", "questions"):
            for row in db.execute(f"SELECT * FROM {table}"):
                for value in row:
                    try:
                        found.append(
                            json.dumps(unpacked(value), ensure_ascii=False) if isinstance(value, bytes) else str(value)
                        )
                    except Exception:
                        found.append(str(value))
    return "\n".join(found)


def test_the_text_of_the_http_library_about_a_header_is_never_shown(monkeypatch: pytest.MonkeyPatch) -> None:
    def handle(request: httpx.Request) -> httpx.Response:
        raise httpx.LocalProtocolError(f"Illegal header value b'Bearer {'hush-' + 'hush'}'")

    monkeypatch.setenv("HOUSE_KEY", "hush-hush")
    house = Connection("house", "http://h.test", "m", key_variable="HOUSE_KEY", attempts=1)
    with pytest.raises(Refused, match="could not be sent as HTTP") as caught:
        post(house, httpx.MockTransport(handle))
    assert "hush" not in str(caught.value)


def test_half_of_an_emoji_costs_nothing_and_an_answer_without_end_is_refused() -> None:
    def chat(content: str) -> httpx.MockTransport:
        body = json.dumps({"choices": [{"message": {"content": content}}]})
        return httpx.MockTransport(lambda request: httpx.Response(200, text=body))

    task = Task("summary", {"title": "", "headings": "", "passage": "P."})
    house = Connection("house", "http://h.test", "m")
    [reply] = HttpLanguageModel(house, transport=chat('{"summary": "cut \\ud83d here"}')).perform([task])
    assert reply.value == {"summary": "cut \ufffd here"}
    many = json.dumps({"declined": False, "statements": [{"text": "A."}] * 20_000})
    wanted = Task("answer", {"question": "?", "context": [{"number": 1, "source": "", "text": "t"}], "style": "quote"})
    [reply] = HttpLanguageModel(house, transport=chat(many)).perform([wanted])
    assert reply.value is None
    assert "at most 200 items" in reply.failure


@pytest.mark.parametrize("indices", [[0, 0], [-1, 0], [1, 2], [True, False], ["0", "1"], [0.0, 1.0]])
def test_embeddings_whose_indices_do_not_fit_are_refused(indices: list[object]) -> None:
    rows = [{"index": index, "embedding": [1.0, float(n)]} for n, index in enumerate(indices)]
    transport = httpx.MockTransport(lambda request: httpx.Response(200, json={"data": rows}))
    with pytest.raises(Unavailable, match="from 0 to 1, each once"):
        HttpEmbedder(Connection("house", "http://h.test", "m"), transport=transport).embed(["a", "b"], {})
