"""Rewriting in several ways and chains of reranking steps, as a user meets them."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from ..conftest import Program, chat_server, name_house, write_testset

STAY = "A boat may stay at a visitor mooring for 48 hours."


def configure(program: Program, text: str, name: str = "deep") -> str:
    (program.folder / "configs" / f"{name}.toml").write_text(f'name = "{name}"\n{text}', encoding="utf-8")
    return name


CHAIN = """
[embedding]
model = "lsa"
dimensions = 8
[[rewriting]]
method = "paraphrases"
count = 2
weight = 0.5
[[rewriting]]
method = "broader"
[[reranking]]
step = "closeness"
[[reranking]]
step = "split"
size = 60
[[reranking]]
step = "extract"
keep = 5
share = 0.5
[[reranking]]
step = "order"
way = "document"
"""


def test_a_chain_is_run_explained_and_compared(workspace: Program) -> None:
    name = configure(workspace, CHAIN)
    [made] = workspace.json("run", name, "--testset", "small")
    found = workspace.json("explain", str(made["run"]), "a1")
    stages = found["stages"]
    assert [len(stages[f"rewrite {n}"]["texts"]) >= 1 for n in (1, 2)] == [True, True]
    assert stages["queries"]["origins"][0] == 0
    assert len(stages["drift"]["rewrites"]) == len(stages["queries"]["texts"]) - 1
    assert list(found["lists"]) == ["candidates", "step 1", "step 2", "step 3", "step 4"]
    changed = [item for item in found["lists"]["step 4"] if item["changed"]]
    assert changed
    for item in changed:  # what is left and what fell away is all that stood there
        chunk = found["chunks"][str(item["chunk"])]
        whole = " ".join(chunk["text"].split())
        assert all(" ".join(text.split()) in whole for text, _ in item["cut"])
        assert any(not there for _, there in item["cut"]) or len(item["cut"]) == 1
    shown = workspace("explain", str(made["run"]), "a1", "--steps").stdout
    for words in ("what was searched for", "what each reranking step left", "step 3, extract", "drops │", "keeps │"):
        assert words in shown
    account = workspace.json("compare", name, "--steps", "--rewrites")["runs"][0]
    assert [row["name"] for row in account["steps"]] == ["search", "closeness", "split", "extract", "order"]
    search, *_, last = account["steps"]
    assert last["first_tokens"] < search["first_tokens"]
    assert account["steps"][1]["tokens"] == search["tokens"]  # closeness drops nothing
    assert [row["name"] for row in account["rewrites"]] == ["paraphrases", "broader"]
    assert account["rewrites"][0]["made"] >= 1
    text = workspace("compare", name, "--steps", "--rewrites").stdout
    assert "the list behind each step" in text
    assert "what each rewriting did" in text


def test_a_step_that_loses_a_need_is_named_in_the_loss_account(workspace: Program) -> None:
    name = configure(
        workspace,
        '[answering]\nmodel = "none"\n[[reranking]]\nstep = "closeness"\n[[reranking]]\nstep = "floor"\nleast = 1e6\n',
    )
    [made] = workspace.json("run", name, "--testset", "small")
    found = workspace.json("explain", str(made["run"]), "a1")
    assert found["needs"][0]["lost"] == "dropped by reranking: step 2, floor"
    assert found["needs"][0]["why"] == "search returned it, and step 2, floor dropped it"
    [row] = workspace.json("compare", name)["runs"]
    assert row["lost"]["dropped by reranking"] == 2
    assert row["lost_by_step"] == {"step 2, floor": 2}
    assert "by step 2, floor" in workspace("compare", name).stdout
    told = workspace("explain", str(made["run"]), "a1")
    assert "left nothing" in told.stdout + told.stderr


def test_a_step_that_empties_the_list_is_told_and_the_answer_declines(workspace: Program) -> None:
    name = configure(workspace, '[[reranking]]\nstep = "floor"\nleast = 1e6\n')
    [made] = workspace.json("run", name, "--testset", "small")
    found = workspace.json("explain", str(made["run"]), "a1")
    assert found["stages"]["answer"]["declined"]
    assert found["stages"]["step 1"]["items"] == []
    assert workspace.json("compare", name, "--steps")["runs"][0]["steps"][1]["emptied"] == 3
    asked = workspace("ask", "How long may a boat stay?", name)
    assert "left nothing of this list" in asked.stdout + asked.stderr
    assert "answer (declined)" in asked.stdout


def test_the_same_step_twice_has_settings_of_its_own_that_a_sweep_reaches(workspace: Program) -> None:
    name = configure(
        workspace,
        '[answering]\nmodel = "none"\n[[reranking]]\nstep = "closeness"\n[[reranking]]\nstep = "closeness"\n'
        '[sweep]\n"reranking.closeness-2.weight" = [0.1, 0.9]\n',
    )
    made = workspace.json("run", name, "--testset", "small")
    assert len(made) == 2
    found = workspace.json("compare", f"{name}/*")
    weights = {
        (row["settings"]["reranking.closeness.weight"], row["settings"]["reranking.closeness-2.weight"])
        for row in found["runs"]
    }
    assert weights == {(0.5, 0.1), (0.5, 0.9)}
    assert {each["setting"] for each in found["contributions"]} <= {"reranking.closeness-2.weight"}


def test_a_sweep_takes_whole_chains_by_name_and_settings_only_where_their_step_stands(workspace: Program) -> None:
    name = configure(
        workspace,
        '[answering]\nmodel = "none"\n'
        '[chains]\nplain = []\ntrim = [{ step = "closeness" }, { step = "extract" }]\n'
        '[sweep]\nreranking = ["plain", "trim"]\n"reranking.extract.share" = [0.3, 0.6]\n',
    )
    made = workspace.json("run", name, "--testset", "small")
    assert [row["name"] for row in made] == [
        f"{name}/reranking=plain", f"{name}/reranking=trim,share=0.3", f"{name}/reranking=trim,share=0.6",
    ]  # fmt: skip
    one = configure(workspace, 'reranking = "trim"\n[chains]\ntrim = [{ step = "extract" }]\n', "one")
    assert workspace.json("run", one, "--testset", "small")[0]["name"] == "one"


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ('[chains]\ntrim = [{ step = "extracts" }]\n', "[chains] trim: step 'extracts' is not a reranking step; did you mean extract?"),
        ('reranking = "trimm"\n[chains]\ntrim = []\n', "no chain 'trimm' in [chains]; did you mean trim?"),
        ('chains = 3\n', "[chains]: must be a table of names"),
        ('[sweep]\nreranking = ["none such"]\n', "[sweep] reranking: no chain 'none such'"),
        ('[sweep]\n"reranking.extract.shares" = [1]\n', "unknown setting"),
        ('[[rewriting]]\nmethod = "paraphrase"\n', "'paraphrase' is not one of conversation, paraphrases"),
        ('[[rewriting]]\nmethod = "broader"\ncount = 3\n[[rewriting]]\nmethod = "parts"\n', "method 'broader' has no setting 'count'"),
        ('[[rewriting]]\nmethod = "parts"\ncount = 0\n', "count: must be a whole number from 1 to 20"),
        ('[[rewriting]]\nmethod = "parts"\nleast = 2\n', "least: must be from 0 to 1"),
        ('[[reranking]]\nstep = "embedding"\nmodel = "statics"\n', "no such model 'statics'"),
        ('[[reranking]]\nstep = "relevance"\nprompt = "mine"\n', "no file prompts/own/mine.txt"),
        ('[[reranking]]\nstep = "split"\nprompt = "mine"\n', "step 'split' has no setting 'prompt'"),
        ('[index]\nlanguage = "klingon"\n', "klingon"),
        ("[embedding]\nbits = 4\n", "4 is not one of 32, 8, 1"),
        ('[embedding]\nbits = 1\n[search]\nnearest = "graph"\n', "goes with search.nearest 'exact' alone"),
        ("reranking = [" + '{ step = "order" },' * 101 + "]\n", "101 steps are too many; the most is 100"),
    ],
)  # fmt: skip
def test_a_wrong_setting_is_told_by_its_name(workspace: Program, text: str, told: str) -> None:
    name = configure(workspace, text)
    assert told in workspace.fails("run", name, "--testset", "small")


def test_a_chain_of_fifty_steps(workspace: Program) -> None:
    steps = '[[reranking]]\nstep = "closeness"\n[[reranking]]\nstep = "neighbours"\n' * 25
    name = configure(workspace, f'[answering]\nmodel = "none"\n{steps}')
    workspace("run", name, "--testset", "small")
    found = workspace.json("compare", name, "--steps")["runs"][0]
    assert len(found["steps"]) == 51
    shown = workspace("ask", "How long may a boat stay?", name).stdout
    assert "and 44 more" in shown


def test_the_table_of_earlier_versions_is_still_read(workspace: Program) -> None:
    old = configure(workspace, '[rewriting]\nmethod = "hypothetical"\ncount = 3\n', "old")
    none = configure(workspace, '[rewriting]\nmethod = "none"\ncount = 3\n', "none")
    swept = configure(workspace, '[sweep]\n"rewriting.method" = ["none", "parts"]\n', "swept")
    for name in (old, none, swept):
        workspace("run", name, "--testset", "small")
    rows = {
        row["name"]: row["settings"]["rewriting"] for row in workspace.json("compare", "old", "none", "swept/*")["runs"]
    }
    assert rows == {"old": "hypothetical", "none": "none", "swept/method=none": "none", "swept/method=parts": "parts"}


def test_a_conversation_is_searched_for_as_it_stands_alone(workspace: Program) -> None:
    name = configure(workspace, '[[rewriting]]\nmethod = "conversation"\n[[rewriting]]\nmethod = "keywords"\n')
    rows = [
        {
            "id": "c1", "question": "and how much is it?", "before": ["what is a bridge key"],
            "needs": [{"spans": [{"doc": "bridges.txt", "quote": "A bridge key costs 12 pounds"}]}],
        },
        {"id": "c2", "question": "What does a bridge key cost?", "kind": "unanswerable"},
    ]  # fmt: skip
    write_testset(workspace.folder, rows, "talk")
    [made] = workspace.json("run", name, "--testset", "talk")
    found = workspace.json("explain", str(made["run"]), "c1")
    alone = found["stages"]["alone 1"]["text"]
    assert "bridge key" in alone
    assert found["stages"]["queries"]["texts"][0] == "and how much is it?"
    assert alone in found["stages"]["queries"]["texts"]
    assert found["needs"][0]["lost"] != "not among the candidates"
    likeness = [each["likeness"] for each in found["stages"]["drift"]["rewrites"]]
    assert min(likeness) > 0.5  # of the question with the turns before it, not of "and how much is it?" alone
    again = workspace.json("explain", str(made["run"]), "c2")
    assert again["stages"]["alone 1"]["text"] == "What does a bridge key cost?"
    [asked] = workspace.json("ask", "and how much is it?", name, "--before", "what is a bridge key")
    assert asked["stages"]["alone 1"]["text"] == alone
    without = [dict(row, before=[]) for row in rows]
    write_testset(workspace.folder, without, "talk2")
    [other] = workspace.json("run", name, "--testset", "talk2")
    assert other["run"] != made["run"]
    assert workspace.json("explain", str(other["run"]), "c1")["stages"]["alone 1"]["text"] == "and how much is it?"


@pytest.fixture
def house(workspace: Program) -> Iterator[tuple[Program, dict[str, Any]]]:
    """A model server that rewrites, quotes and judges as a test says, and the bodies that came."""
    state: dict[str, Any] = {"replies": {}, "bodies": []}

    def answer(body: dict[str, Any]) -> dict[str, Any]:
        state["bodies"].append(body)
        if "input" in body:
            return {
                "data": [{"index": n, "embedding": [float(len(text)), 1.0]} for n, text in enumerate(body["input"])]
            }
        task = body["messages"][0]["content"].split(";")[0].split("\n")[0].removeprefix("Task: ")
        content = json.dumps(state["replies"].get(task, {}))
        return {"choices": [{"message": {"content": content}}], "usage": {"prompt_tokens": 10, "completion_tokens": 5}}

    with chat_server(answer) as address:
        name_house(workspace, address, more="attempts = 1\nbackoff = 0\n")
        yield workspace, state


def test_a_rewrite_under_the_floor_is_dropped_and_one_of_ten_thousand_letters_is_cut(
    house: tuple[Program, dict[str, Any]],
) -> None:
    program, state = house
    state["replies"] = {
        "paraphrases": {"paraphrases": ["maximum stay at a visitor mooring", "a piano sonata for seven cellos"]},
        "hypothetical": {"passage": "boat mooring " * 800},
    }
    name = configure(
        program,
        '[search]\nmethod = "keyword"\n[answering]\nmodel = "none"\n'
        '[[rewriting]]\nmethod = "paraphrases"\nmodel = "house"\nleast = 0.5\n[[rewriting]]\nmethod = "hypothetical"\nmodel = "house"\n',
    )
    [made] = program.json("run", name, "--testset", "small")
    found = program.json("explain", str(made["run"]), "a1")
    one, other, long = found["stages"]["drift"]["rewrites"]
    assert (one["dropped"], other["dropped"]) == (False, True)
    assert other["likeness"] < 0.2 < one["likeness"]
    assert len(long["text"]) <= 4000
    shown = program("explain", str(made["run"]), "a1").stdout
    assert "dropped: less alike" in " ".join(shown.split())
    [row] = program.json("compare", name, "--rewrites")["runs"][0]["rewrites"][:1]
    assert (row["made"], row["dropped"]) == (6, 5)  # to the other two questions both are strange
    assert row["calls"] == 3


def test_an_extract_that_quotes_what_is_not_there_is_dropped_and_counted(house: tuple[Program, dict[str, Any]]) -> None:
    program, state = house
    state["replies"] = {"extract": {"quotes": [STAY, "A boat may stay for a year."]}}
    name = configure(
        program,
        '[search]\nmethod = "keyword"\n[answering]\nmodel = "none"\n[[reranking]]\nstep = "extract"\nmodel = "house"\nkeep = 3\n',
    )
    [made] = program.json("run", name, "--testset", "small")
    found = program.json("explain", str(made["run"]), "a1")
    assert [item["text"] for item in found["lists"]["step 1"]] == [STAY]
    assert found["needs"][0]["lost"] == "in the context"
    assert found["stages"]["step 1"]["unfound"] >= 1
    told = program("compare", name, "--steps")
    assert "quotes occur nowhere" in told.stdout + told.stderr


def test_steps_have_prompts_of_their_own_and_a_domain_is_told_in_one_place(
    house: tuple[Program, dict[str, Any]],
) -> None:
    program, state = house
    state["replies"] = {"relevance": {"reason": "", "relevant": True}, "keywords": {"keywords": ["stay"]}}
    prompts = program.folder / "prompts"
    (prompts / "own").mkdir(parents=True, exist_ok=True)
    (prompts / "own" / "strict.txt").write_text("Be strict about moorings.\n$question\n$passage\n")
    (prompts / "domain.txt").write_text("These are the rules of a waterway; fees are in $.\n")
    name = configure(
        program,
        '[search]\nmethod = "keyword"\n[answering]\nmodel = "none"\n[[rewriting]]\nmethod = "keywords"\nmodel = "house"\n'
        '[[reranking]]\nstep = "relevance"\nmodel = "house"\nprompt = "strict"\nkeep = 1\n',
    )
    [made] = program.json("run", name, "--testset", "small")
    said = [body["messages"][1]["content"] for body in state["bodies"]]
    assert all(text.startswith("These are the rules of a waterway; fees are in $.") for text in said)
    assert any("Be strict about moorings." in text for text in said)
    before = len(state["bodies"])
    program("run", name, "--testset", "small")
    assert len(state["bodies"]) == before
    calls = program.json("explain", str(made["run"]), "a1", "--calls")["calls"]
    assert [call["stage"] for call in calls] == ["rewrite 1", "step 1"]
    assert "Be strict about moorings." in json.dumps(calls[1])
    (prompts / "own" / "strict.txt").write_text("Be lenient.\n$question\n$passage\n")
    [other] = program.json("run", name, "--testset", "small")
    assert other["run"] != made["run"]
    assert len(state["bodies"]) > before
    (prompts / "own" / "strict.txt").write_text("Nothing to go by.\n$question\n")
    assert "placeholder $passage is missing" in program.fails("run", name, "--testset", "small")
    (prompts / "own" / "strict.txt").write_bytes(b"\xff\xfe\xff")
    assert "can't be read" in program.fails("run", name, "--testset", "small")


def test_the_rate_and_price_of_an_embedding_server_stand_in_the_plan(house: tuple[Program, dict[str, Any]]) -> None:
    program, _ = house
    settings = program.folder / "aventrik.toml"
    text = settings.read_text()
    address = text.split('[models.house]\nkind = "http"\naddress = "')[1].split('"')[0]
    settings.write_text(
        f'{text}\n[models.vec]\nkind = "http"\ndoes = "embedding"\naddress = "{address}"\nmodel = "v"\n'
        "price_in = 2.0\nrequests_per_minute = 6\n"
    )
    name = configure(program, '[embedding]\nmodel = "vec"\n[answering]\nmodel = "none"\n')
    [planned] = program.json("run", name, "--testset", "small", "--plan")
    server = planned["servers"]["vec"]
    assert (server["does"], server["price_in"], server["rate"]) == ("embedding", 2.0, None)
    assert server["tokens"] > 100
    assert server["money"] == pytest.approx(server["tokens"] * 2 / 1e6)
    assert server["seconds"] == pytest.approx(server["calls"] * 10)  # six requests a minute
    shown = " ".join(program("run", name, "--testset", "small", "--plan").stdout.split())
    assert "vec (embedding):" in shown
    assert "no rate known yet" in shown
    assert "at 2 a million tokens" in shown
    settings.write_text(settings.read_text().replace("requests_per_minute = 6\n", ""))
    program("run", name, "--testset", "small")
    configure(program, '[embedding]\nmodel = "vec"\n[chunking]\nsize = 60\n[answering]\nmodel = "none"\n')
    [after] = program.json("run", name, "--testset", "small", "--plan")
    assert after["servers"]["vec"]["rate"] > 0
    assert after["servers"]["vec"]["seconds"] > 0


def test_vectors_in_fewer_bits_and_dimensions_are_settings_like_any_other(workspace: Program) -> None:
    name = configure(
        workspace,
        '[embedding]\nmodel = "lsa"\ndimensions = 8\n[search]\nmethod = "vector"\n[answering]\nmodel = "none"\n[sweep]\n'
        '"embedding.bits" = [32, 8, 1]\n"embedding.keep" = [0, 4]\n'
        '"embedding.rescore" = { values = [0, 4], unless = { "embedding.bits" = 32 } }\n',
    )
    made = workspace.json("run", name, "--testset", "small")
    assert len(made) == 10
    found = workspace.json("compare", f"{name}/*", "--measures", "hit@5")
    by = {
        (
            row["settings"]["embedding.bits"],
            row["settings"]["embedding.keep"],
            row["settings"]["embedding.rescore"],
        ): row
        for row in found["runs"]
    }
    rescored = by[1, 0, 4]["measures"]["hit@5"]["mean"]
    assert rescored == by[32, 0, None]["measures"]["hit@5"]["mean"]  # all of a small corpus is scored again


def test_built_in_rules_say_that_they_know_english_alone(program: Program) -> None:
    program("new", ".")
    docs = program.folder / "docs"
    docs.mkdir()
    tongues = Path(__file__).parents[1] / "data" / "tongues"
    for path in tongues.glob("*.md"):
        (docs / path.name).write_bytes(path.read_bytes())
    program("gather", "docs")
    rows = [
        {"id": f"q{n}", "question": question, "needs": [{"spans": [{"doc": doc, "quote": quote}]}]}
        for n, (doc, question, quote) in enumerate(
            line.split("\t") for line in (tongues / "questions.tsv").read_text(encoding="utf-8").splitlines()
        )
    ]
    write_testset(program.folder, rows, "four")
    name = configure(program, '[embedding]\nmodel = "none"\n[search]\nmethod = "keyword"\n')
    told = program("run", name, "--testset", "four").stderr
    assert "the built-in model answers and judges by rules for English" in " ".join(told.split())
    assert "German" in told
    quiet = configure(
        program, '[embedding]\nmodel = "none"\n[search]\nmethod = "keyword"\n[answering]\nmodel = "none"\n', "quiet"
    )
    assert "English" not in program("run", quiet, "--testset", "four").stderr
    found = program.json("compare", quiet, "--measures", "hit@5")["runs"][0]["measures"]["hit@5"]
    assert found["mean"] >= 0.8
    mixed = program.json("ask", "水門 gate 橋 Schleuse ¿puente?", quiet)[0]
    assert mixed["stages"]["candidates"]["found"]
