"""What no schema can say of a model's reply: as many records as were asked for, items that exist, quotes that stand where they say."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from ..core.judging.verdicts import NOT_JUDGED
from ..core.protocols import Task


class Unfit(ValueError):
    """A reply that does not hold the record that was asked for; the message is told to the model once."""


def _by_claim(rows: list[dict[str, Any]], task: Task, last: bool) -> list[dict[str, Any]]:
    """The verdict on each claim, in the order of the claims; raises `Unfit` where one is missing, or rests on a quote that does not
    stand in the item that it names."""
    count = len(task.fields["claims"])
    found = {row["claim"]: row for row in rows}
    lost = [number for number in range(1, count + 1) if number not in found]
    if lost:
        raise Unfit(f"verdicts: there is none on claim {lost[0]} of {count}")
    texts = {item["number"]: _letters(str(item["text"]) + " " + str(item["source"])) for item in task.fields["context"]}
    made = []
    for number in range(1, count + 1):
        row = found[number]
        strange = next((each for each in row["quotes"] if not _stands(each, texts)), None)
        if strange is not None:
            told = f"the quote {str(strange['quote'])[:80]!r} does not stand in item {strange['item']}"
            if not last:
                raise Unfit(f"verdicts: claim {number}: {told}; copy the words of the item character for character")
            row = {**row, "verdict": NOT_JUDGED, "reason": told, "quotes": [], "confidence": 0.0}
        made.append(row)
    return made


def _stands(quote: Mapping[str, Any], texts: Mapping[int, str]) -> bool:
    """Whether the words of a quote stand in its item, whatever is between them: white space, marks, case, an ellipsis."""
    pieces = [_letters(piece) for piece in re.split(r"\.\.\.|…|\[\.\.\.\]", str(quote["quote"]))]
    return quote["item"] in texts and all(piece in texts[quote["item"]] for piece in pieces)


def _letters(text: str) -> str:
    return "".join(each for each in text.casefold() if each.isalnum())


def _by_number(rows: list[dict[str, Any]], count: int) -> list[bool]:
    """Whether each fact is stated, in the order of the facts; raises `Unfit` where one is missing or stands twice."""
    if len(rows) != count:
        raise Unfit(f"stated: {len(rows)} values for {count} facts")
    found = {row["fact"]: row["stated"] for row in rows}
    lost = [number for number in range(1, count + 1) if number not in found]
    if lost:
        raise Unfit(f"stated: there is no record of fact {lost[0]}")
    return [found[number] for number in range(1, count + 1)]


def check(task: Task, record: dict[str, Any], last: bool) -> None:
    """What a schema can't say: as many entries as were asked for, and numbers of items that exist."""
    if task.name == "stated":
        record["stated"] = _by_number(record["stated"], len(task.fields["facts"]))
    if task.name == "answer" and not record["declined"] and not record["statements"]:
        raise Unfit("statements: an answer that does not decline needs at least one")
    if task.name == "criterion":
        levels = [line.partition(":")[0] for line in str(task.fields["levels"]).split("\n")]
        if str(record["level"]) not in levels:
            raise Unfit(f"level: {record['level']} is none of {', '.join(levels)}")
    numbers = {item["number"] for item in task.fields.get("context", ())}
    if task.name == "answer":
        for statement in record["statements"]:
            wrong = [n for n in statement["cites"] if n not in numbers]
            if wrong:
                raise Unfit(f"cites: there is no context item {wrong[0]}")
    if task.name == "verdict":
        record["verdicts"] = _by_claim(record["verdicts"], task, last)
    if task.name == "claims" and record["declining"] != "none":
        words = _letters(record["quote"])
        if not words or words not in _letters(str(task.fields["answer"])):
            if not last:
                raise Unfit("quote: the words by which the answer says that it has none do not stand in it; copy them")
            record["declining"], record["quote"] = "none", ""
