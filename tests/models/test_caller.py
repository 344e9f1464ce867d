"""Calls to a server whose network is a function: retries, limits, the breaker, and what is told."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import httpx
import numpy as np
import pytest

from aventrik.core.errors import BadInput, Unavailable
from aventrik.core.protocols import Task
from aventrik.models.background import as_done
from aventrik.models.caller import Caller, Posted, Refused
from aventrik.models.calls import Memory
from aventrik.models.connection import Connection
from aventrik.models.language import HttpLanguageModel, cut_to, shortened
from aventrik.models.limits import Breaker, TokenBucket
from aventrik.models.reranking import HttpReranker
from aventrik.models.vectors import HttpEmbedder

Handler = Callable[[httpx.Request], httpx.Response]
HOUSE = Connection("house", "http://house.test", "small", backoff=0.5, attempts=4, concurrency=4)


class Slept:
    """Counts the seconds that would have been slept."""

    def __init__(self) -> None:
        self.waits: list[float] = []

    async def __call__(self, seconds: float) -> None:
        self.waits.append(seconds)


def post(handler: Handler, connection: Connection = HOUSE, sleep: Slept | None = None) -> Posted:
    """One POST through a network that is `handler`."""

    async def work() -> Posted:
        caller = Caller(connection, httpx.MockTransport(handler), sleep or Slept())
        try:
            return await caller.post("/v1/x", {"a": 1}, 10)
        finally:
            await caller.close()

    return asyncio.run(work())


def in_turn(*responses: httpx.Response | Exception) -> Handler:
    """A server that gives its answers one after the other, the last one for ever."""
    left = list(responses)

    def handle(request: httpx.Request) -> httpx.Response:
        found = left.pop(0) if len(left) > 1 else left[0]
        if isinstance(found, Exception):
            raise found
        return found

    return handle


GOOD = httpx.Response(200, json={"ok": True})


@pytest.mark.parametrize("status", [408, 409, 429, 500, 502, 503, 504])
def test_passing_trouble_is_tried_again(status: int) -> None:
    posted = post(in_turn(httpx.Response(status), httpx.ReadTimeout("slow"), httpx.RemoteProtocolError("cut"), GOOD))
    assert posted.body == {"ok": True}
    assert posted.attempts == 4


def test_waits_grow_and_a_servers_own_wait_is_kept_to() -> None:
    slept = Slept()
    post(
        in_turn(httpx.Response(500), httpx.Response(500), httpx.Response(429, headers={"Retry-After": "7"}), GOOD),
        sleep=slept,
    )
    assert 0.25 <= slept.waits[0] <= 0.75
    assert 0.5 <= slept.waits[1] <= 1.5
    assert sum(slept.waits[2:]) == pytest.approx(7.0, abs=0.1)


def test_an_item_that_fails_every_time_is_refused_with_the_reason() -> None:
    with pytest.raises(Refused, match=r"answered 500: no luck \(4 attempts\)"):
        post(in_turn(httpx.Response(500, text="no luck")))


@pytest.mark.parametrize(
    ("response", "told"),
    [
        (httpx.Response(401), "set key_variable"),
        (httpx.Response(404), "answered 404 for /v1/x; check the address and the model 'small'"),
        (httpx.Response(200, html="<html>Hello</html>"), "web page, not JSON"),
        (httpx.ConnectError("refused"), "is the server running"),
    ],
)
def test_what_no_call_can_mend_stops_at_once(response: httpx.Response | Exception, told: str) -> None:
    with pytest.raises(Unavailable, match=told):
        post(in_turn(response))


def test_a_wrong_key_names_its_variable_and_never_shows(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("HOUSE_KEY", "zebra-7")
    keyed = Connection("house", "http://house.test", "small", key_variable="HOUSE_KEY", attempts=1)
    with pytest.raises(Unavailable, match="check the key in HOUSE_KEY"):
        post(in_turn(httpx.Response(401)), keyed)
    with pytest.raises(Refused) as caught:
        post(in_turn(httpx.Response(400, text="bad key zebra-7")), keyed)
    assert "zebra" not in str(caught.value)
    monkeypatch.delenv("HOUSE_KEY")
    with pytest.raises(BadInput, match="HOUSE_KEY is not set"):
        post(in_turn(GOOD), keyed)


def test_the_breaker_opens_after_failures_in_a_row_only() -> None:
    breaker = Breaker(3)
    assert [breaker.failure(), breaker.failure()] == [False, False]
    breaker.success()
    assert [breaker.failure(), breaker.failure(), breaker.failure()] == [False, False, True]


def test_a_token_bucket_lets_through_what_its_rate_allows() -> None:
    now = [0.0]

    async def sleep(seconds: float) -> None:
        now[0] += seconds

    async def work() -> float:
        bucket = TokenBucket(600, clock=lambda: now[0], sleep=sleep)
        for _ in range(260):
            await bucket.take(1)
        return now[0]

    # 600 a minute is 10 a second; 60 go at once, the other 200 take 20 s
    assert asyncio.run(work()) == pytest.approx(20.0, abs=0.2)


def chat(text: str, **usage: int) -> httpx.Response:
    body: dict[str, Any] = {"choices": [{"message": {"content": text}}]}
    if usage:
        body["usage"] = usage
    return httpx.Response(200, json=body)


STATED = Task("stated", {"question": "", "facts": ["48 hours"], "answer": "It is 48 hours."})


def language(handler: Handler, calls: Memory | None = None, **changes: Any) -> HttpLanguageModel:
    connection = Connection(**{**HOUSE.__dict__, "backoff": 0.0, **changes})
    return HttpLanguageModel(connection, calls=calls, transport=httpx.MockTransport(handler))


def test_a_reply_that_does_not_fit_is_asked_again_once_with_the_error() -> None:
    seen: list[dict[str, Any]] = []
    answers = iter(["nonsense", '{"stated": [true]}'])

    def handle(request: httpx.Request) -> httpx.Response:
        seen.append(json.loads(request.content))
        return chat(next(answers), prompt_tokens=100, completion_tokens=10)

    model = language(handle, price_in=2.0, price_out=10.0)
    [reply] = model.perform([STATED])
    assert reply.value == {"stated": [True]}
    assert "not a JSON object" in seen[1]["messages"][-1]["content"]
    assert (model.spent.calls, model.spent.tokens_in, model.spent.tokens_out) == (1, 200, 20)
    assert model.spent.money == pytest.approx((200 * 2 + 20 * 10) / 1e6)


def test_a_reply_that_never_fits_is_recorded_as_failed_with_what_came() -> None:
    calls = Memory()
    model = language(lambda request: chat('{"stated": []}'), calls)
    [reply] = model.perform([STATED])
    assert reply.value is None
    assert "0 values for 1 facts" in reply.failure
    [call] = calls.calls.values()
    assert call.reply == '{"stated": []}'
    assert model.spent.failed == 1


def test_equal_tasks_are_asked_once_and_kept_ones_never_again() -> None:
    count = [0]

    def handle(request: httpx.Request) -> httpx.Response:
        count[0] += 1
        return chat('{"stated": [true]}')

    calls = Memory()
    assert len(language(handle, calls).perform([STATED, STATED])) == 2
    again = language(handle, calls)
    again.perform([STATED])
    assert (count[0], again.spent.kept, again.spent.calls) == (1, 1, 0)
    fresh = HttpLanguageModel(HOUSE, calls=calls, fresh=True, transport=httpx.MockTransport(handle))
    fresh.perform([STATED])
    assert count[0] == 2


def test_a_server_that_takes_no_schema_is_asked_in_words() -> None:
    seen: list[str] = []

    def handle(request: httpx.Request) -> httpx.Response:
        form = json.loads(request.content).get("response_format", {}).get("type", "none")
        seen.append(form)
        refused = {"json_schema": httpx.Response(500, text="response_format: no"), "json_object": httpx.Response(400)}
        return refused.get(form) or chat('{"stated": [true]}')

    model = language(handle)
    assert model.perform([STATED])[0].value == {"stated": [True]}
    model.perform([Task("stated", {"question": "", "facts": ["x"], "answer": "y"})])
    assert seen == ["json_schema", "json_object", "none", "none"]


def test_material_over_the_context_is_cut_at_a_sentence_and_that_is_said() -> None:
    sent: list[str] = []

    def handle(request: httpx.Request) -> httpx.Response:
        sent.append(json.loads(request.content)["messages"][1]["content"])
        return chat('{"summary": "x"}')

    passage = "The lock keeper opens the gate at eight. " * 200
    model = language(handle, context=1024, reply_tokens=128)
    [reply] = model.perform([Task("summary", {"title": "", "headings": [], "passage": passage})])
    assert reply.notes == ("material was cut to fit the context",)
    judged = {"question": "When?", "title": "", "headings": [], "passage": passage}
    language(lambda request: chat('{"answered": true}'), context=1024, reply_tokens=128)
    model.cuts.clear()
    model.perform([Task("answered", judged), Task("stated", {"question": "Who?", "facts": ["x"], "answer": "y"})])
    assert model.cuts == {"When?"}  # not the one that fitted
    assert model.spent.notes == {"material was cut to fit the context": 2}
    before_the_fence = sent[0].rstrip().rsplit("\n--- end", 1)[0]
    assert before_the_fence.endswith("The lock keeper opens the gate at eight.")
    assert len(sent[0]) < len(passage)


def test_cutting_drops_whole_items_first_and_whole_sentences_then() -> None:
    assert cut_to("One two. Three four. Five six.", 3) == "One two. Three four."
    context = [{"number": n, "source": "", "text": "word " * 50} for n in (1, 2, 3)]
    left = shortened(Task("answer", {"question": "q", "context": context, "style": "quote"}), 60).fields["context"]
    assert [item["number"] for item in left] == [1, 2]
    assert left[0] == context[0]


def test_a_server_that_goes_down_in_the_middle_loses_nothing_that_was_finished() -> None:
    count = [0]

    def handle(request: httpx.Request) -> httpx.Response:
        count[0] += 1
        if count[0] > 10:
            raise httpx.ConnectError("gone")
        return chat('{"stated": [true]}')

    calls = Memory()
    tasks = [Task("stated", {"question": "", "facts": [f"fact {n}"], "answer": "x"}) for n in range(30)]
    with pytest.raises(Unavailable, match="is the server running"):
        language(handle, calls, concurrency=1, attempts=2).perform(tasks)
    assert len(calls.calls) == 10


def vectors(handler: Handler, **changes: Any) -> HttpEmbedder:
    connection = Connection(**{**HOUSE.__dict__, "backoff": 0.0, "attempts": 1, **changes})
    return HttpEmbedder(connection, "q: ", "p: ", transport=httpx.MockTransport(handler))


def test_embeddings_come_back_in_order_with_their_prefixes_and_are_kept() -> None:
    asked: list[str] = []

    def handle(request: httpx.Request) -> httpx.Response:
        texts = json.loads(request.content)["input"]
        asked.extend(texts)
        data = [{"index": n, "embedding": [float(len(text)), 1.0]} for n, text in enumerate(texts)]
        return httpx.Response(200, json={"data": data[::-1]})

    model = vectors(handle)
    found = model.embed(["a", "bbb", "a"], {})
    assert asked == ["p: a", "p: bbb"]
    assert found[0] == pytest.approx(np.array([4, 1]) / np.sqrt(17))
    assert found[2] == pytest.approx(found[0])
    model.embed(["a"], {}, "query")
    assert asked[-1] == "q: a"
    assert model.spent.calls == 2


@pytest.mark.parametrize(
    ("rows", "told"),
    [
        ([[1.0, float("nan")]], "not a finite number"),
        ([[1.0], [2.0]], "2 embeddings came for 1 texts"),
        (None, "holds no embeddings"),
    ],
)
def test_a_bad_embedding_stops_the_work(rows: list[list[float]] | None, told: str) -> None:
    data = None if rows is None else [{"index": n, "embedding": row} for n, row in enumerate(rows)]
    body = json.dumps({"data": data})
    with pytest.raises(Unavailable, match=told):
        vectors(lambda request: httpx.Response(200, text=body)).embed(["a"], {})


def test_a_vector_for_each_token_becomes_their_mean() -> None:
    data = [{"index": 0, "embedding": [[1.0, 5.0], [3.0, 3.0]]}, {"index": 1, "embedding": [[0.0, 2.0]]}]
    model = vectors(lambda request: httpx.Response(200, json={"data": data}))
    found = model.embed(["a", "b"], {})
    assert found[0] == pytest.approx(np.array([2, 4]) / np.sqrt(20))
    assert found[1] == pytest.approx([0, 1])
    assert list(model.spent.notes.values()) == [2]


def test_an_embedding_of_another_length_in_mid_run_is_told() -> None:
    lengths = iter([3, 3, 4])

    def handle(request: httpx.Request) -> httpx.Response:
        return httpx.Response(200, json={"data": [{"index": 0, "embedding": [1.0] * next(lengths)}]})

    model = vectors(handle)
    model.embed(["a"], {})
    model.embed(["b"], {})
    with pytest.raises(Unavailable, match="has 4 numbers, those before had 3"):
        model.embed(["c"], {})


def test_reranking_scores_go_to_their_passages() -> None:
    def handle(request: httpx.Request) -> httpx.Response:
        documents = json.loads(request.content)["documents"]
        rows = [{"index": n, "relevance_score": len(text)} for n, text in enumerate(documents)]
        return httpx.Response(200, json={"results": sorted(rows, key=lambda row: -row["relevance_score"])})

    model = HttpReranker(HOUSE, transport=httpx.MockTransport(handle))
    assert model.score([("q", ["aa", "a", "aaa"]), ("q", [])]) == [[2.0, 1.0, 3.0], []]
    assert model.cuts == set()
    short = HttpReranker(replace(HOUSE, context=40), transport=httpx.MockTransport(handle))
    short.score([("long?", ["The lock keeper opens the gate. " * 40, "a"]), ("short?", ["a", "b"])])
    assert short.cuts == {"long?"}
    assert short.spent.notes == {"a passage was cut to fit the reranking model": 1}
    lacking = HttpReranker(HOUSE, transport=httpx.MockTransport(lambda r: httpx.Response(200, json={"results": []})))
    with pytest.raises(Unavailable, match="not every passage got a score"):
        lacking.score([("q", ["a"])])


def test_work_done_comes_out_before_what_went_wrong() -> None:
    async def work(item: int) -> int:
        await asyncio.sleep(0.01 * item)
        if item == 3:
            raise ValueError("three")
        return item

    found: list[int] = []

    def collect() -> None:
        for ready in as_done(work, [1, 2, 3, 50], 4):
            found.extend(ready)

    with pytest.raises(ValueError, match="three"):
        collect()
    assert found == [1, 2]


def test_no_more_than_the_allowed_are_under_way() -> None:
    under_way, most = [0], [0]

    async def work(item: int) -> int:
        under_way[0] += 1
        most[0] = max(most[0], under_way[0])
        await asyncio.sleep(0.001)
        under_way[0] -= 1
        return item

    assert sorted(each for ready in as_done(work, list(range(50)), 5) for each in ready) == list(range(50))
    assert most[0] == 5


def test_where_a_model_runs_and_what_it_does_not_use_is_no_part_of_its_identity() -> None:
    moved = replace(HOUSE, address=f"{HOUSE.address}/", price_in=3.0, concurrency=1)
    assert HttpLanguageModel(moved).identity("answer") == HttpLanguageModel(HOUSE).identity("answer")
    warmer = replace(HOUSE, temperature=0.7, reply_tokens=77)
    assert HttpLanguageModel(warmer).identity("answer") != HttpLanguageModel(HOUSE).identity("answer")
    assert HttpEmbedder(warmer).identity("query") == HttpEmbedder(HOUSE).identity("query")
    assert HttpReranker(warmer).identity == HttpReranker(HOUSE).identity
    other = replace(HOUSE, model="another")
    assert HttpEmbedder(other).identity("query") != HttpEmbedder(HOUSE).identity("query")


def test_calls_that_an_earlier_version_kept_are_not_asked_again() -> None:
    calls = Memory()
    asked: list[str] = []

    def handle(request: httpx.Request) -> httpx.Response:
        asked.append(str(request.url))
        return chat('{"stated": [true]}')

    model = language(handle, calls)
    model.perform([STATED])
    [call] = calls.calls.values()
    chats = [model._chat(STATED)]
    old = replace(
        call, key=model._keys([STATED], chats)[1][call.key]
    )  # as it was named before: with the server's address
    calls.calls.clear()
    calls.keep([old])
    asked.clear()
    assert language(handle, calls).perform([STATED])[0].value == {"stated": [True]}
    assert asked == []
    assert set(calls.calls) == {call.key, old.key}
    language(handle, calls, model="another").perform([STATED])
    assert len(asked) == 1
