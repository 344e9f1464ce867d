"""What a draft leaves beside its test set: what it dropped and passed over, and how it graded passages."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from pathlib import Path

from ..core.testsets.drafting import Dropped
from .files import harmless, write_whole


def save_dropped(path: Path, dropped: Sequence[Dropped], passed_over: Sequence[tuple[str, int, str]]) -> None:
    """Writes a CSV file with a line for each question that a draft dropped, with the sentence that speaks against it,
    and for each passage that it passed over."""
    sheet = io.StringIO(newline="")
    rows = csv.writer(sheet)
    rows.writerow(["question", "document", "start", "rule", "reason", "rival", "rival_document"])
    for each in dropped:
        cells = [each.question, each.doc, "", each.rule, each.reason, each.rival, each.rival_doc]
        rows.writerow([harmless(cell) for cell in cells])
    for doc, start, reason in passed_over:
        rows.writerow(["", harmless(doc), start, "", f"passed over: {reason}", "", ""])
    write_whole(path, sheet.getvalue())


def save_grades(path: Path, grades: Sequence[tuple[str, int, str, int, str]]) -> None:
    """Writes the grades that a model gave passages, with the beginning of each."""
    sheet = io.StringIO(newline="")
    rows = csv.writer(sheet)
    rows.writerow(["document", "start", "grade", "reason", "passage"])
    for doc, start, text, grade, reason in grades:
        rows.writerow([harmless(doc), start, grade, harmless(reason), harmless(" ".join(text.split())[:300])])
    write_whole(path, sheet.getvalue())
