"""A language model on a server that speaks `/v1/chat/completions`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache
from pathlib import Path
from typing import Any, Unpack

from ..core.keys import content_key
from ..core.protocols import Reply, Task
from ..core.text import count_tokens, sentences
from .asking import Link, Server, found_of
from .background import run
from .caller import Posted, Refused
from .calls import Call
from .connection import Connection
from .prompts import Prompt, load_prompt, messages
from .replies import schema, understood, used_tokens
from .reply_checks import Unfit

PATH = "/v1/chat/completions"
_ROOM = 64  # tokens kept free of the context beside the reply


class HttpLanguageModel(Server):
    """A `LanguageModel` that asks a server; every finished call is kept in the call store at once."""

    def __init__(self, connection: Connection, prompts: Path | None = None, **link: Unpack[Link]) -> None:
        super().__init__(connection, **link)
        self._folder = prompts
        self._prompts: dict[str, Prompt] = {}
        self._forms = ["schema", "object"]  # how a JSON reply is asked for, until the server refuses it

    def prompt(self, task: str) -> Prompt:
        """The wording of a task, read once."""
        if task not in self._prompts:
            self._prompts[task] = load_prompt(task, self._folder)
        return self._prompts[task]

    def identity(self, task: str) -> str:
        """Model, settings and wording."""
        return f"{self.connection.writing_key} {self.prompt(task).key}"

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        """A reply to each task. What the call store has is not asked again; equal tasks are asked once."""
        chats = [self._chat(task) for task in tasks]
        keys, earlier = self._keys(tasks, chats)
        items = {key: (key, task, chat) for key, task, (chat, _) in zip(keys, tasks, chats)}
        known = self._asking.all(keys, items, self._finished, earlier)
        return [self._reply(task, known[key], notes) for task, key, (_, notes) in zip(tasks, keys, chats)]

    def recall(self, tasks: Sequence[Task], wordings: Mapping[str, str]) -> list[tuple[Call | None, Reply]]:
        """The kept call of each task, asked in the given wordings (those of now for other tasks), and what its reply
        comes to; asks nobody."""
        chats = [self._chat(task, wordings.get(task.name, "")) for task in tasks]
        keys, earlier = self._keys(tasks, chats)
        known = found_of(self._kept, list(dict.fromkeys(keys)), earlier)
        gone = Reply(None, "the call is not kept")
        return [
            (known.get(key), self._reply(task, known[key], notes) if key in known else gone)
            for task, key, (_, notes) in zip(tasks, keys, chats)
        ]

    def _keys(
        self, tasks: Sequence[Task], chats: Sequence[tuple[Any, tuple[str, ...]]]
    ) -> tuple[list[str], dict[str, str]]:
        """The key of each chat's call, and of each of these that of earlier versions."""
        more = [[task.time] if task.time > 1 else [] for task in tasks]
        keys = [content_key("chat", self.connection.writing_key, chat, *each) for (chat, _), each in zip(chats, more)]
        old = (content_key("chat", self.connection.earlier_key, chat, *each) for (chat, _), each in zip(chats, more))
        return keys, dict(zip(keys, old))

    def _reply(self, task: Task, call: Call, notes: tuple[str, ...]) -> Reply:
        for note in notes:
            self.spent.notes[note] = self.spent.notes.get(note, 0) + 1
        if notes:
            self.cuts.add(str(task.fields.get("question", "")))
        if call.failure:
            return Reply(None, call.failure, notes)
        try:
            return Reply(understood(task, call.reply, last=True), notes=notes)
        except Unfit as error:  # it was kept by a version that let it pass
            return Reply(None, f"the reply does not fit: {error}", notes)

    async def _finished(self, item: tuple[str, Task, list[dict[str, str]]]) -> Call:
        """One task to its end: a reply that fits, or a failure with what came; asked again once when it does not fit."""
        key, task, chat = item
        tokens_in = tokens_out = 0
        seen: list[Posted] = []
        failure, text = "", ""
        for turn in range(2):
            asked = chat if turn == 0 else [*chat, *_again(text, failure)]
            try:
                posted = await self._asked(task, asked)
            except Refused as error:
                failure = str(error)
                break
            used = _usage(posted.body, asked)
            tokens_in, tokens_out = tokens_in + used[0], tokens_out + used[1]
            seen.append(posted)
            try:
                text = _text(posted.body)
                understood(task, text, last=turn > 0)
                failure = ""
                break
            except Unfit as error:
                failure = f"the reply does not fit: {error}"
        return self.finished(key, task.name, chat, text, failure, (tokens_in, tokens_out), seen)

    async def _asked(self, task: Task, chat: list[dict[str, str]]) -> Posted:
        caller = self.caller
        body: dict[str, Any] = {
            "model": self.connection.model,
            "messages": chat,
            "temperature": self.connection.temperature,
            "max_tokens": self.connection.reply_tokens,
        }
        tokens = _size(chat) + self.connection.reply_tokens // 4
        while self._forms:
            form = self._forms[0]
            try:
                return await caller.post(PATH, {**body, "response_format": _form(form, task.name)}, tokens)
            except Refused as error:
                if error.status not in (400, 422):
                    raise
                if form in self._forms:  # another request may have found out in the meantime
                    self._forms.remove(form)
        return await caller.post(PATH, body, tokens)

    def _chat(self, task: Task, wording: str = "") -> tuple[list[dict[str, str]], tuple[str, ...]]:
        """The messages of a task; material that the model's context can't hold is cut at a sentence, and that is said."""
        form = schema(task.name)
        own = task.wording or wording
        prompt = Prompt(task.name, own, "own") if own else self.prompt(task.name)
        chat = messages(prompt, task, form)
        room = self.connection.context - self.connection.reply_tokens - _ROOM
        over = _size(chat) - room
        if over <= 0:
            return chat, ()
        return messages(prompt, shortened(task, over), form), ("material was cut to fit the context",)

    def test(self) -> dict[str, Any]:
        """Asks the server something small: which models it has, how quick it is, whether it keeps to a schema."""

        async def ask() -> dict[str, Any]:
            caller = self.caller
            listed: list[str] | None = None
            try:
                models = (await caller.get("/v1/models")).get("data", [])
                listed = [str(each.get("id")) for each in models if isinstance(each, dict)]
            except Refused:
                pass
            task = Task("relevance", {"question": "Is the gate open?", "passage": "The gate is open all day."})
            posted = await self._asked(task, messages(self.prompt(task.name), task, schema(task.name)))
            text = _text(posted.body)
            used = _usage(posted.body, [])
            try:
                understood(task, text)
                fits = self._forms[0] if self._forms else "asked in words"
            except Unfit as error:
                fits = f"no ({error})"
            return {
                "known": None if not listed else self.connection.model in listed,
                "seconds": posted.seconds,
                "tokens_a_second": used[1] / posted.seconds if posted.seconds else 0.0,
                "json": fits,
            }

        return run(ask())


def _form(form: str, task: str) -> dict[str, Any]:
    """The `response_format` that holds the reply to a schema: in the newer form, or the older one."""
    if form == "schema":
        return {"type": "json_schema", "json_schema": {"name": task, "schema": schema(task)}}
    return {"type": "json_object", "schema": schema(task)}


def _again(text: str, failure: str) -> list[dict[str, str]]:
    told = (
        f"{failure[:1].upper()}{failure[1:]}. Reply again with one JSON object that fits the schema, and nothing else."
    )
    return [{"role": "assistant", "content": text or "(nothing)"}, {"role": "user", "content": told}]


def _text(body: Mapping[str, Any]) -> str:
    try:
        return str(body["choices"][0]["message"]["content"] or "")
    except (KeyError, IndexError, TypeError):
        return ""


def _usage(body: Mapping[str, Any], chat: Sequence[Mapping[str, str]]) -> tuple[int, int]:
    """Tokens in and out as the server counted them, or an estimate."""
    text = _text(body)
    return used_tokens(body, "prompt_tokens", _size(chat)), used_tokens(body, "completion_tokens", count_tokens(text))


def _size(chat: Sequence[Mapping[str, str]]) -> int:
    return sum(_tokens(message["content"]) + 4 for message in chat)


_tokens = lru_cache(maxsize=4096)(count_tokens)  # the same rules and schema stand before every prompt of a task


def shortened(task: Task, over: int) -> Task:
    """The task with `over` tokens (and a little more) less material: the end of its longest text, or last items."""
    fields = dict(task.fields)
    if fields.get("context"):
        items = list(fields["context"])
        while over > 0 and len(items) > 1:
            over -= count_tokens(str(items.pop()["text"])) + 20
        if over > 0:
            items[0] = {**items[0], "text": cut_to(str(items[0]["text"]), over)}
        return Task(task.name, {**fields, "context": items})
    longest = max((name for name, value in fields.items() if isinstance(value, str)), key=lambda n: len(fields[n]))
    return Task(task.name, {**fields, longest: cut_to(str(fields[longest]), over)})


def cut_to(text: str, over: int) -> str:
    """The text without its last `over` tokens, cut after a sentence where one ends, else between words."""
    left = max(1, count_tokens(text) - over)
    kept = 0
    used = 0
    for start, end in sentences(text):
        used += count_tokens(text[start:end])
        if used > left:
            break
        kept = end
    if kept:
        return text[:kept]
    words = text.split()
    while words and count_tokens(" ".join(words)) > left:
        words = words[: max(1, int(len(words) * 0.9))] if len(words) > 1 else []
    return " ".join(words)
