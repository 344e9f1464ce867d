"""What runs found and answered, question by question, as it is handed to others: read from what they keep, without the
documents' chunks."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import orjson

from ..core.context import within_budget
from ..core.documents.spans import Range
from ..core.errors import BadInput, Damaged
from ..core.measures.evidence import Needs, best_cover, evidence_of
from ..core.testsets import Question
from ..pipeline.judges import criterion_of
from ..storage.protocols import Run, RunQuestion, Store
from ..workspace.configuration import Configuration
from ..workspace.testsets import question_from

_NODES = ("queries", "served", "answer", "verdicts", "found again")
_TOGETHER = 2000  # questions whose results are read at a time


@dataclass(frozen=True)
class AccountItem:
    """One item of a refined list: its document ("" where it was not found again), the ranges of its text, its tokens, and
    the share of each need of the question that it covers."""

    doc: str
    ranges: tuple[Range, ...]
    tokens: int
    covers: tuple[float, ...]


@dataclass(frozen=True)
class JudgedClaim:
    """A claim of an answer as it was judged; `quotes` are (item number, words)."""

    text: str
    verdict: str
    confidence: float
    reason: str
    quotes: tuple[tuple[int, str], ...]


@dataclass(frozen=True)
class Account:
    """What one question came to in a run. `shown` is how many of the items the answering model was shown; `queries` what was
    searched for, where it was rewritten; `answer` is None where none was asked for, `failure` tells why there is none that
    is sound; `grades` has level and reason by the user's criteria; `marks` names the results of list, answer and claims: the
    same ones are the same."""

    question: str
    key: str
    items: tuple[AccountItem, ...]
    shown: int
    queries: tuple[str, ...] = ()
    answer: str | None = None
    declined: bool = False
    failure: str = ""
    claims: tuple[JudgedClaim, ...] = ()
    grades: Mapping[str, tuple[int | None, str]] = field(default_factory=dict)
    marks: tuple[str, str, str] = ("", "", "")


class Accounts:
    """Reads the accounts of runs; what runs share is read and reckoned once."""

    def __init__(self, store: Store, most: int | None = None) -> None:
        """`most` is the number of items of a list that are wanted; all without it."""
        self._store = store
        self._most = most
        self._read: dict[str, Any] = {}  # what a result holds, as far as it is wanted
        self._lists: dict[tuple[str, str], tuple[AccountItem, ...]] = {}
        self._evidence: dict[str, tuple[Needs, set[str]]] = {}

    def of(self, run: Run, keys: set[str] | None = None) -> Iterator[Account]:
        """The accounts of a run's questions, in its order, of those with some keys alone; raises `BadInput` where a result is
        gone, or the run was made by an earlier version."""
        if not run.made.get("format"):
            raise BadInput(
                f"run {run.id} was made by an earlier version, of which scores alone are kept; run '{run.name}' again"
            )
        rows = [row for row in self._store.runs.questions(run.id) if keys is None or row.key in keys]
        context = Configuration.kept(run.made["configuration"]).context
        for first in range(0, len(rows), _TOGETHER):
            some = rows[first : first + _TOGETHER]
            self._bring(run, some)
            for row in some:
                yield self._account(row, (context.keep, context.budget))

    def _bring(self, run: Run, rows: Sequence[RunQuestion]) -> None:
        """Reads the results of some questions that were not read yet."""
        wanted = {
            found: name
            for row in rows
            for name, found in row.results.items()
            if found not in self._read and (name in _NODES or criterion_of(name))
        }
        kept = self._store.results.values(list(wanted))
        if len(kept) < len(wanted):
            raise BadInput(f"run {run.id} ({run.name}): some of its results are gone; run it again")
        for found, body in kept.items():
            self._read[found] = self._taken(wanted[found], _loaded(body))

    def _taken(self, name: str, record: Any) -> Any:
        """What is wanted of a record."""
        if name == "served":
            items = record["items"]
            return items[: self._most], [item["tokens"] for item in items]
        if name == "verdicts":
            return (
                record.get("failure", ""),
                record.get("declining", "") == "wholly",
                tuple(
                    JudgedClaim(
                        v["claim"], v["verdict"], v["confidence"], v["reason"], tuple((n, q) for n, q in v["quotes"])
                    )
                    for v in record["verdicts"]
                ),
            )
        if name == "answer":
            return record["text"], record["declined"], record.get("failure", "")
        if name == "found again":
            return 0 if record["ranked"] else len(record["context"])
        if name == "queries":
            return tuple(record["texts"]) if len(record["texts"]) > 1 else ()
        return None if record["level"] is None else (record["level"], record["reason"])

    def _account(self, row: RunQuestion, room: tuple[int, int]) -> Account:
        results = row.results
        found = {name: self._read[results[name]] for name in _NODES if name in results}
        raw, sizes = found.get("served", ((), ()))
        shown = found.get("found again", 0)
        if "found again" not in found and "context" in results and sizes:
            shown = within_budget(sizes, *room)
        text, declined, failure = found.get("answer", (None, False, ""))
        unsound, declining, claims = found.get("verdicts", ("", False, ()))
        grades = {
            name: self._read[result] for node, result in results.items()
            if (name := criterion_of(node)) and self._read[result] is not None
        }  # fmt: skip
        return Account(
            question=row.id,
            key=row.key,
            items=self._items(row, results.get("served", ""), raw),
            shown=shown,
            queries=found.get("queries", ()),
            answer=text,
            declined=declined or declining,
            failure=failure or unsound,
            claims=claims,
            grades=grades,
            marks=(results.get("served", ""), results.get("answer", ""), results.get("verdicts", "")),
        )

    def _items(self, row: RunQuestion, served: str, raw: Sequence[Mapping[str, Any]]) -> tuple[AccountItem, ...]:
        found = self._lists.get((row.key, served))
        if found is None:
            needs, docs = self._needed(row)
            nothing = (0.0,) * len(needs)
            made = []
            for each in raw:
                doc, ranges = each["doc"], tuple((start, end) for start, end in each["ranges"])
                covers = tuple(best_cover(need, {doc: list(ranges)}) for need in needs) if doc in docs else nothing
                made.append(AccountItem(doc, ranges, each["tokens"], covers))
            found = self._lists[row.key, served] = tuple(made)
        return found

    def _needed(self, row: RunQuestion) -> tuple[Needs, set[str]]:
        """The needs of a question, and the documents that they stand in."""
        if row.key not in self._evidence:
            needs = evidence_of(question_from(row.body))
            self._evidence[row.key] = needs, {alternative.doc for need in needs for alternative in need}
        return self._evidence[row.key]


def _loaded(body: bytes) -> Any:
    try:
        return orjson.loads(body)
    except orjson.JSONDecodeError:  # half of a surrogate pair, which it does not know
        try:
            return json.loads(body.decode("utf-8", "surrogatepass"))
        except ValueError:
            raise Damaged("the store: a result can't be read; 'aventrik store --check' tells more") from None


def questions_of(store: Store, run: Run) -> list[Question]:
    """The questions of a run as it keeps them."""
    return [question_from(row.body) for row in store.runs.questions(run.id)]
