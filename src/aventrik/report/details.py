"""Every question of a comparison as the page keeps it: evidence, what each run found and answered, and the texts of the
documents that are shown, in parts that are read when they are asked for."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt

from ..core.collecting import not_collected
from ..core.documents import Document
from ..core.measures.loss import STAGES, stage_of
from ..corpora.changes import contents_of
from ..execution.open_workspace import OpenWorkspace
from ..kept.accounts import Account, Accounts
from ..results.comparison import Comparison
from ..results.explaining import explain
from ..results.model_calls import Recalled, calls_of, messages_of
from .packing import packed

ITEMS = 10  # of each list
_AROUND = 240  # characters around a quote
_SHARE = 0.62  # bytes of the page that a character of text takes: compressed, in letters
_BLOCK = 150_000  # characters of text that are read together
_HEADS = 2000  # headings of a document by which a place is named
_LONGEST = 4000  # characters of one item that are shown

Progress = Callable[[str, int, int], None]


@dataclass
class Details:
    """`questions` in the order of the page, short; `documents` has each document's name, the block that holds its text, and its
    headings; `blocks` are the parts by name, packed; `cut` is of how many items the text was left out."""

    questions: list[dict[str, Any]] = field(default_factory=list)
    documents: list[dict[str, Any]] = field(default_factory=list)
    blocks: dict[str, str] = field(default_factory=dict)
    cut: int = 0


def details_of(
    opened: OpenWorkspace, found: Comparison, most: int, progress: Progress, called: Sequence[int] = ()
) -> Details:
    """The details of all questions that the runs share, of at most about `most` bytes; with every call of a model server
    behind them for those runs, by their places, that are in `called`."""
    made = _Details(opened, found, progress, called)
    with not_collected():
        made.read()
        made.pack(most)
    return made.made


class _Texts:
    """The texts of documents, and which stretches of them are shown."""

    def __init__(self, opened: OpenWorkspace) -> None:
        self._opened = opened
        self.places: dict[tuple[str, str], int] = {}  # (name, content key) → place
        self.documents: list[Document] = []
        self.shown: list[npt.NDArray[np.bool_]] = []

    def bring(self, pairs: Sequence[tuple[str, str]]) -> None:
        """Fetches documents by name and content key, each once."""
        new = [pair for pair in dict.fromkeys(pairs) if pair not in self.places]
        if not new:
            return
        for pair in new:
            try:
                [document] = self._opened.store.documents.contents([pair[0]], [pair[1]])
            except KeyError:  # the store was cleaned of what documents were
                continue
            self.places[pair] = len(self.documents)
            self.documents.append(document)
            self.shown.append(np.zeros(len(document.text), dtype=np.bool_))

    def show(self, place: int, start: int, end: int, left: int) -> int:
        """Has a stretch shown where there is room for it; returns how many characters are new, -1 where there is none."""
        stretch = self.shown[place][max(0, start) : max(0, end)]
        new = int(len(stretch) - stretch.sum())
        if new > left:
            return -1
        stretch[:] = True
        return new


class _Details:
    def __init__(self, opened: OpenWorkspace, found: Comparison, progress: Progress, called: Sequence[int]) -> None:
        self.opened, self.found, self.progress, self.called = opened, found, progress, called
        self.made = Details()
        self.keys = list(found.bodies)
        self.rows: dict[str, list[tuple[int, Account]]] = {key: [] for key in self.keys}
        self.texts = _Texts(opened)
        self.contents: list[dict[str, str]] = []
        lead = found.leading
        first = [found.best, found.baseline, found.against, *(lead.group if lead else [])]
        self.order = list(dict.fromkeys([*first, *found.order, *range(len(found.runs))]))

    def read(self) -> None:
        """Reads the accounts of all runs."""
        reader = Accounts(self.opened.store, ITEMS)
        wanted = set(self.keys)
        held: dict[str, dict[str, str]] = {}
        for place, run in enumerate(self.found.runs):
            self.progress("reading runs", place, len(self.found.runs))
            if run.corpus not in held:
                held[run.corpus] = contents_of(self.opened.store, run) or {}
            self.contents.append(held[run.corpus])
            if not run.made.get("format"):
                continue
            for account in reader.of(run, wanted):
                self.rows[account.key].append((place, account))

    def pack(self, most: int) -> None:
        """Makes the parts."""
        self._bring()
        for name in dict.fromkeys(name for side in self.found.sides for name in side.sheet.columns):
            self.made.blocks[f"scores {name}"] = packed(self._scores(name))
        size = 0
        for number, key in enumerate(self.keys):
            self.made.questions.append(self._short(key))
            block = self.made.blocks[f"question {number}"] = packed(self._question(key))
            size += len(block)
            if self.called:
                self.progress("recalling prompts", number, len(self.keys))
                block = self.made.blocks[f"calls {number}"] = packed(self._calls(key))
                size += len(block)
        self._show(max(100_000, int((most - size) / _SHARE)))
        self._documents()

    def _bring(self) -> None:
        pairs: dict[tuple[str, str], None] = {}
        for key, rows in self.rows.items():
            for place, account in rows:
                contents = self.contents[place]
                pairs.update({(item.doc, contents[item.doc]): None for item in account.items if item.doc in contents})
            first = self.contents[rows[0][0]] if rows else {}
            for doc, _, _, _ in self._spans(key):
                if doc in first:
                    pairs[doc, first[doc]] = None
        self.texts.bring(list(pairs))

    def _spans(self, key: str) -> list[tuple[str, int, int, str]]:
        needs = self.found.bodies[key].get("needs") or []
        return [
            (str(s["doc"]), int(s.get("start", -1)), int(s.get("end", -1)), str(s.get("quote", "")))
            for need in needs for s in need["spans"]
        ]  # fmt: skip

    def _place(self, run: int, doc: str) -> int:
        """The place of a document as it was for a run; -1 where it is not known."""
        return self.texts.places.get((doc, self.contents[run].get(doc, "")), -1)

    def _short(self, key: str) -> dict[str, Any]:
        body = self.found.bodies[key]
        facets = {name: list(labels[key]) for name, labels in self.found.facets.items() if key in labels}
        return {"id": self.found.ids.get(key, str(body.get("id", ""))), "text": str(body["question"]), "facets": facets}

    def _scores(self, name: str) -> list[list[float | None]]:
        """The scores of each run's questions, in the order of the page."""
        rows = []
        for side in self.found.sides:
            column, places = side.sheet.column(name), side.sheet.places
            values = [float(column[places[key]]) for key in self.keys]
            rows.append([value if np.isfinite(value) else None for value in values])
        return rows

    def _question(self, key: str) -> dict[str, Any]:
        """What is shown of a question; lists, answers and claims that are the same in several runs stand there once."""
        body = self.found.bodies[key]
        stages = list(STAGES)
        lists: dict[tuple[str, tuple[int, ...]], int] = {}
        answers: dict[tuple[str, str], int] = {}
        made: dict[str, Any] = {"lists": [], "answers": [], "runs": {}}
        for place, account in self.rows[key]:
            docs = tuple(self._place(place, item.doc) for item in account.items)
            mark = (account.marks[0], docs)
            if mark not in lists:
                lists[mark] = len(made["lists"])
                made["lists"].append([
                    [doc, [list(each) for each in item.ranges], item.tokens, _shares(item.covers),
                     "" if doc >= 0 else item.doc]
                    for doc, item in zip(docs, account.items)
                ])  # fmt: skip
            said = account.marks[1:]
            if account.answer is not None and said not in answers:
                answers[said] = len(made["answers"])
                made["answers"].append(_answer(account))
            lost = self.found.sides[place].lost.get(key, ())
            made["runs"][str(place)] = [
                lists[mark], account.shown, answers.get(said, -1) if account.answer is not None else -1,
                [stages.index(stage_of(each)) for each in lost if stage_of(each) in stages], list(account.queries),
                {name: list(grade) for name, grade in account.grades.items()},
            ]  # fmt: skip
        first = self.rows[key][0][0] if self.rows[key] else 0
        needs = body.get("needs") or []
        made["needs"] = [
            {
                "fact": str(need.get("fact", "")),
                "places": [
                    {"doc": str(s["doc"]), "at": self._place(first, str(s["doc"])) if self.contents else -1, "start": s.get("start", -1),
                     "end": s.get("end", -1), "quote": str(s.get("quote", ""))}
                    for s in need["spans"][:20]
                ],
                "more": max(0, len(need["spans"]) - 20),
            }
            for need in needs
        ]  # fmt: skip
        made["answer"] = str(body.get("answer", ""))
        return made

    def _calls(self, key: str) -> dict[str, Any]:
        """By the place of a run, the calls behind a question as they were sent and answered."""
        store, bench = self.opened.store, self.opened.bench
        made = {}
        for place, account in self.rows[key]:
            if place in self.called:
                run = self.found.runs[place]
                recalled = calls_of(store, bench, run, explain(store, bench, run, account.question))
                made[str(place)] = [_call(each) for each in recalled]
        return made

    def _show(self, room: int) -> None:
        """Chooses the texts that are shown: evidence first, then what the runs that matter most were shown, then the rest, in
        the order of the ranks, as far as there is room."""
        left = room
        for key in self.keys:
            run = self.rows[key][0][0] if self.rows[key] else None
            for doc, start, end, _ in self._spans(key) if run is not None else ():
                place = self._place(run, doc) if run is not None else -1
                if place >= 0 and 0 <= start < end:
                    used = self.texts.show(place, start - _AROUND, end + _AROUND, left)
                    left -= max(0, used)
        rank_of = {place: rank for rank, place in enumerate(self.order)}
        waiting: dict[tuple[int, tuple[tuple[int, int], ...]], tuple[int, int]] = {}
        for rows in self.rows.values():
            for run, account in rows:
                for rank, item in enumerate(account.items):
                    place = self._place(run, item.doc)
                    if place >= 0 and item.ranges:
                        weight = (max(0, rank - account.shown + 1) + (0 if rank_of[run] < 3 else 4), rank_of[run])
                        name = (place, item.ranges)
                        waiting[name] = min(waiting.get(name, weight), weight)
        for (place, ranges), _ in sorted(waiting.items(), key=lambda pair: (pair[1], pair[0])):
            used = 0
            for start, end in ranges:
                part = self.texts.show(place, start, min(end, start + _LONGEST), left)
                used = -1 if part < 0 else used
                left -= max(0, part)
            self.made.cut += used < 0

    def _documents(self) -> None:
        """The stretches that are shown of each document, in blocks of several."""
        number, size = 0, 0
        block: dict[str, Any] = {}
        names = [name for name, _ in self.texts.places]
        for place, document in enumerate(self.texts.documents):
            shown = self.texts.shown[place]
            edges = np.flatnonzero(np.diff(np.concatenate([[False], shown, [False]]).astype(np.int8)))
            pieces = [
                [int(start), document.text[start:end]] for start, end in zip(edges[::2].tolist(), edges[1::2].tolist())
            ]
            heads = [
                (part.start, " › ".join(document.heading_path(part.start)))
                for part in document.of_kind("heading")[: _HEADS if pieces else 0]
            ]
            self.made.documents.append({"name": names[place], "block": number})
            block[str(place)] = {"pieces": pieces, "heads": heads, "title": document.title}
            size += int(shown.sum()) + sum(len(path) for _, path in heads)
            if size > _BLOCK:
                self.made.blocks[f"texts {number}"] = packed(block)
                number, size, block = number + 1, 0, {}
        self.made.blocks[f"texts {number}"] = packed(block)


def _call(each: Recalled) -> dict[str, Any]:
    call = each.call
    if call is None:
        return {"stage": each.stage, "task": each.task, "model": each.model, "messages": [], "reply": None}
    return {
        "stage": each.stage, "task": each.task, "model": each.model, "messages": messages_of(call.request),
        "reply": call.reply if isinstance(call.reply, str) else json.dumps(call.reply, ensure_ascii=False),
        "tokens": [call.tokens_in, call.tokens_out], "seconds": call.seconds, "money": call.money, "failure": call.failure,
    }  # fmt: skip


def _shares(covers: Sequence[float]) -> list[float]:
    """Shares as the page holds them; whole ones are most of them."""
    return [share if share in (0.0, 1.0) else round(share, 4) for share in covers]


def _answer(account: Account) -> dict[str, Any]:
    return {
        "text": account.answer, "declined": account.declined, "failure": account.failure,
        "claims": [[c.text, c.verdict, round(c.confidence, 4), c.reason, [list(q) for q in c.quotes]] for c in account.claims],
    }  # fmt: skip
