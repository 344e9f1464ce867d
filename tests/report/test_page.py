"""The page that colleagues get: the same numbers as `compare`, nothing asked of a network, no script but its own, usable by
keyboard and screen reader, printed whole."""

from __future__ import annotations

import base64
import io
import json
import re
from pathlib import Path
from typing import Any

import pdfplumber
import pytest

from aventrik.report.details import details_of
from aventrik.report.packing import json_of, packed

from ..conftest import Program
from .worlds import filled

HURT = "<img src=x onerror='window.hurt=1'></script><script>window.hurt=1</script>\u202eevil ${window.hurt=1}"


@pytest.fixture(scope="module")
def small(tmp_path_factory: pytest.TempPathFactory) -> Program:
    """Six runs on 30 questions, scripts planted in names, a question, an answer and a document."""
    folder = tmp_path_factory.mktemp("small") / "w"
    planted = {
        "name": f"name {HURT}",
        "question": f"asked {HURT}",
        "answer": f"said {HURT}",
        "document": f"d{HURT}.md",
        "text": HURT * 30,
    }
    filled(folder, 6, 30, 8, planted).store.close()
    program = Program(folder)
    program("report", "--out", "page.html", "--title", f"For <b>you</b> {HURT}")
    return program


@pytest.fixture(scope="module")
def large(tmp_path_factory: pytest.TempPathFactory) -> Program:
    """20 runs on 120 questions; `benchmarks/reporting.py` has 100 on 500."""
    folder = tmp_path_factory.mktemp("large") / "w"
    filled(folder, 20, 120, alike=4).store.close()
    program = Program(folder)
    program("report", "--out", "page.html")
    return program


def opened(browser: Any, program: Program) -> None:
    browser.get((program.folder / "page.html").as_uri())
    ready(browser)


def ready(browser: Any) -> None:
    from selenium.webdriver.support.ui import WebDriverWait

    WebDriverWait(browser, 20).until(
        lambda driver: driver.execute_script("return document.documentElement.dataset.ready") == "yes"
    )


def asked_of_a_network(browser: Any) -> list[str]:
    events = [json.loads(entry["message"])["message"] for entry in browser.get_log("performance")]
    urls = [e["params"]["request"]["url"] for e in events if e["method"] == "Network.requestWillBeSent"]
    return [url for url in urls if not url.startswith(("file:", "data:", "blob:"))]


def cells(browser: Any, table: str) -> list[list[str | None]]:
    """The kept values of a table's rows, that are shown."""
    script = (
        "return [...document.querySelectorAll(`#${arguments[0]} tbody tr`)].filter(row => !row.hidden)"
        ".map(row => [...row.cells].map(cell => cell.dataset.v ?? null))"
    )
    return list(browser.execute_script(script, table))


def heads(browser: Any, table: str) -> list[str]:
    script = "return [...document.querySelectorAll(`#${arguments[0]} thead th`)].map(cell => cell.textContent)"
    return list(browser.execute_script(script, table))


def numbers(browser: Any, table: str, column: int) -> list[float | None]:
    return [float(row[column]) if row[column] else None for row in cells(browser, table)]


def click(browser: Any, table: str, column: int) -> None:
    browser.execute_script(f"document.querySelectorAll('#{table} thead button')[{column}].click()")


def type_in(browser: Any, field: str, words: str) -> None:
    script = (
        "const f = document.querySelector(arguments[0]); f.value = arguments[1]; f.dispatchEvent(new Event('input'))"
    )
    browser.execute_script(script, field, words)


def test_tables_of_many_runs_and_questions_are_sorted_and_filtered_whole(large: Program, browser: Any) -> None:
    opened(browser, large)
    for table, column, count in (("runs", 4, 20), ("questions", 6, 120)):
        before = [row[0] for row in cells(browser, table)]
        for turn in (-1, 1):
            click(browser, table, column)
            values = numbers(browser, table, column)
            known = [value for value in values if value is not None]
            assert len(values) == count
            assert len(set(known)) > 2
            assert known == sorted(known, reverse=turn < 0)
            assert values[len(known) :] == [None] * (count - len(known)), "what is absent stands last"
        assert sorted(row[0] or "" for row in cells(browser, table)) == sorted(name or "" for name in before)
    click(browser, "questions", 1)
    words = [(row[1] or "").lower() for row in cells(browser, "questions")]
    assert words == sorted(words)
    type_in(browser, "[data-filter=runs]", "run=1")
    shown = browser.execute_script(
        "return [...document.querySelectorAll('#runs tbody tr')].filter(row => !row.hidden).map(row => row.textContent)"
    )
    assert len(shown) == 11  # 1, and 10 to 19
    assert all("run=1" in text.lower() for text in shown)
    type_in(browser, "#words", "reach q001")
    assert sorted(row[0] or "" for row in cells(browser, "questions")) == [f"q00{number}" for number in range(10, 20)]


def test_every_number_of_a_large_page_is_that_of_compare(large: Program, browser: Any) -> None:
    compared = large.json("compare")
    opened(browser, large)
    kept = json.loads(browser.execute_script("return document.getElementById('data').textContent"))
    assert {name: value for name, value in kept["comparison"].items() if name != "pairs"} == {
        name: value for name, value in compared.items() if name != "pairs"
    }
    columns = heads(browser, "runs")
    gaps = {each["run"]: each for each in compared["differences"]}
    rows = {int(row[0] or 0): row for row in cells(browser, "runs")}
    assert set(rows) == {run["run"] for run in compared["runs"]}
    for run in compared["runs"]:
        row = dict(zip(columns, rows[run["run"]]))
        for name in ("hit@5", "ndcg@5", "groundedness", "correctness"):
            assert float(row[name] or "nan") == run["measures"][name]["mean"]
        assert float(row["95 % interval"] or "nan") == run["measures"]["hit@5"]["low"]
        assert float(row["seconds"] or "nan") == run["costs"]["seconds_median"]
        if run["run"] in gaps:
            assert float(row["from baseline"] or "nan") == gaps[run["run"]]["difference"]["mean"]
            assert float(row["p"] or "nan") == gaps[run["run"]]["p"]
            assert float(row["best in"] or "nan") == run["chance_of_best"]
    brought = {(e["setting"], e["value"], e["instead_of"]): e for e in compared["contributions"]}
    listed = cells(browser, "contributions")
    assert len(listed) == len(brought)
    whole = {(name, value): each for (name, value, _), each in brought.items()}
    for name, value, _, mean, *_ in listed:
        text = value if (name, value) in whole else str(int(float(value or 0)))
        assert float(mean or "nan") in [
            each["difference"]["mean"] for key, each in brought.items() if key[:2] == (name, text)
        ]
    lost = {int(row[0] or 0): [float(cell or 0) for cell in row[2:]] for row in cells(browser, "losses")}
    for run in compared["runs"]:
        assert sum(lost[run["run"]]) == sum(run["lost"].values())


def test_two_runs_are_set_against_each_other_question_by_question(small: Program, browser: Any) -> None:
    from selenium.webdriver.common.by import By
    from selenium.webdriver.support.ui import Select

    opened(browser, small)
    compared = small.json("compare", "--pairs")
    Select(browser.find_element(By.ID, "first")).select_by_value("2")
    Select(browser.find_element(By.ID, "second")).select_by_value("4")
    browser.execute_async_script("setTimeout(arguments[0], 300)")
    pair = next(each for each in compared["pairs"] if {each["place"], each["against_place"]} == {2, 4})
    sign = 1 if pair["place"] == 4 else -1
    assert (compared["runs"][4]["run"] == pair["run"]) == (sign == 1)
    told = browser.find_element(By.ID, "between")
    assert float(told.get_attribute("data-v")) == pytest.approx(sign * pair["difference"]["mean"], abs=1e-12)
    assert f"(p {pair['p']:.3f})" in told.text
    values = cells(browser, "questions")
    assert len(values) == 30
    assert sum(float(row[6] or 0) for row in values) / 30 == pytest.approx(sign * pair["difference"]["mean"], abs=1e-12)
    assert sum(float(row[4] or 0) for row in values) / 30 == compared["runs"][2]["measures"]["hit@5"]["mean"]
    browser.find_element(By.ID, "differing").click()
    left = cells(browser, "questions")
    assert len(left) == sum(float(row[6] or 0) != 0 for row in values)


def test_a_question_opens_with_evidence_lists_answers_and_verdicts(small: Program, browser: Any) -> None:
    from selenium.webdriver.common.by import By
    from selenium.webdriver.support.ui import WebDriverWait

    opened(browser, small)
    browser.find_elements(By.CSS_SELECTOR, "#questions td button")[3].click()
    detail = WebDriverWait(browser, 10).until(lambda driver: driver.find_elements(By.CSS_SELECTOR, "tr.open .detail"))[
        0
    ]
    told = detail.text
    assert "What an answer needs" in told
    assert "reaches/003.md" in told
    assert "Reference answer: It is 3." in told
    assert told.count("Found, best first") == 2
    assert "a sentence says it in nearly the same words" in told
    assert "supported 0.90" in told
    assert detail.find_elements(By.CSS_SELECTOR, "mark")  # the quote, in what stands around it
    detail.find_elements(By.CSS_SELECTOR, "details")[-1].find_element(By.TAG_NAME, "summary").click()
    rows = WebDriverWait(browser, 10).until(
        lambda driver: driver.find_elements(By.CSS_SELECTOR, "tr.open table tbody tr")
    )
    assert len(rows) == 6
    browser.find_elements(By.CSS_SELECTOR, "#questions td button")[3].click()
    assert not browser.find_elements(By.CSS_SELECTOR, "tr.open")


def test_the_address_of_a_question_opens_it(small: Program, browser: Any) -> None:
    from selenium.webdriver.common.by import By
    from selenium.webdriver.support.ui import WebDriverWait

    browser.get("about:blank")
    browser.get((small.folder / "page.html").as_uri() + "#q=q0005")
    ready(browser)
    detail = WebDriverWait(browser, 10).until(lambda driver: driver.find_elements(By.CSS_SELECTOR, "tr.open .detail"))[
        0
    ]
    assert "Reference answer: It is 5." in detail.text


def test_nothing_is_asked_of_a_network_and_no_script_but_the_pages_own_runs(small: Program, browser: Any) -> None:
    from selenium.webdriver.common.by import By

    browser.get_log("performance")
    opened(browser, small)
    for button in browser.find_elements(By.CSS_SELECTOR, "#questions td button")[:9]:
        button.click()
    browser.execute_async_script("setTimeout(arguments[0], 800)")
    shown = browser.find_element(By.TAG_NAME, "body").text
    assert shown.count("onerror='window.hurt=1'") >= 4  # as text: in the title, a name, a question, an answer
    assert "\u202e" not in browser.page_source
    assert browser.execute_script("return window.hurt") is None
    assert browser.execute_script("return document.images.length") == 0
    assert asked_of_a_network(browser) == []
    assert [entry for entry in browser.get_log("browser") if entry["level"] == "SEVERE"] == []


def test_the_keyboard_alone_suffices(small: Program, browser: Any) -> None:
    from selenium.webdriver.common.by import By
    from selenium.webdriver.common.keys import Keys

    opened(browser, small)
    told = (
        "const e = document.activeElement, s = getComputedStyle(e);"
        "return [e.id, e.tagName.toLowerCase(), e.textContent.slice(0, 30),"
        " s.outlineStyle !== 'none' || e.matches('input, select')]"
    )
    reached = []
    for _ in range(400):
        browser.switch_to.active_element.send_keys(Keys.TAB)
        name, tag, text, seen = browser.execute_script(told)
        if tag == "body":
            break
        reached.append((name, tag, text))
        assert seen, (name, tag, text)
    tags = [tag for _, tag, _ in reached]
    assert reached[0][2] == "To the decision"
    assert {"first", "second", "by", "differing", "words"} <= {name for name, _, _ in reached}
    assert tags.count("button") >= 30 + 8  # all questions, and the headings of tables
    assert "summary" in tags
    heading = browser.find_elements(By.CSS_SELECTOR, "#runs thead button")[2]
    heading.send_keys(Keys.ENTER)
    assert heading.find_element(By.XPATH, "..").get_attribute("aria-sort") == "descending"
    means = [float(row[2] or 0) for row in cells(browser, "runs")]
    assert means == sorted(means, reverse=True)
    heading.send_keys(Keys.SPACE)
    assert [float(row[2] or 0) for row in cells(browser, "runs")] == sorted(means)
    question = browser.find_elements(By.CSS_SELECTOR, "#questions td button")[1]
    question.send_keys(Keys.ENTER)
    assert question.get_attribute("aria-expanded") == "true"


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_roles_names_and_contrasts_hold(small: Program, browser: Any, scheme: str) -> None:
    from selenium.webdriver.common.by import By

    axe = pytest.importorskip("axe_core_python")
    browser.execute_cdp_cmd(
        "Emulation.setEmulatedMedia", {"features": [{"name": "prefers-color-scheme", "value": scheme}]}
    )
    try:
        opened(browser, small)
        browser.find_elements(By.CSS_SELECTOR, "#questions td button")[2].click()
        browser.execute_async_script("setTimeout(arguments[0], 500)")
        for each in browser.find_elements(By.CSS_SELECTOR, "#made > details > summary"):
            each.click()
        browser.execute_script((Path(axe.__file__).parent / "axe.min.js").read_text(encoding="utf-8"))
        found = browser.execute_async_script("axe.run().then(arguments[0])")
    finally:
        browser.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": []})
    wrong = [(each["id"], [node["html"][:120] for node in each["nodes"][:3]]) for each in found["violations"]]
    assert wrong == []
    assert len(found["passes"]) > 15


def test_it_prints_on_a4_without_cut_columns(small: Program, browser: Any) -> None:
    opened(browser, small)
    made = browser.execute_cdp_cmd("Page.printToPDF", {"preferCSSPageSize": True, "printBackground": False})
    with pdfplumber.open(io.BytesIO(base64.b64decode(made["data"]))) as pdf:
        pages = [(page.width, page.height, page.chars, page.extract_text()) for page in pdf.pages]
    assert {(round(width), round(height)) for width, height, _, _ in pages} == {(842, 595)}  # A4, landscape, in points
    assert all(char["x0"] >= 0 and char["x1"] <= width for width, _, chars, _ in pages for char in chars)
    text = re.sub(r"\s+", " ", " ".join(text for *_, text in pages))
    for word in ("groundedness", "correctness", "tokens to read", "from baseline"):
        assert all(part in text for part in word.split()), word
    assert "Show only rows with" not in text


def test_the_same_comparison_gives_the_same_page(small: Program) -> None:
    body = (small.folder / "page.html").read_bytes()
    small("report", "--out", "again.html", "--title", f"For <b>you</b> {HURT}")
    assert (small.folder / "again.html").read_bytes() == body


def test_texts_that_matter_least_are_left_out_where_the_page_grows_too_large(small: Program) -> None:
    from aventrik.execution.open_workspace import OpenWorkspace
    from aventrik.kept.run_names import runs_named
    from aventrik.results.comparing import compare

    opened_ = OpenWorkspace(small.folder)
    found = compare(opened_.store, opened_.workspace.settings, runs_named(opened_.store, []).runs)
    whole = details_of(opened_, found, 20_000_000, lambda *told: None)
    cut = details_of(opened_, found, 1, lambda *told: None)
    assert whole.cut == 0  # 8 documents of 16,000 characters
    assert cut.cut > 50
    size = [sum(len(body) for name, body in each.blocks.items() if name.startswith("texts")) for each in (whole, cut)]
    assert size[1] < 0.8 * size[0]
    opened_.store.close()


def test_a_part_is_packed_the_same_each_time_and_hides_nothing() -> None:
    value = {"a": [1.5, float("nan")], "b": "x\u202ey \ud83d \\"}
    assert packed(value) == packed(value)
    read = json.loads(json_of(value))
    assert read == {"a": [1.5, None], "b": "x\\u202ey \ufffd \\"}


def test_a_report_that_can_not_be_is_refused_in_plain_words(small: Program, tmp_path: Path) -> None:
    assert "name ends in .html" in small.fails("report", "--out", "page.pdf")
    assert "is a folder" in small.fails("report", "--out", str(tmp_path))
    (tmp_path / "file").write_text("x")
    assert "can't be written" in small.fails("report", "--out", str(tmp_path / "file" / "p.html"), code=3)
    assert "no run has a measure 'hits@5'; did you mean hit@5?" in small.fails("report", "--measure", "hits@5")
    assert "--as is for --to" in small.fails("report", "--as", "csv")
    assert "there is no format 'cvs'; did you mean csv?" in small.fails("report", "--to", "x", "--as", "cvs")
    assert "is a file; name a folder" in small.fails("report", "--to", str(tmp_path / "file"))
