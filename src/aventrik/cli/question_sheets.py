"""Questions of a test set as a sheet (CSV or XLSX) to be filled in elsewhere, and read back."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from ..core.errors import BadInput
from ..core.testsets import Question
from ..engine.deciding import Spot, Spots
from ..report.tables import write_table
from ..workspace.deciding import EDITED, KEEP, REJECT, UNSURE
from ..workspace.files import read_text
from .question_views import Ledger

_KEY = 16  # figures of a question's key by which its line is found again
_COLUMNS = (
    "item",
    "id",
    "question",
    "answer",
    "kind",
    "places",
    "decision",
    "reason",
    "new question",
    "new answer",
    "new places",
)
_NONE = ("none", "no", "-", "0")
_PLACE = re.compile(r"^(?P<number>\d+)\*? (?P<doc>.+?)(?:, page [^:\n]*)?: (?P<quote>.*)$", re.MULTILINE)
_SAID = (KEEP, REJECT, UNSURE)


def write_sheet(path: Path, ledger: Ledger, order: Sequence[int], spots: Spots) -> None:
    """A line for each question, with its places numbered (a * marks those that are taken). To be filled in: the decision
    (keep, reject, can't tell), a reason, and what is to be changed: wording, answer, places by their numbers."""
    rows = []
    for place in order:
        question, mine = ledger.current(place), ledger.mine.get(place)
        decided = mine.decision if mine and mine.decision != EDITED else ""
        cells = (
            ledger.filed(place).key[:_KEY], question.id, question.question, question.answer, question.kind,
            "\n".join(_told(number, spot, spots) for number, spot in enumerate(spots.of(question), 1)),
            decided, mine.reason if mine else "", "", "", "",
        )  # fmt: skip
        rows.append(dict(zip(_COLUMNS, cells)))
    write_table(path, rows)


def _told(number: int, spot: Spot, spots: Spots) -> str:
    shown = spots.shown(spot, 0)
    page = f", page {shown.page}" if shown.page else ""
    taken = "*" if spot.need >= 0 else ""
    return f"{number}{taken} {spot.doc}{page}: {' '.join(shown.quote.split())}"


def read_sheet(path: Path, ledger: Ledger, spots: Spots) -> tuple[int, int]:
    """Takes the decisions and changes of such a file; how many are new, and how many lines are of no question of this test
    set. All or none: raises `BadInput` with the line of what is wrong."""
    rows = list(lines_of(path, _COLUMNS, ("item", "id", "decision")))
    keys: dict[str, int] = {}
    wanted = {row["id"] for _, row in rows}
    for place, (_, row) in enumerate(ledger.rows):
        if row["id"] in wanted:
            keys[ledger.filed(place).key[:_KEY]] = place
    made: list[tuple[int, str, str, Question]] = []
    strange = 0
    for line, row in rows:
        where = f"{path}, line {line}"
        said = " ".join(row["decision"].split()).lower()
        if said and said not in _SAID:
            raise BadInput(f"{where}: decision '{said[:40]}' is none of {', '.join(_SAID)}")
        edits = any(row[name].strip() for name in ("new question", "new answer", "new places"))
        if not said and not edits:
            continue
        place = keys.get(row["item"].strip(), -1)
        if place < 0:
            strange += 1
            continue
        question = _changed(row, ledger.current(place), spots, where)
        before = ledger.mine.get(place)
        decision = said or (before.decision if before else EDITED)
        reason = row["reason"].strip()
        if before and (before.decision, before.reason) == (decision, reason) and question == ledger.current(place):
            continue
        made.append((place, decision, reason, question))
    for place, decision, reason, question in made:
        ledger.decide(place, decision, reason, question)
    return len(made), strange


def _changed(row: dict[str, str], question: Question, spots: Spots, where: str) -> Question:
    if text := " ".join(row["new question"].split()):
        question = replace(question, question=text)
    if text := row["new answer"].strip():
        question = replace(question, answer=text)
    said = row["new places"].strip()
    if not said:
        return question
    known = spots.of(question)
    if said.lower() in _NONE:
        return spots.with_spots(question, [replace(spot, need=-1) for spot in known])
    if re.fullmatch(r"\d+(?:[\s,;]+\d+)*", said):
        return spots.with_spots(question, _numbered(row["places"], re.findall(r"\d+", said), known, spots, where))
    doc, colon, quote = said.partition(": ")
    if not colon:
        raise BadInput(f"{where}: new places: must be numbers such as '1 3', 'none', or 'document: its words'")
    try:
        new = spots.by_quote(doc.strip(), quote.strip())
    except BadInput as error:
        raise BadInput(f"{where}: new places: {error}") from None
    return spots.with_spots(question, [*(replace(spot, need=-1) for spot in known), replace(new, need=0)])


def _numbered(listed: str, numbers: Sequence[str], known: Sequence[Spot], spots: Spots, where: str) -> list[Spot]:
    """The places of a question, those taken that the sheet lists under some numbers: found by what stands there, since
    their order may be another by now."""
    places = {found["number"]: (found["doc"], found["quote"].strip()) for found in _PLACE.finditer(listed)}
    missing = next((number for number in numbers if number not in places), "")
    if missing:
        raise BadInput(f"{where}: new places: there are places 1 to {len(places)}")
    wanted = [places[number] for number in dict.fromkeys(numbers)]
    chosen, left = [], list(wanted)
    for spot in known:
        told = (spot.doc, " ".join(spots.shown(spot, 0).quote.split()))
        if told in left:
            left.remove(told)
        chosen.append(replace(spot, need=max(0, spot.need) if told in wanted else -1))
    for doc, quote in left:
        try:
            chosen.append(replace(spots.by_quote(doc, quote), need=0))
        except BadInput as error:
            raise BadInput(f"{where}: new places: {error}") from None
    return chosen


def lines_of(path: Path, columns: Sequence[str], needed: Sequence[str]) -> Iterator[tuple[int, dict[str, str]]]:
    """The lines of a sheet (CSV or XLSX) by column, with their numbers; cells that a spreadsheet was kept from running as
    they were. A column that is not there is empty; raises `BadInput` where one that is needed is not there."""
    read = _xlsx(path) if path.suffix.lower() == ".xlsx" else _csv(path)
    head: list[str] = []
    for line, cells in read:
        if not head:
            head = [cell.strip().lower() for cell in cells]
            for name in needed:
                if name not in head:
                    raise BadInput(f"{path}, line 1: there is no column '{name}'; --to FILE writes a sheet to fill in")
            continue
        row = dict.fromkeys(columns, "")
        row.update((name, _plain(cell)) for name, cell in zip(head, cells) if name in row)
        if any(row.values()):
            yield line, row
    if not head:
        raise BadInput(f"{path}: is empty")


def _plain(cell: str) -> str:
    return cell[1:] if cell[:1] == "'" and cell[1:2] in ("=", "+", "-", "@", "\t", "\r") else cell


def _csv(path: Path) -> Iterator[tuple[int, list[str]]]:
    csv.field_size_limit(2**31 - 1)
    text = read_text(path)
    first = text.split("\n", 1)[0]
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=max(",;\t", key=first.count))
    try:
        for row in reader:
            yield reader.line_num, row
    except csv.Error as error:
        raise BadInput(f"{path}, line {reader.line_num}: not valid CSV ({error})") from None


def _xlsx(path: Path) -> Iterator[tuple[int, list[str]]]:
    from zipfile import BadZipFile

    try:
        from openpyxl import load_workbook
    except ImportError:
        from ..core.errors import MissingExtra

        raise MissingExtra("reading XLSX", "xlsx") from None
    if not path.is_file():
        raise BadInput(f"{path}: no such file")
    try:
        book: Any = load_workbook(path, read_only=True, data_only=True)
    except (BadZipFile, KeyError, ValueError, OSError) as error:
        raise BadInput(f"{path}: is no workbook that can be read ({str(error)[:60]})") from None
    for number, row in enumerate(book.worksheets[0].iter_rows(values_only=True), 1):
        yield number, ["" if cell is None else str(cell) for cell in row]
