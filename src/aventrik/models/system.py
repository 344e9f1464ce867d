"""A question-answering system that is live: its address is asked a question, and gives an answer and its context.

Where the question stands in the request, and the answer and the items of the context in the reply, is said by JSON
Pointers (RFC 6901).
"""

from __future__ import annotations

import copy
import json
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, Unpack

from jsonpointer import JsonPointerException, resolve_pointer, set_pointer

from ..core.brought import LONGEST, Brought, BroughtItem
from ..core.keys import content_key
from ..core.text import count_tokens
from .asking import Link, Server
from .background import run
from .caller import Posted, Refused
from .calls import Call
from .connection import Connection

TASK = "system"
_NOTHING = object()
_SHOWN = 200


@dataclass(frozen=True)
class SystemForm:
    """Where things stand: `question` in the request, `answer`, `context` (an array) and `declined` in the reply; in an
    item of the context `text`, `document`, `start` and `end`. An empty pointer to a text is the item itself; "-" means
    that the system does not tell. `request` is what a request holds beside the question."""

    question: str = "/question"
    answer: str = "/answer"
    context: str = "/context"
    declined: str = "-"
    text: str = "/text"
    document: str = "/document"
    start: str = "/start"
    end: str = "/end"
    request: dict[str, Any] = field(default_factory=dict)


class UnreadableReply(ValueError):
    """A reply in another shape than was said; the message names the pointer that failed."""


class HttpSystem(Server):
    """Asks a system; every finished call is kept in the call store at once."""

    def __init__(self, connection: Connection, form: SystemForm, **link: Unpack[Link]) -> None:
        super().__init__(connection, **link)
        self.form = form

    @property
    def identity(self) -> str:
        """Where it is, how it is asked, and how its replies are read."""
        form = self.form
        return content_key("system", self.connection.address, [getattr(form, name) for name in _POINTERS], form.request)

    def key(self, question: str) -> str:
        """The key of a call: what is sent, and where to."""
        return content_key("system", self.connection.address, self.request(question))

    def request(self, question: str) -> dict[str, Any]:
        """The body that asks a question."""
        body = copy.deepcopy(self.form.request)
        parts = self.form.question.split("/")[1:]
        inner: Any = body
        for part in parts[:-1]:  # objects on the way that the settings leave out
            inner = inner.setdefault(part.replace("~1", "/").replace("~0", "~"), {}) if isinstance(inner, dict) else {}
        made: dict[str, Any] = set_pointer(body, self.form.question, question, inplace=False)
        return made

    def ask(self, questions: Sequence[str]) -> list[Brought]:
        """What the system gives to each question; what the call store has is not asked again."""
        keys = [self.key(question) for question in questions]
        items = {key: (key, question) for key, question in zip(keys, questions)}
        known = self._asking.all(keys, items, self._finished)
        return [self._brought(known[key]) for key in keys]

    def recall(self, questions: Sequence[str]) -> list[Call | None]:
        """The calls of questions as they are kept."""
        keys = [self.key(question) for question in questions]
        known = self._kept.find(list(dict.fromkeys(keys)))
        return [known.get(key) for key in keys]

    def test(self) -> dict[str, Any]:
        """Asks something small, and says what came."""

        async def ask() -> Posted:
            return await self.caller.post(self.connection.address, self.request("Is the gate open?"), 1)

        posted = run(ask())
        found = read(posted.body, self.form)
        return {
            "seconds": posted.seconds,
            "answer": (found.answer or "")[:_SHOWN],
            "items": None if found.context is None else len(found.context),
        }

    async def _finished(self, item: tuple[str, str]) -> Call:
        key, question = item
        body = self.request(question)
        tokens = count_tokens(question)
        try:
            posted = await self.caller.post(self.connection.address, body, tokens)
        except Refused as error:
            return self.finished(key, TASK, body, "", str(error), (0, 0), [])
        try:
            failure, out = "", count_tokens(read(posted.body, self.form).answer or "")
        except UnreadableReply as error:
            failure, out = str(error), 0
        reply = json.dumps(posted.body, ensure_ascii=False)
        return self.finished(key, TASK, body, reply, failure, (tokens, out), [posted])

    def _brought(self, call: Call) -> Brought:
        if call.failure and not call.reply:
            return Brought(failure=call.failure)
        try:  # by the pointers as they are now: a kept reply may be read in another way than before
            return read(json.loads(call.reply), self.form)
        except UnreadableReply as error:
            return Brought(failure=str(error))


_POINTERS = ("question", "answer", "context", "declined", "text", "document", "start", "end")


def read(body: Any, form: SystemForm) -> Brought:
    """What a reply holds; raises `UnreadableReply` with the pointer that failed."""
    answer = _at(body, form.answer)
    if answer is _NOTHING:
        raise UnreadableReply(f"the reply has nothing at {form.answer} (answer); it holds {_kind_of_body(body)}")
    if answer is None:
        answer = ""
    if not isinstance(answer, str):
        raise UnreadableReply(f"what stands at {form.answer} (answer) is no text but {_kind_of_body(answer)}")
    declined = _at(body, form.declined)
    if declined is not _NOTHING and not isinstance(declined, bool):
        raise UnreadableReply(f"what stands at {form.declined} (declined) is neither true nor false")
    return Brought(answer, declined if isinstance(declined, bool) else None, _context(body, form))


def _context(body: Any, form: SystemForm) -> tuple[BroughtItem, ...] | None:
    if form.context == "-":
        return None
    items = _at(body, form.context)
    if items is _NOTHING:
        raise UnreadableReply(f"the reply has nothing at {form.context} (context); it holds {_kind_of_body(body)}")
    if items is None:
        return ()
    if not isinstance(items, list):
        raise UnreadableReply(f"what stands at {form.context} (context) is no array but {_kind_of_body(items)}")
    return tuple(_item(item, form, f"{form.context}/{number}") for number, item in enumerate(items))


def _item(item: Any, form: SystemForm, where: str) -> BroughtItem:
    if isinstance(item, str):
        return BroughtItem(item[:LONGEST])
    text, doc = _at(item, form.text), _at(item, form.document)
    start, end = _at(item, form.start), _at(item, form.end)
    text = text[:LONGEST] if isinstance(text, str) else ""
    doc = doc if isinstance(doc, str) else ""
    if not text and not doc:
        raise UnreadableReply(
            f"the item at {where} has no text at {form.text} (text) and no document at {form.document} (document); it "
            f"holds {_kind_of_body(item)}"
        )
    whole = all(isinstance(each, int) and not isinstance(each, bool) for each in (start, end)) and 0 <= start < end
    return BroughtItem(text, doc, start, end) if whole else BroughtItem(text, doc)


def _at(body: Any, pointer: str) -> Any:
    if pointer == "-":
        return _NOTHING
    try:
        return resolve_pointer(body, pointer, _NOTHING)
    except (JsonPointerException, TypeError, ValueError):
        return _NOTHING


def _kind_of_body(body: Any) -> str:
    if isinstance(body, dict):
        return "an object with " + (", ".join(map(str, list(body)[:8])) if body else "nothing")[:_SHOWN]
    return {list: "an array", str: "a text", bool: "true or false", type(None): "null"}.get(type(body), "a number")
