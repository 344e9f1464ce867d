"""Questions about a cell of a table, from rows written as 'Lock: Hexley; Width: 14 ft'."""

from __future__ import annotations

import re
from collections import Counter
from typing import Any

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

# Last words of a column name that name no property: 'Amber from (m)', 'Usual (m)'.
_NO_NOUN = frozenset("from to by of in at until with for on far ago now usual normal new old free open closed".split())


def row_questions(passage: str, title: str) -> list[dict[str, Any]]:
    """For each row whose first cell names it and is alone in that, a question for each other short cell."""
    rows = [(line, _CELL.findall(line)) for line in passage.split("\n")]
    rows = [(line, cells) for line, cells in rows if len(cells) >= 2]
    seen = Counter(cells[0][1].strip().lower() for _, cells in rows)
    found: list[dict[str, Any]] = []
    for line, cells in rows:
        entity = cells[0][1].strip()
        if seen[entity.lower()] > 1 or not _names_a_thing(entity):
            continue
        for name, value in cells[1:]:
            value = value.strip().rstrip(".")
            question = _question(name.strip(), entity, cells[0][0].strip(), value)
            if question and sound(question) and 1 <= len(value.split()) <= 12 and re.search(r"\w", value):
                found.append({"question": question, "answer": f"{value}.", "quote": line, "kind": "table"})
    return found


def _names_a_thing(entity: str) -> bool:
    return (
        1 <= len(entity.split()) <= 6
        and not entity[0].isdigit()
        and bool(re.fullmatch(r"[\w '’&.-]+", entity))
        and len(entity) > 3
    )


def _question(name: str, entity: str, column: str, value: str) -> str:
    """'What is the width in metres of Hexley Lock?' from a column's name and a row's; empty when there is none."""
    unit = re.search(r"\s*[(,]\s*([^)]+?)\)?$|\s+in ([a-z]+)$", name)
    bare = name[: unit.start()].strip() if unit else name
    if not bare or _BAD_NAME.match(bare) or len(bare.split()) > 4 or not re.fullmatch(r"[A-Za-z][A-Za-z '’-]+", bare):
        return ""
    bare = "purpose" if bare.lower() == "description" else bare
    words = [word if word.isupper() and len(word) > 1 else word.lower() for word in bare.split()]
    head = words[-1]
    if head in _NO_NOUN:
        return ""
    plural = head.endswith("s") and not head.endswith(("ss", "us", "is"))
    thing = entity
    if " " not in entity and entity[1:] == entity[1:].lower() and re.fullmatch(r"[A-Za-z ]+", column):
        thing = f"the {column.lower()} {entity}"
    if plural and value.isdigit():
        return f"How many {' '.join(words)} does {thing} have?"
    told = unit and (unit[1] or unit[2])
    measured = f" in {told}" if told and re.fullmatch(r"[a-zA-Z ]{1,12}", told) else ""
    link = "of" if head in _OF else "for"
    return f"What {'are' if plural else 'is'} the {' '.join(words)}{measured} {link} {thing}?"
