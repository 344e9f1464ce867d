"""The store on a PostgreSQL server: what several processes share, what breaks, and what a user can get wrong."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path

import psycopg
import pytest

from aventrik.core.errors import BadInput, Unavailable
from aventrik.models.calls import Call, Memory, turns
from aventrik.storage import Address, open_store
from aventrik.storage.protocols import Kept, Store
from aventrik.storage.server import database as module
from aventrik.storage.server.database import ServerDatabase
from aventrik.storage.tables.schema import FORMAT

from ..conftest import Program, chat_server, name_house
from ..servers import DatabaseServer


def store_at(address: str, folder: Path, **more: object) -> Store:
    return open_store(Address(folder, address, **more))  # type: ignore[arg-type]


def told(address: str, folder: Path, kind: type[Exception] = BadInput, **more: object) -> str:
    with pytest.raises(kind) as caught:
        store_at(address, folder, **more)
    return str(caught.value)


# What a user can get wrong.


def test_what_the_server_refuses_is_told_in_one_line(
    database: str, database_server: DatabaseServer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    server = database_server
    name = database.split("/")[3].split("?")[0]
    assert "does not exist" in told(server.address("nobody_made_this"), tmp_path)
    assert "does not exist" in told(server.address(name, user="nobody_at_all"), tmp_path)
    unknown = told("postgresql://u@no-such-host.invalid/d", tmp_path, Unavailable)
    assert "can't be reached" in unknown
    assert "can't be reached" in told("postgresql://u@127.0.0.1:9/d", tmp_path, Unavailable)
    server.run(database, "CREATE ROLE guest LOGIN", f"REVOKE CREATE ON DATABASE {name} FROM PUBLIC")
    assert "the user may not do that" in told(server.address(name, user="guest"), tmp_path)
    assert not server.run(database, "SELECT 1 FROM pg_namespace WHERE nspname = 'aventrik'")
    monkeypatch.setattr(module, "OLDEST", 99)
    assert "99 or newer is needed" in told(database, tmp_path)


def test_a_wrong_password_is_told_without_the_password(
    database_server: DatabaseServer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    server = database_server
    server.run(server.address("postgres"), "CREATE ROLE keeper LOGIN PASSWORD 'right'")
    rules = server.folder / "pg_hba.conf"
    before = rules.read_text()
    rules.write_text(f"local all keeper scram-sha-256\n{before}")
    try:
        server.run(server.address("postgres"), "SELECT pg_reload_conf()")
        time.sleep(0.5)
        monkeypatch.setenv("PGPASSWORD", "quite-wrong")
        line = told(server.address("postgres", user="keeper"), tmp_path)
        assert "does not let the user in" in line
        assert "PGPASSWORD" in line
        assert "quite-wrong" not in line
    finally:
        rules.write_text(before)
        server.run(server.address("postgres"), "SELECT pg_reload_conf()")


@pytest.mark.parametrize(
    ("address", "reason"),
    [
        ("mysql://h/d", "must begin with postgresql://"),
        ("postgresql://u:secret@h/d", "must hold no password"),
        ("postgresql://h/d?password=secret", "must hold no password"),
        ("postgresql://h:99999/d", "can't be understood"),
    ],
)
def test_an_address_in_the_settings_is_checked_and_a_password_never_taken(
    workspace: Program, address: str, reason: str
) -> None:
    with open(workspace.folder / "aventrik.toml", "a") as file:
        file.write(f'\n[store]\naddress = "{address}"\n')
    line = workspace.fails("store")
    assert reason in line
    assert "secret" not in line


def test_a_store_of_a_newer_program_is_left_alone_and_one_of_an_older_is_brought_up(
    database: str, database_server: DatabaseServer, tmp_path: Path
) -> None:
    store = store_at(database, tmp_path)
    store.results.keep([Kept("a", "answer", "d", b"x")])
    store.close()
    run = database_server.run
    run(database, *(f"DROP TABLE aventrik.{each}" for each in ("under_way", "buckets", "decided")))
    run(database, "UPDATE aventrik.about SET value = '5'")
    store = store_at(database, tmp_path)
    assert store.results.values(["a"]) == {"a": b"x"}
    assert store.calls.claim(["k"]) == {"k"}
    assert run(database, "SELECT value FROM aventrik.about") == [(str(FORMAT),)]
    # Another version takes the store over while this one is at work: it stops at the next connection.
    run(database, "UPDATE aventrik.about SET value = '99'")
    assert "made by a newer Aventrik" in told(database, tmp_path)
    _cut(database, database_server)
    with pytest.raises(BadInput, match="another version"):
        store.results.values(["a"])


def _cut(address: str, server: DatabaseServer) -> None:
    """Ends all connections to a database."""
    name = address.split("/")[3].split("?")[0]
    server.run(
        server.address("postgres"), f"SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = '{name}'"
    )


# Connections that break.


def test_a_lost_connection_is_made_anew_and_what_was_being_done_is_done_again(
    database: str, database_server: DatabaseServer, tmp_path: Path
) -> None:
    store = store_at(database, tmp_path)
    for number in range(3):
        _cut(database, database_server)
        store.results.keep([Kept(f"k{number}", "answer", "d", b"x")])
        _cut(database, database_server)
        assert len(store.results.digests(["k0", "k1", "k2"])) == number + 1
    number = store.runs.begin("identity", "name", "set", {"corpus": ""}, 0)
    _cut(database, database_server)
    store.runs.finish(number, [], {"seconds": {"answer": 1.0}})
    assert [run.costs for run in store.runs.all()] == [{"seconds": {"answer": 1.0}}]


def test_a_connection_that_is_lost_in_a_transaction_leaves_nothing_of_it(
    database: str, database_server: DatabaseServer, tmp_path: Path
) -> None:
    store = store_at(database, tmp_path)

    def write() -> None:
        with store.transaction():
            store.results.keep([Kept("first", "answer", "d", b"x")])
            _cut(database, database_server)
            store.results.keep([Kept("second", "answer", "d", b"x")])

    with pytest.raises(Unavailable, match="in the middle of a transaction"):
        write()
    assert store.results.digests(["first", "second"]) == {}
    store.results.keep([Kept("third", "answer", "d", b"x")])
    assert set(store.results.digests(["third"])) == {"third"}


def test_a_server_that_stays_away_is_told_when_the_patience_ends(database: str, tmp_path: Path) -> None:
    store = store_at(database, tmp_path, patience=0.3)
    db = store.database  # type: ignore[attr-defined]
    db._db.close()
    db.address = "postgresql://u@127.0.0.1:9/d"
    began = time.monotonic()
    with pytest.raises(Unavailable, match="the same command goes on"):
        store.results.values(["a"])
    assert time.monotonic() - began < 10


# What several processes share.


def test_two_that_want_the_same_call_make_it_once(database: str, tmp_path: Path) -> None:
    one, other = store_at(database, tmp_path), store_at(database, tmp_path)
    keys = ["a", "b", "c"]
    assert one.calls.claim(keys) == set(keys)
    assert one.calls.claim(["a"]) == {"a"}  # what one has it may have again
    assert other.calls.claim(["b", "d"]) == {"d"}
    one.calls.keep([Call("b", "m", "answer", "q", "made by one")])
    one.calls.release(keys)
    made: list[str] = []
    for mine, found in turns(other.calls, ["a", "b"], 64):
        made.extend(mine)
        other.calls.keep([Call(key, "m", "answer", "q", "made by other") for key in mine])
        assert {key: call.reply for key, call in found.items()} in ({}, {"b": "made by one"})
    assert made == ["a"]


def test_what_another_makes_is_waited_for_and_made_here_when_it_ends_without_it(database: str, tmp_path: Path) -> None:
    one, other = store_at(database, tmp_path), store_at(database, tmp_path)
    one.calls.claim(["a", "b"])
    waited: list[int] = []

    def finish() -> None:
        time.sleep(0.4)
        one.calls.keep([Call("a", "m", "answer", "q", "late")])
        one.close()  # without b

    thread = threading.Thread(target=finish)
    thread.start()
    rows = [(mine, set(found)) for mine, found in turns(other.calls, ["a", "b"], 64, waited.append)]
    thread.join()
    assert waited[0] == 2
    assert [pair for pair in rows if pair != ([], set())] == [(["b"], {"a"})]


@pytest.mark.parametrize("kind", ["server", "embedded"])
def test_a_limit_is_one_for_all_who_use_the_store(kind: str, database: str, tmp_path: Path) -> None:
    address = database if kind == "server" else ""
    one, other = store_at(address, tmp_path), store_at(address, tmp_path)
    # 60 a minute: one a second, six at once.
    waits = [store.limits.take("m", 60, 1) for store in (one, other) for _ in range(6)]
    assert waits[:6] == [0.0] * 6
    assert waits[6:] == pytest.approx([1, 2, 3, 4, 5, 6], abs=0.9)
    assert other.limits.take("another", 60, 6) == 0.0
    assert Memory().claim(["k"]) == {"k"}


def test_a_session_of_a_dead_process_holds_nothing(tmp_path: Path) -> None:
    store = open_store(tmp_path)
    code = (
        "import os, sys; from pathlib import Path; from aventrik.storage import open_store\n"
        "print(open_store(Path(sys.argv[1])).calls.claim(['a'])); sys.stdout.flush(); os._exit(1)"
    )
    done = subprocess.run([sys.executable, "-c", code, str(tmp_path)], capture_output=True, text=True, check=False)
    assert done.stdout == "{'a'}\n"
    assert store.calls.claim(["a"]) == {"a"}


def test_a_store_that_others_work_with_is_not_cleaned(database: str, tmp_path: Path) -> None:
    one, other = store_at(database, tmp_path), store_at(database, tmp_path)
    with pytest.raises(BadInput, match="1 other processes work with the store"):
        one.clean()
    other.close()
    for _ in range(50):
        if not one.database.others():  # type: ignore[attr-defined]
            break
        time.sleep(0.1)
    assert one.clean()["results"] == 0


def test_times_are_those_of_the_server_whatever_the_clock_here_says(
    database: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    one, late = store_at(database, tmp_path), store_at(database, tmp_path)
    real = time.time()
    assert one.limits.take("m", 60, 6) == 0.0
    monkeypatch.setattr(time, "time", lambda: real - 86_400)  # a machine whose clock is a day behind
    assert late.limits.take("m", 60, 1) == pytest.approx(1, abs=0.9)
    number = late.runs.begin("i", "n", "s", {"corpus": ""}, 0)
    assert number
    assert late.runs.all()[0].started[:10] >= time.strftime("%Y-%m-%d", time.gmtime(real - 3600))


def test_texts_are_ordered_by_their_bytes_and_nul_is_no_reason_to_fail(database: str, tmp_path: Path) -> None:
    db = ServerDatabase(database)
    db.many("INSERT INTO decided VALUES (?, ?, ?)", [("s", name, "a\0b") for name in ("b", "Ä", "a", "B", "_")])
    assert [row[0] for row in db.rows("SELECT name FROM decided ORDER BY name")] == ["B", "_", "a", "b", "Ä"]
    assert db.rows("SELECT DISTINCT value FROM decided") == [("a\ufffdb",)]


# The installed program.


def at_server(program: Program, address: str) -> None:
    with open(program.folder / "aventrik.toml", "a") as file:
        file.write(f'\n[store]\naddress = "{address}"\n')


def test_a_workspace_moves_to_a_server_and_back_with_all_that_it_has(workspace: Program, database: str) -> None:
    workspace("run", "starter", "--label", "before")
    before = workspace.json("compare")
    asked = workspace("explain", "starter", "a1").stdout
    moved = workspace.json("store", "--move", database)
    assert moved["done"]["runs"] == 1
    assert moved["done"]["arrays"] > 0
    settings = (workspace.folder / "aventrik.toml").read_text()
    assert f'[store]\naddress = "{database}"' in settings
    assert "seed" in settings  # all else stands
    assert workspace.json("store")["address"] == database
    assert workspace.json("compare") == before
    assert workspace("explain", "starter", "a1").stdout == asked
    assert workspace.json("run", "starter")[0]["computed"] == {}
    assert workspace.json("store", "--check") == {"damaged": []}
    [run] = workspace.json("runs")
    assert run["label"] == "before"
    text = (workspace.folder / "configs" / "starter.toml").read_text()
    (workspace.folder / "configs" / "two.toml").write_text(text.replace('"starter"', '"two"'))
    assert workspace.json("run", "two")[0]["run"] == 2  # numbered on
    workspace("store", "--back-up", "all.backup")
    assert "already" in workspace.fails("store", "--move", database)
    # Back into the folder, whose store is what it was before: what came since is added.
    assert workspace.json("store", "--move", "folder")["done"]["runs"] == 2
    assert [run["name"] for run in workspace.json("runs")] == ["starter", "two"]
    assert workspace.json("store")["address"].endswith(".aventrik")


def test_a_store_is_not_moved_onto_another(
    workspace: Program, database: str, tmp_path: Path, database_server: DatabaseServer
) -> None:
    other = store_at(database, tmp_path)
    other.runs.begin("somebody's", "name", "set", {"corpus": ""}, 0)
    other.close()
    assert "another store at that address" in workspace.fails("store", "--move", database)
    assert "[store]" not in (workspace.folder / "aventrik.toml").read_text()
    assert "must begin with postgresql://" in workspace.fails("store", "--move", "somewhere")
    with psycopg.connect(database, autocommit=True) as link:
        assert link.execute("SELECT count(*) FROM aventrik.runs").fetchall() == [(1,)]


def test_damage_on_a_server_is_found_by_its_key(workspace: Program, database: str) -> None:
    workspace("run", "starter")
    workspace("store", "--move", database)
    with psycopg.connect(database, autocommit=True) as link:
        link.execute(
            "UPDATE aventrik.results SET value = (SELECT value FROM aventrik.results WHERE stage = 'queries' LIMIT 1) "
            "WHERE id = (SELECT id FROM aventrik.results WHERE stage = 'losses' LIMIT 1)"
        )
    found = json.loads(workspace("store", "--check", "--json", code=1).stdout)["result"]["damaged"]
    assert len(found) == 1
    assert "is not what its key says" in found[0]


@pytest.fixture
def asking(workspace: Program, database: str) -> Callable[[str], Program]:
    """A workspace on a server whose answers a model server gives."""

    def made(address: str) -> Program:
        name_house(workspace, address, "answerer")
        at_server(workspace, database)
        workspace("gather", "docs")
        for number in range(12):
            text = (workspace.folder / "configs" / "starter.toml").read_text()
            text = text.replace('"starter"', f'"c{number}"').replace("size    = 800", f"size = {100 + 20 * number}")
            text = text.replace('model = "offline"', 'model = "house"')
            (workspace.folder / "configs" / f"c{number}.toml").write_text(text)
        return workspace

    return made


def test_processes_on_one_store_make_no_call_twice(asking: Callable[[str], Program]) -> None:
    requests: list[str] = []

    def answer(body: dict[str, object]) -> dict[str, object]:
        requests.append(json.dumps(body["messages"], sort_keys=True))
        time.sleep(0.02)
        reply = {"declined": False, "statements": [{"text": "It may stay.", "cites": [1], "quotes": []}]}
        return {"choices": [{"message": {"content": json.dumps(reply)}}], "usage": {}}

    with chat_server(answer) as address:
        program = asking(address)
        names = [f"c{number}" for number in range(12)]
        running = [
            subprocess.Popen(
                [sys.executable, "-m", "aventrik", "run", *names, "--until", "answer", "--quiet"],
                cwd=program.folder, env={**os.environ, "COLUMNS": "100"}, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
            )
            for _ in range(4)
        ]  # fmt: skip
        ended = [(each.communicate(timeout=200), each.returncode) for each in running]
    assert [code for _, code in ended] == [0] * 4, ended
    assert len(requests) == len(set(requests)) > 0
    assert len(program.json("runs")) == 12
