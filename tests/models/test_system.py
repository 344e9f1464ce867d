"""A live system whose network is a function: where things stand in its requests and replies, and what goes wrong."""

from __future__ import annotations

import json
from collections.abc import Callable

import httpx
import pytest

from aventrik.core.brought import Brought, BroughtItem
from aventrik.core.errors import BadInput, Unavailable
from aventrik.models.calls import Memory
from aventrik.models.connection import Connection
from aventrik.models.system import HttpSystem, SystemForm, UnreadableReply, read

DESK = Connection("desk", "http://desk.test/ask", "", attempts=2, backoff=0.0)
FORM = SystemForm(
    "/message/text",
    "/reply/text",
    "/sources",
    "/reply/declined",
    "/passage",
    "/file",
    request={"message": {"lang": "en"}},
)


def system(
    answer: Callable[[httpx.Request], httpx.Response], form: SystemForm = FORM, calls: Memory | None = None
) -> HttpSystem:
    return HttpSystem(DESK, form, calls=calls, transport=httpx.MockTransport(answer))


def test_the_question_is_put_where_it_is_said_and_the_rest_of_the_request_stays() -> None:
    asked = system(lambda request: httpx.Response(200, json={}))
    assert asked.request("Why?") == {"message": {"lang": "en", "text": "Why?"}}
    assert FORM.request == {"message": {"lang": "en"}}
    assert system(lambda request: httpx.Response(200), SystemForm("/a/b/c")).request("x") == {"a": {"b": {"c": "x"}}}


def test_answer_and_context_are_read_from_where_they_stand_and_asked_once() -> None:
    seen: list[dict[str, object]] = []

    def answer(request: httpx.Request) -> httpx.Response:
        seen.append(json.loads(request.content))
        assert str(request.url) == "http://desk.test/ask"
        sources = [{"passage": "Open all day.", "file": "gates.md"}, "a plain one"]
        return httpx.Response(200, json={"reply": {"text": "All day.", "declined": False}, "sources": sources})

    calls = Memory()
    found = system(answer, calls=calls).ask(["When?", "When?", "Where?"])
    assert found[0] == Brought(
        "All day.", False, (BroughtItem("Open all day.", "gates.md"), BroughtItem("a plain one"))
    )
    assert [each["message"] for each in seen] == [{"lang": "en", "text": "When?"}, {"lang": "en", "text": "Where?"}]
    again = system(answer, calls=calls)
    assert again.ask(["When?"])[0].answer == "All day."
    assert len(seen) == 2
    [call] = again.recall(["When?"])
    assert call is not None
    assert call.task == "system"


@pytest.mark.parametrize(
    ("body", "told"),
    [
        ({"answer": "x"}, "nothing at /reply/text (answer); it holds an object with answer"),
        ({"reply": {"text": 3}, "sources": []}, "at /reply/text (answer) is no text but a number"),
        ({"reply": {"text": "x"}}, "nothing at /sources (context)"),
        ({"reply": {"text": "x"}, "sources": "y"}, "at /sources (context) is no array but a text"),
        ({"reply": {"text": "x"}, "sources": [{"body": "y"}]}, "the item at /sources/0 has no text at /passage"),
        (
            {"reply": {"text": "x", "declined": "no"}, "sources": []},
            "/reply/declined (declined) is neither true nor false",
        ),
    ],
)
def test_another_shape_is_told_with_the_pointer_that_failed(body: dict[str, object], told: str) -> None:
    with pytest.raises(UnreadableReply) as error:
        read(body, FORM)
    assert told in str(error.value)
    [found] = system(lambda request: httpx.Response(200, json=body)).ask(["q"])
    assert told in found.failure


def test_a_reply_that_is_kept_is_read_anew_when_the_pointers_were_wrong() -> None:
    calls = Memory()
    body = {"text": "Yes.", "sources": []}
    reached = 0

    def answer(request: httpx.Request) -> httpx.Response:
        nonlocal reached
        reached += 1
        return httpx.Response(200, json=body)

    assert "/reply/text" in system(answer, calls=calls).ask(["q"])[0].failure
    mended = SystemForm("/message/text", "/text", "/sources", request={"message": {"lang": "en"}})
    assert system(answer, mended, calls).ask(["q"])[0].answer == "Yes."
    assert reached == 1
    assert system(answer).identity != system(answer, mended).identity


def test_an_empty_context_and_one_that_is_not_told_are_two_things() -> None:
    assert read({"reply": {"text": "x"}, "sources": []}, FORM).context == ()
    assert read({"reply": {"text": "x"}, "sources": None}, FORM).context == ()
    assert read({"answer": "x"}, SystemForm(context="-")).context is None
    assert read({"answer": None, "context": []}, SystemForm()).answer == ""


def test_a_web_page_a_refusal_and_a_missing_path_are_told() -> None:
    page = httpx.Response(200, text="<html>hello</html>", headers={"content-type": "text/html"})
    with pytest.raises(Unavailable, match="with a web page, not JSON"):
        system(lambda request: page).ask(["q"])
    with pytest.raises(Unavailable, match="answered 404"):
        system(lambda request: httpx.Response(404, text="no")).ask(["q"])
    [found] = system(lambda request: httpx.Response(422, text="too long")).ask(["q"])
    assert "answered 422: too long" in found.failure
    [found] = system(lambda request: httpx.Response(200, text="[1]")).ask(["q"])
    assert "not a JSON object" in found.failure


def test_the_test_of_a_connection_says_what_came() -> None:
    body = {"reply": {"text": "Yes."}, "sources": [{"passage": "a"}]}
    told = system(lambda request: httpx.Response(200, json=body)).test()
    assert (told["answer"], told["items"]) == ("Yes.", 1)


@pytest.mark.parametrize(
    ("lines", "told"),
    [
        ('pointers = { answer = "reply" }', "must be a JSON Pointer"),
        ('pointers = { answer = "/a~b" }', "must be a JSON Pointer"),
        ('pointers = { question = "-" }', "must be told"),
        ('pointers = { question = "/a/b" }\nrequest = { a = "text" }', "leads through 'a', which is no table"),
        ("request = { day = 2031-04-01 }", "what JSON can't"),
        ('pointers = { anser = "/a" }', "answer"),
    ],
)
def test_settings_that_can_not_be_meant_are_refused(tmp_path, lines: str, told: str) -> None:  # type: ignore[no-untyped-def]
    from aventrik.workspace.workspace import Workspace

    head = '[models.desk]\nkind = "http"\ndoes = "system"\naddress = "http://127.0.0.1:1/ask"\n'
    (tmp_path / "aventrik.toml").write_text(head + lines + "\n")
    with pytest.raises(BadInput) as error:
        Workspace(tmp_path)
    assert told in str(error.value)
