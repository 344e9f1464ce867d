"""Questions about a cell of a table, from rows written as 'Lock: Hexley; Width: 14 ft'."""

from __future__ import annotations

import re
from collections import Counter
from typing import Any

from ..core.wording.nouns import is_plural
from .grammar import sound

_CELL = re.compile(r"(?:^|; )(?P<name>[A-Z][^:;]{1,40}): (?P<value>[^;]+?)(?=; [A-Z][^:;]{1,40}: |$)")
_OF = frozenset(
    """length width depth height rise fall name number address colour color capacity age size weight value purpose
    meaning status type owner beam draught headroom area default format title maintainer""".split()
)
# Column names that do not name a property: 'What is the ends for Pellbeck Lock?' is no English.
_BAD_NAME = re.compile(
    r"^(?:notes?|remarks?|comments?|see|when|where|who|what|how|yes|no|in|on|at|from|to|until|example|begins?|ends?|"
    r"starts?|opens?|closes?|runs?|holds?|applies|if|up|over|under|"
    r"january|february|march|april|may|june|july|august|september|october|november|december)\b",
    re.IGNORECASE,
)

_DOES = re.compile(
    r"^(?:add|allow|assign|attach|browse|build|cancel|change|check|clean|clear|close|compare|compile|connect|convert|copy|count|"
    r"create|cut|delete|disable|display|download|edit|enable|erase|exit|export|extract|fetch|find|format|generate|get|hibernate|"
    r"halt|import|insert|install|kill|limit|list|load|lock|log|make|merge|monitor|mount|move|open|paste|pause|play|print|purge|"
    r"quit|read|reboot|reload|remove|rename|repair|replace|report|reset|resize|restart|restore|resume|revert|run|save|search|"
    r"select|send|set|show|shut|sort|split|start|stop|suspend|switch|test|toggle|undo|unlock|unmount|update|upgrade|upload|"
    r"view|write) (?:[a-z]|\d)[\w ,'’/-]+$",
    re.IGNORECASE,
)
# A row that is a range names no thing: 'over 7 to 11 metres'.
RANGE = re.compile(
    r"(?:over|under|up to|from|between|more|less|at least|at most|above|below|for|in|on|at|until|to|other)\b",
    re.IGNORECASE,
)
_SERIES = re.compile(r"months?|days?|dates?|years?|weeks?|times?|hours?|quarters?", re.IGNORECASE)
_HOW = re.compile(
    r"\b(?:commands?|snippets?|keys?|key ?strokes?|shortcuts?|how|steps?|action|procedure|example)\b", re.IGNORECASE
)

# Last words of a column name that name no property: 'Amber from (m)', 'Usual (m)'.
_NO_NOUN = frozenset("from to by of in at until with for on far ago now usual normal new old free open closed".split())


def row_questions(passage: str, title: str) -> list[dict[str, Any]]:
    """For each row whose first cell names it and is alone in that, a question for each other short cell; for a row that
    is named by what it does ('List all timers') and the column that says how, a question for how to do it."""
    rows = [(line, _CELL.findall(line)) for line in passage.split("\n")]
    rows = [(line, cells) for line, cells in rows if len(cells) >= 2]
    seen = Counter(cells[0][1].strip().lower() for _, cells in rows)
    found: list[dict[str, Any]] = []
    for line, cells in rows:
        entity = cells[0][1].strip()
        if seen[entity.lower()] > 1:
            continue
        if _DOES.match(entity) and _HOW.search(cells[1][0]):
            do = entity[:1].lower() + entity[1:].rstrip(".")
            found.append(_row(f"How do I {do}?", cells[1][1], line, "how-to row") | {"hide": cells[0][1].strip()})
            continue
        if (
            _SERIES.fullmatch(cells[0][0].strip())
            or not _names_a_thing(entity)
            or (" " not in entity and entity.islower())
        ):
            continue
        for name, value in cells[1:]:
            value = value.strip().rstrip(".")
            question = _question(name.strip(), entity, cells[0][0].strip(), value)
            if question and sound(question) and 1 <= len(value.split()) <= 6 and re.search(r"^[^\[\]]*\w", value):
                found.append(_row(question, value, line, "cell"))
    return found


def _row(question: str, value: str, line: str, rule: str) -> dict[str, Any]:
    return {
        "question": question,
        "answer": f"{value.strip().rstrip('.')}.",
        "quote": line,
        "kind": "table",
        "rule": rule,
    }


def _names_a_thing(entity: str) -> bool:
    return (
        1 <= len(entity.split()) <= 6
        and not entity[0].isdigit()
        and bool(re.fullmatch(r"[\w '’&.-]+", entity))
        and len(entity) > 3
        and not RANGE.match(entity)
    )


def ask_cell(column: str, entity: str, about: str) -> str:
    """A question for a column's value of a thing that is called `about` in its own table; empty where there is none."""
    return _question(column, entity, about, "") if _names_a_thing(entity) else ""


def _question(name: str, entity: str, column: str, value: str) -> str:
    """'What is the width in metres of Hexley Lock?' from a column's name and a row's; empty when there is none."""
    unit = re.search(r"\s*[(,]\s*([^)]+?)\)?$|\s+in ([a-z]+)$", name)
    bare = name[: unit.start()].strip() if unit else name
    if not bare or _BAD_NAME.match(bare) or len(bare.split()) > 4 or not re.fullmatch(r"[A-Za-z][A-Za-z '’-]+", bare):
        return ""
    bare = "purpose" if bare.lower() == "description" else bare
    words = [word if word.isupper() and len(word) > 1 else word.lower() for word in bare.split()]
    head = words[-1]
    if head in _NO_NOUN or (head.endswith("ed") and head not in ("speed", "seed", "bed", "feed", "need")):
        return ""
    plural = is_plural(head)
    thing = entity
    if " " not in entity and entity[1:] == entity[1:].lower() and re.fullmatch(r"[A-Za-z ]+", column):
        thing = f"the {column.lower()} {entity}"
    if plural and value.isdigit():
        return f"How many {' '.join(words)} does {thing} have?"
    told = unit and (unit[1] or unit[2])
    measured = f" in {told}" if told and re.fullmatch(r"[a-zA-Z ]{1,12}", told) else ""
    link = "of" if head in _OF else "for"
    return f"What {'are' if plural else 'is'} the {' '.join(words)}{measured} {link} {thing}?"
