"""Model servers through the installed program and a real socket: the stand-in, well-behaved and not."""

from __future__ import annotations

import json
import os
import sqlite3
import subprocess
import sys
import urllib.request
from collections.abc import Callable, Iterator
from typing import Any

import pytest

from ..conftest import Program, run_until_killed, write_testset

KEY = "zebra-4711-quagga"
SERVED = """
name = "served"
[embedding]
model = "vecs"
[rewriting]
method = "paraphrases"
[[reranking]]
step = "cross-encoder"
model = "ranks"
[answering]
model = "house"
"""


class Server:
    """A running stand-in."""

    def __init__(self, *options: str, **environment: str) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "aventrik", "standin", "--port", "0", "--json", *options],
            stdout=subprocess.PIPE,
            text=True,
            env={**os.environ, **environment},
        )
        assert self.process.stdout is not None
        lines = ""
        while not lines.rstrip().endswith("}\n}"):
            lines += self.process.stdout.readline()
        self.address: str = json.loads(lines)["result"]["address"]

    def log(self) -> dict[str, Any]:
        """The server's own counts."""
        with urllib.request.urlopen(f"{self.address}/log") as reply:
            return dict(json.load(reply))

    def stop(self) -> None:
        """Ends it."""
        self.process.kill()
        self.process.wait()


@pytest.fixture
def server() -> Iterator[Callable[..., Server]]:
    """Starts stand-ins, and stops them at the end."""
    started: list[Server] = []

    def start(*options: str, **environment: str) -> Server:
        started.append(Server(*options, **environment))
        return started[-1]

    yield start
    for each in started:
        each.stop()


def configure(workspace: Program, address: str, roles: str = "", **house: Any) -> None:
    """Three models on one server, and a configuration that uses all of them."""
    extra = "".join(f"{name} = {json.dumps(value)}\n" for name, value in house.items())
    models = [("house", "language", "standin"), ("vecs", "embedding", "standin-vectors"), ("ranks", "reranking", "r")]
    text = f"[roles]\n{roles}\n" + "".join(
        f'[models.{name}]\nkind = "http"\ndoes = "{does}"\naddress = "{address}"\nmodel = "{model}"\nbackoff = 0.02\n'
        f"price_in = 1.0\nprice_out = 2.0\n{extra if name == 'house' else ''}"
        for name, does, model in models
    )
    (workspace.folder / "aventrik.toml").write_text(text)
    (workspace.folder / "configs" / "served.toml").write_text(SERVED)


ALL_ROLES = 'writer = "house"\nrewriter = "house"\nanswerer = "house"\njudge = "house"'


def test_a_served_run_scores_as_the_offline_one_and_costs_what_the_server_counted(
    workspace: Program, server: Callable[..., Server]
) -> None:
    one = server()
    configure(workspace, one.address, ALL_ROLES)
    [row] = workspace.json("run", "served")
    assert row["models"]["failed"] == 0
    assert row["models"]["calls"] == one.log()["served_distinct"] > 10
    spent = row["models"]["tokens_in"] * 1.0 + row["models"]["tokens_out"] * 2.0
    assert row["models"]["money"] == pytest.approx(spent / 1e6)
    measures = workspace.json("compare")["runs"][0]["measures"]
    assert measures["hit@5"]["mean"] == 1.0
    assert measures["groundedness"]["mean"] == 1.0
    assert measures["declined-rightly"]["mean"] == 1.0
    run = workspace.json("runs")[0]
    assert set(run["made"]["prompts"]) == {"paraphrases", "answer", "claims", "verdict", "stated", "addressed"}
    assert f"{row['models']['calls']:,.0f}" in workspace("runs").stdout


def test_another_configuration_pays_only_for_what_is_new(workspace: Program, server: Callable[..., Server]) -> None:
    one = server()
    configure(workspace, one.address, ALL_ROLES)
    workspace("run", "served")
    before = one.log()["requests"]
    text = SERVED.replace('"served"', '"keeps-two"') + "[context]\nkeep = 2\n"
    (workspace.folder / "configs" / "two.toml").write_text(text)
    [row] = workspace.json("run", "two")
    assert one.log()["requests"] - before == row["models"]["calls"]
    assert "queries" not in row["computed"]
    [again] = workspace.json("run", "served", "--fresh")
    assert again["models"]["calls"] > 0
    assert one.log()["served_again"] > 0


def test_drafting_by_a_server(workspace: Program, server: Callable[..., Server]) -> None:
    one = server()
    configure(workspace, one.address)
    found = workspace.json("draft", "-n", "4", "--writer", "house")
    assert found["drafted"] == 4
    assert one.log()["outcomes"]["served"] >= 1
    lines = (workspace.folder / "testsets" / "draft.jsonl").read_text().splitlines()
    assert {json.loads(line)["by"] for line in lines} == {"house"}
    assert "did you mean house?" in workspace.fails("draft", "--testset", "x", "--writer", "hose")


def test_with_a_bad_server_every_item_ends_right_or_recorded_as_failed_and_none_is_paid_twice(
    workspace: Program, server: Callable[..., Server]
) -> None:
    """20 % of replies fail, 5 % hang, 5 % are broken JSON."""
    one = server("--fail", "0.2", "--hang", "0.05", "--broken", "0.05", "--seed", "3")
    configure(workspace, one.address, 'answerer = "house"\njudge = "house"', timeout=0.7, concurrency=16)
    (workspace.folder / "configs" / "plain.toml").write_text('name = "plain"\n[answering]\nmodel = "house"\n')
    rows = [
        {"id": f"n{n}", "question": f"How long may boat {n} stay at a visitor mooring?", "kind": "unanswerable"}
        for n in range(60)
    ]
    write_testset(workspace.folder, rows, "many")
    [row] = workspace.json("run", "plain", "--testset", "many")
    log = one.log()
    assert log["served_again"] == 0
    assert log["outcomes"]["failed"] > 5
    with sqlite3.connect(workspace.folder / ".aventrik" / "store.db") as db:
        good, bad = db.execute("SELECT sum(failure = ''), sum(failure <> '') FROM calls").fetchone()
        scored = db.execute("SELECT count(*) FROM results WHERE stage = 'queries'").fetchone()[0]
    assert good + bad == row["models"]["calls"]
    assert bad == row["models"]["failed"]
    assert good <= log["served_distinct"]
    assert scored == 60
    again = one.log()["requests"]
    assert workspace.json("run", "plain", "--testset", "many")[0]["computed"] == {}
    assert one.log()["requests"] == again


def test_killed_in_the_middle_only_unfinished_calls_are_made_again(
    workspace: Program, server: Callable[..., Server]
) -> None:
    one = server("--latency", "0.05")
    configure(workspace, one.address, 'answerer = "house"\njudge = "house"', concurrency=4)
    (workspace.folder / "configs" / "plain.toml").write_text('name = "plain"\n[answering]\nmodel = "house"\n')
    rows = [{"id": f"n{n}", "question": f"How long may boat {n} stay?", "kind": "unanswerable"} for n in range(80)]
    write_testset(workspace.folder, rows, "many")
    run_until_killed(workspace.folder, ("calls", "TabledCalls"), "", 20, "run", "plain", "--testset", "many")
    with sqlite3.connect(workspace.folder / ".aventrik" / "store.db") as db:
        kept = db.execute("SELECT count(*) FROM calls").fetchone()[0]
    assert kept >= 20
    [row] = workspace.json("run", "plain", "--testset", "many")
    log = one.log()
    # those in flight when it was killed are the only ones that the server may have served twice
    assert log["served_again"] <= 4 + 4
    assert row["models"]["calls"] + kept == log["served_distinct"]


def test_two_processes_share_a_workspace(workspace: Program, server: Callable[..., Server]) -> None:
    one = server("--latency", "0.01")
    configure(workspace, one.address, ALL_ROLES)
    (workspace.folder / "configs" / "other.toml").write_text(
        SERVED.replace('"served"', '"other"') + "[context]\nkeep = 1\n"
    )
    processes = [
        subprocess.Popen(
            [sys.executable, "-m", "aventrik", "run", name, "--quiet"],
            cwd=workspace.folder,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
        )
        for name in ("served", "other", "starter")
    ]
    for process in processes:
        out, err = process.communicate(timeout=120)
        assert process.returncode == 0, out + err
    with sqlite3.connect(workspace.folder / ".aventrik" / "store.db") as db:
        assert db.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    found = workspace.json("compare", "served", "other", "starter")
    assert [run["measures"]["hit@5"]["mean"] for run in found["runs"]] == [1.0, 1.0, 1.0]


def test_the_key_appears_nowhere(workspace: Program, server: Callable[..., Server]) -> None:
    one = server("--key-variable", "HOUSE_KEY", HOUSE_KEY=KEY)
    configure(workspace, one.address, ALL_ROLES, key_variable="HOUSE_KEY")
    (workspace.folder / "configs" / "served.toml").write_text('name = "served"\n')
    shown = [
        workspace("run", "served", HOUSE_KEY=KEY),
        workspace("models", "house", "--test", "--debug", HOUSE_KEY=KEY),
        workspace("runs", "--json", HOUSE_KEY=KEY),
        workspace("explain", "served", "a1", "--json", HOUSE_KEY=KEY),
    ]
    wrong = workspace("run", "served", "--fresh", "--quiet", code=3, HOUSE_KEY="wrong-" + KEY)
    assert "check the key in HOUSE_KEY" in wrong.stderr
    unset = workspace.fails("run", "served", "--fresh")
    assert "HOUSE_KEY is not set" in unset
    assert not [done for done in [*shown, wrong] if KEY in done.stdout + done.stderr]
    assert not [path for path in workspace.folder.rglob("*") if path.is_file() and KEY.encode() in path.read_bytes()]


def test_models_are_listed_and_tested(workspace: Program, server: Callable[..., Server]) -> None:
    one = server()
    configure(workspace, one.address, 'judge = "house"')
    found = workspace.json("models", "--test")
    assert found["roles"]["judge"] == "house"
    tests = {row["model"]: row["test"] for row in found["models"]}
    assert tests["house"]["known"] is True
    assert tests["house"]["json"] == "schema"
    assert tests["vecs"]["dimensions"] == 128
    one.stop()
    assert "FAILED" in workspace("models", "house", "--test", code=3).stdout


@pytest.mark.parametrize(
    ("address", "told"),
    [
        ("http://127.0.0.1:9", "can't connect"),
        ("http://no-such-host.invalid", "can't connect"),
        ("{server}/wrong", "answered 404"),
    ],
)
def test_a_server_that_is_not_there(workspace: Program, server: Callable[..., Server], address: str, told: str) -> None:
    configure(workspace, address.format(server=server().address), 'answerer = "house"', attempts=2)
    (workspace.folder / "configs" / "plain.toml").write_text('name = "plain"\n')
    error = workspace.fails("run", "plain", "--quiet", code=3)
    assert told in error
    with sqlite3.connect(workspace.folder / ".aventrik" / "store.db") as db:
        assert db.execute("SELECT count(*) FROM results WHERE stage = 'answer'").fetchone() == (0,)


@pytest.mark.parametrize(
    ("text", "told"),
    [
        (
            '[models.x]\nkind = "http"\nadress = "http://a"\n',
            "line 3, [models.x] adress: unknown setting; did you mean",
        ),
        ('[models.x]\nkind = "http"\naddress = "a.b"\nmodel = "m"\n', "begins with http://"),
        ('[models.x]\nkind = "grpc"\n', "is not one of http, local"),
        ('[models.x]\nkind = "local"\ndoes = "embedding"\n', "needs the path"),
        ('[roles]\njudge = "huose"\n[models.house]\nkind = "http"\naddress = "http://a"\nmodel = "m"\n', "line 2"),
        ("[roles]\njugde = 'offline'\n", "did you mean judge?"),
    ],
)
def test_wrong_model_settings(workspace: Program, text: str, told: str) -> None:
    (workspace.folder / "aventrik.toml").write_text(text)
    assert told in workspace.fails("models")


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ('name = "a"\n[embedding]\nmodel = "statik"\n', "no such model 'statik'; did you mean static?"),
        ('name = "a"\n[answering]\nmodel = "hous"\n', "no such model 'hous'"),
        ('name = "a"\n[[reranking]]\nstep = "cross-encoder"\n', "no such model ''"),
    ],
)
def test_a_configuration_that_names_no_model(workspace: Program, text: str, told: str) -> None:
    (workspace.folder / "configs" / "bad.toml").write_text(text)
    assert told in workspace.fails("run", "bad")


def test_a_users_prompt_is_used_and_recorded_and_a_wrong_one_refused(
    workspace: Program, server: Callable[..., Server]
) -> None:
    configure(workspace, server().address, 'answerer = "house"')
    (workspace.folder / "configs" / "plain.toml").write_text('name = "plain"\n')
    prompt = workspace.folder / "prompts" / "answer.txt"
    prompt.write_text("Answer in our house style ($style).\n$question\n$context\n")
    workspace("run", "plain")
    assert "house style" in workspace.json("runs")[0]["made"]["prompts"]["answer"]
    prompt.write_text("Answer.\n$question\n$contxt\n")
    assert "line 3: unknown placeholder $contxt" in workspace.fails("run", "plain")


def test_the_standin_refuses_shares_that_are_none(program: Program) -> None:
    assert "--fail must be from 0 to 1" in program.fails("standin", "--fail", "2")
    assert "is not set" in program.fails("standin", "--key-variable", "NO_SUCH_VARIABLE_HERE")
