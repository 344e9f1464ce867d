"""`survey`, `ask`, and what chunking, serving, filters and approximate search do in a workspace."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from ..conftest import Program


def configure(workspace: Program, name: str, body: str) -> None:
    (workspace.folder / "configs" / f"{name}.toml").write_text(f'name = "{name}"\n{body}', encoding="utf-8")


@pytest.fixture
def notices(workspace: Program) -> Program:
    """The small workspace with a few dated notices and a test set that asks about one."""
    rows = [
        {"id": f"n{n}", "area": area, "issued": f"2031-0{n}-01", "title": f"Notice {n}", "body": body}
        for n, (area, body) in enumerate(
            [
                ("Moss Cut", "The Oxmere bridge is swung at noon only, because the keeper is ill."),
                ("Main Line", "The Hexley bridge is swung at nine only, because the road is mended."),
                ("Moss Cut", "The Oxmere bridge is swung at any time again."),
            ],
            1,
        )
    ]
    path = workspace.folder / "docs" / "notices.jsonl"
    path.write_text("".join(json.dumps(row) + "\n" for row in rows), encoding="utf-8")
    workspace("gather", "docs")
    return workspace


def test_every_chunking_and_serving_runs_and_cut_sets_them_side_by_side(workspace: Program) -> None:
    configure(
        workspace,
        "ways",
        '[chunking]\nsize = 120\n[search]\nmethod = "keyword"\n[embedding]\nmodel = "none"\n[sweep]\nmode = "one-at-a-time"\n'
        '"chunking.method" = ["paragraph", "fixed", "sentence", "heading", "page", "topic"]\n'
        '"chunking.serve" = ["chunk", "neighbours", "section", "page", "document", "larger"]\n',
    )
    rows = workspace.json("cut", "ways", "--testset", "small")
    assert len(rows) == 11
    by_name = {row["name"]: row for row in rows}
    assert by_name["ways/serve=document"]["served"] == 3
    assert by_name["ways/serve=section"]["served"] < by_name["ways/serve=section"]["chunks"]
    assert by_name["ways/method=fixed"]["mid_sentence"] > 0 == by_name["ways/method=sentence"]["mid_sentence"]
    shown = workspace("cut", "ways", "--testset", "small").stdout
    assert "units served" in shown
    assert "needs cut apart" in shown
    workspace("run", "ways")
    runs = workspace.json("compare")["runs"]
    assert {run["name"] for run in runs} == set(by_name)
    assert next(run for run in runs if run["name"] == "ways/serve=document")["measures"]["hit@5"]["mean"] == 1.0


def test_no_text_is_handed_on_twice(workspace: Program) -> None:
    configure(workspace, "wide", '[chunking]\nsize = 60\nserve = "section"\n[context]\nkeep = 20\nbudget = 5000\n')
    [asked] = workspace.json("ask", "What does a bridge key cost?", "wide")
    seen: dict[str, set[int]] = {}
    for item in asked["stages"]["context"]["items"]:
        places = {place for start, end in item["ranges"] for place in range(start, end)}
        assert not places & seen.setdefault(item["doc"], set())
        seen[item["doc"]] |= places


def test_index_texts_written_by_a_model_lead_to_their_chunks(workspace: Program) -> None:
    for text in ("summary", "facts", "questions"):
        configure(workspace, text, f'[chunking]\nsize = 120\n[index]\ntext = "{text}"\n')
    rows = {row["name"]: row for row in workspace.json("cut", "summary", "facts", "questions")}
    assert rows["summary"]["index_texts"] == rows["summary"]["chunks"]
    assert rows["facts"]["index_texts"] > rows["facts"]["chunks"]
    workspace("run", "summary", "facts", "questions")
    again = workspace("run", "summary", "facts", "questions").stdout
    assert "nothing to compute" in again
    [anew] = workspace.json("run", "facts", "--fresh")
    assert anew["computed"] == {}  # the built-in writer says the same each time
    [asked] = workspace.json("ask", "What does a bridge key cost?", "facts")
    assert asked["chunks"][str(asked["stages"]["candidates"]["found"][0]["chunk"])]["doc"] == "bridges.txt"


def test_a_filter_narrows_before_ranking_and_is_part_of_the_run(notices: Program) -> None:
    question = "When is the bridge swung?"
    [free] = notices.json("ask", question, "starter")
    [only] = notices.json("ask", question, "starter", "--where", "area = 'Moss Cut' and issued >= '2031-02-01'")
    docs = [only["chunks"][str(row["chunk"])]["doc"] for row in only["stages"]["candidates"]["found"]]
    assert docs == ["notices.jsonl#n3"]
    assert (only["passed"], only["documents"]) == (1, free["documents"])
    configure(notices, "filtered", "[search]\nwhere = \"area = 'Moss Cut'\"\n")
    notices("run", "filtered")
    csv = "document,area\nnotices.jsonl#n2,Moss Cut\n"
    (notices.folder / "more.csv").write_text(csv, encoding="utf-8")
    notices("gather", "--metadata", "more.csv")
    [again] = notices.json("run", "filtered")
    assert again["computed"]["keyword hits"] == 3  # other metadata, other documents pass, other hits


@pytest.mark.parametrize(
    ("condition", "told"),
    [
        ("aera = 'x'", "where, column 1: no document has a field aera; did you mean area?"),
        ("area > 5", "where, column 1: area holds texts, and 5 is none of these"),
        ("area = ", "column 8: here should stand a value"),
    ],
)
def test_a_wrong_filter_points_at_its_column(notices: Program, condition: str, told: str) -> None:
    assert told in notices.fails("ask", "Which?", "starter", "--where", condition)
    configure(notices, "wrong", f'[search]\nwhere = "{condition}"\n')
    assert told in notices.fails("run", "wrong")


def test_vet_chooses_documents_by_metadata_and_labels(notices: Program) -> None:
    notices("vet", "--where", "area = 'Moss Cut'", "--leave-out", "--reason", "not now")
    assert notices.json("vet")["left_out"] == ["notices.jsonl#n1", "notices.jsonl#n3"]
    assert "did you mean area" in notices.fails("vet", "--where", "ares = 'x'", "--take-back")


def test_ask_shows_every_stage_and_several_configurations_side_by_side(workspace: Program) -> None:
    question = "How long may a boat stay at a visitor mooring?"
    alone = workspace("ask", question).stdout
    for piece in ("candidates:", "keyword 1 (", "context:", "answer", "supported", "time", "candidates "):
        assert piece in alone
    configure(workspace, "words", '[search]\nmethod = "keyword"\n')
    both = workspace("ask", question, "starter", "words").stdout
    assert both.count("claims:") == 2
    assert "= moorings.md" in both
    assert workspace.json("runs") == []  # nothing of it is kept as a run
    assert "the question is empty" in workspace.fails("ask", "  ")
    assert "did you mean words" in workspace.fails("ask", question, "wodrs")


def test_an_approximate_index_tells_its_recall(workspace: Program) -> None:
    for way in ("graph", "lists"):
        configure(workspace, way, f'[chunking]\nsize = 60\n[search]\nmethod = "vector"\nnearest = "{way}"\n')
    shown = workspace("run", "graph", "lists").stdout
    assert "the approximate index (graph) finds 100.0% of the ten nearest" in shown
    for run in workspace.json("run", "graph", "lists"):
        assert run["computed"] == {}
        assert 0 <= run["recall"] <= 1


def arrays(workspace: Program) -> list[Path]:
    return sorted((workspace.folder / ".aventrik" / "arrays").glob("*/rows.bin"))


@pytest.mark.parametrize("harm", ["cut short", "overwritten"])
def test_a_harmed_vector_file_is_noticed_and_made_again(workspace: Program, harm: str) -> None:
    workspace("run", "starter")
    [path] = arrays(workspace)
    body = path.read_bytes()
    path.write_bytes(body[: len(body) // 2] if harm == "cut short" else body[:-64] + b"\x00" * 64)
    [asked] = workspace.json("ask", "What does a bridge key cost?", "starter")
    assert asked["stages"]["candidates"]["found"]
    assert path.read_bytes() == body


def test_a_map_is_drawn_and_topics_that_a_test_set_leaves_out_are_named(workspace: Program) -> None:
    configure(workspace, "small", "[chunking]\nsize = 60\n")
    workspace("run", "small", "--testset", "small")
    found = workspace.json("survey", "small", "--testset", "small", "--run", "small", "--topics", "3")
    assert len(found["topics"]) == 3
    assert sum(topic["size"] for topic in found["topics"]) == found["chunks"]
    assert sum(topic["needs"] for topic in found["topics"]) == 2
    assert found["uncovered_documents"] == ["locks.md"]
    picture, page = map(Path, found["files"])
    assert picture.read_bytes().startswith(b"\x89PNG")
    assert "https://" not in page.read_text(encoding="utf-8").split("<script>")[0]
    same = picture.read_bytes(), page.read_bytes()
    workspace("survey", "small", "--testset", "small", "--run", "small", "--topics", "3")
    assert (picture.read_bytes(), page.read_bytes()) == same
    shown = workspace("survey", "small", "--testset", "small", "--range", "2-4").stdout
    assert "asks nothing of" in shown
    assert "most typical" in workspace("survey", "small", "--topics", "2", "--show", "1").stdout


def test_a_survey_of_hardly_anything(program: Program) -> None:
    program("new", ".")
    assert "no documents yet" in program.fails("survey")
    (program.folder / "one.txt").write_text("A bridge key costs 12 pounds.", encoding="utf-8")
    program("gather", "one.txt")
    found = program.json("survey", "--topics", "7")
    assert [topic["size"] for topic in found["topics"]] == [1]
    assert "have no neighbours to compare" in program.fails("survey", "--beside", "static")


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (("--range", "9-2"), "must be two numbers like 4-20"),
        (("--colour", "served"), "needs --run RUN"),
        (("--colour", "mood"), "must be one of topic, document, finding, served"),
        (("--show", "99"), "there are topics 1 to"),
        (("--points", "0"), "must be a positive number"),
        (("--beside", "statik"), "did you mean static?"),
        (("--beside", "lsa"), "is the configuration's own"),
    ],
)
def test_wrong_survey_options(workspace: Program, arguments: tuple[str, ...], told: str) -> None:
    assert told in workspace.fails("survey", "starter", *arguments)


def test_two_embedding_models_are_compared_without_a_test_set(workspace: Program) -> None:
    pytest.importorskip("wordllama")
    configure(workspace, "small", "[chunking]\nsize = 60\n")
    found = workspace.json("survey", "small", "--beside", "static")
    assert found["models"] == ["lsa", "static"]
    assert 0 < found["overlap"]["low"] <= found["overlap"]["mean"] <= found["overlap"]["high"] <= 1
    assert "they share" in workspace("survey", "small", "--beside", "static").stdout


def test_the_page_of_the_map_works_in_a_browser_without_a_network(workspace: Program, browser: Any) -> None:
    from selenium.webdriver.common.action_chains import ActionChains
    from selenium.webdriver.common.by import By
    from selenium.webdriver.support.ui import Select, WebDriverWait

    configure(workspace, "small", "[chunking]\nsize = 60\n")
    found = workspace.json("survey", "small", "--topics", "2")
    browser.get(Path(found["files"][1]).resolve().as_uri())
    wait = WebDriverWait(browser, 20)
    wait.until(lambda driver: len(driver.find_elements(By.CSS_SELECTOR, ".scatterlayer .point")) == found["chunks"])
    points = browser.find_elements(By.CSS_SELECTOR, ".scatterlayer .point")

    ActionChains(browser).move_to_element(points[0]).perform()
    hover = wait.until(lambda driver: driver.find_elements(By.CSS_SELECTOR, ".hoverlayer .hovertext"))
    told = hover[0].get_attribute("textContent")
    assert any(name in told for name in ("locks.md", "moorings.md", "bridges.txt"))

    plot = browser.find_element(By.CSS_SELECTOR, ".nsewdrag")
    size = plot.size
    chain = (
        ActionChains(browser).move_to_element(plot).move_by_offset(-size["width"] // 2 + 3, -size["height"] // 2 + 3)
    )
    chain.click_and_hold()
    for x, y in ((size["width"] - 6, 0), (0, size["height"] - 6), (6 - size["width"], 0), (0, 6 - size["height"])):
        chain.move_by_offset(x, y)
    chain.release().perform()
    wait.until(lambda driver: "selected" in driver.find_element(By.ID, "list").text)
    assert f"{found['chunks']} chunks selected" in browser.find_element(By.ID, "list").text
    assert len(browser.find_elements(By.CSS_SELECTOR, "#list article")) == found["chunks"]

    Select(browser.find_element(By.ID, "colouring")).select_by_visible_text("document")
    wait.until(lambda driver: "moorings.md" in driver.find_element(By.CSS_SELECTOR, ".legend").text)
    events = [json.loads(entry["message"])["message"] for entry in browser.get_log("performance")]
    asked = [e["params"]["request"]["url"] for e in events if e["method"] == "Network.requestWillBeSent"]
    assert [url for url in asked if not url.startswith(("file:", "data:", "blob:"))] == []
    assert [entry for entry in browser.get_log("browser") if entry["level"] == "SEVERE"] == []
