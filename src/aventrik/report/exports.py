"""A comparison and its questions as tables and TREC files, for whatever else reads them."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from importlib.util import find_spec
from pathlib import Path
from typing import Any

from ..core.errors import BadInput
from ..kept.accounts import Account, AccountItem, Accounts, questions_of
from ..results.comparing import verdict
from ..results.comparison import Comparison
from ..storage.protocols import Store
from ..workspace.files import write_whole
from ..workspace.tables import write_table
from ..workspace.toml import nearest
from .trec import evidence_qrels, item_qrels, run_lines

FORMATS = ("csv", "jsonl", "parquet", "trec")


@dataclass(frozen=True)
class ExportedFiles:
    """The files of an export, in the order in which they were written, and the rows or lines of each."""

    files: dict[Path, int]


def formats_of(text: str | None) -> list[str]:
    """The formats that are wanted, all that this installation can write without one named; raises `BadInput`."""
    if not text:
        return [name for name in FORMATS if name != "parquet" or find_spec("pyarrow")]
    names = [name.strip().lower() for name in text.split(",") if name.strip()]
    for name in names:
        if name not in FORMATS:
            raise BadInput(f"--as: there is no format '{name}'{nearest(name, list(FORMATS))}")
    if not names:
        raise BadInput(f"--as: name a format ({', '.join(FORMATS)})")
    return list(dict.fromkeys(names))


def export(
    store: Store, found: Comparison, folder: Path, formats: Sequence[str], progress: Callable[[str, int, int], None]
) -> ExportedFiles:
    """Writes what was compared into a folder: tables of runs, means, differences, questions, scores, answers and claims, and
    with "trec" a run file for each run and two of judgements. Each file is there whole or not at all."""
    if folder.exists() and not folder.is_dir():
        raise BadInput(f"{folder}: is a file; name a folder")
    reader = Accounts(store)
    tables: dict[str, list[dict[str, Any]]] = {
        "runs": list(_runs(found)),
        "means": list(_means(found)),
        "differences": list(_differences(found)),
        "questions": list(_questions(found)),
        "scores": list(_scores(found)),
        "answers": [],
        "claims": [],
    }
    files: dict[Path, int] = {}
    pooled: dict[str, dict[AccountItem, None]] = {}
    keys = set(found.bodies)
    for place, run in enumerate(found.runs):
        progress("reading runs", place, len(found.runs))
        if not run.made.get("format"):
            continue  # an earlier version kept scores alone
        accounts = list(reader.of(run, keys))
        for account in accounts:
            tables["answers"].extend(_answers(run.id, account))
            tables["claims"].extend(_claims(run.id, account))
            pooled.setdefault(account.question, {}).update(dict.fromkeys(account.items))
        if "trec" in formats:
            path = folder / "trec" / f"{run.id}-{_file_name(run.name)}.run"
            lines = list(run_lines(accounts, run.name))
            write_whole(path, "".join(lines).encode("utf-8", "surrogatepass"))
            files[path] = len(lines)
    if "trec" in formats:
        first = found.runs[0]
        questions = [question for question in questions_of(store, first) if question.key in keys]
        made = {
            "evidence.qrels": list(evidence_qrels(questions)),
            "items.qrels": list(item_qrels(pooled, float(first.made.get("cover", 0.9)))),
        }
        for name, lines in made.items():
            write_whole(folder / "trec" / name, "".join(lines).encode("utf-8", "surrogatepass"))
            files[folder / "trec" / name] = len(lines)
    for suffix in formats:
        for name, rows in tables.items() if suffix != "trec" else ():
            if rows:
                path = folder / f"{name}.{suffix}"
                write_table(path, rows if suffix == "jsonl" else [_flat(row) for row in rows])
                files[path] = len(rows)
    return ExportedFiles(files)


def _file_name(name: str) -> str:
    return re.sub(r"[^\w=.-]+", "-", name).strip("-.")[:80] or "run"


def _flat(row: dict[str, Any]) -> dict[str, Any]:
    """A row for a table of cells: what has parts stands in its cell as JSON."""
    return {
        key: json.dumps(value, ensure_ascii=False, default=str) if isinstance(value, (dict, list, tuple)) else value
        for key, value in row.items()
    }


def _runs(found: Comparison) -> Iterator[dict[str, Any]]:
    lead = found.leading
    for place, run in enumerate(found.runs):
        twin = found.twins[place]
        yield {
            "run": run.id, "name": run.name, "label": run.label, "tags": list(run.tags), "note": run.note,
            "testset": run.testset, "questions": found.shared, "finished": run.finished,
            "judge": str(run.made.get("judge", "")), "documents": run.made.get("documents"),
            "baseline": place == found.baseline, "best": bool(lead and twin == lead.best),
            "may_be_best": lead.p.get(twin) if lead else None, "chance_of_best": lead.chance.get(twin) if lead else None,
            "declined": found.declined[place][0], "failed": found.failures[place],
            "health": found.health[place].in_words,
            **{f"cost_{name}": value for name, value in found.costs[place].items()},
            "settings": dict(found.sides[place].settings),
        }  # fmt: skip


def _means(found: Comparison) -> Iterator[dict[str, Any]]:
    for place, run in enumerate(found.runs):
        for name, each in found.means[place].items():
            yield {
                "run": run.id, "name": run.name, "measure": name, "mean": each.mean, "low": each.low, "high": each.high,
                "n": each.n, "documents": each.documents, "method": each.method,
            }  # fmt: skip


def _differences(found: Comparison) -> Iterator[dict[str, Any]]:
    for each in [*found.contrasts, *found.pairs]:
        gap = each.difference
        yield {
            "run": found.runs[each.place].id, "against": found.runs[each.against_place].id, "measure": each.measure,
            "difference": gap.mean, "low": gap.low, "high": gap.high, "p": each.p, "n": gap.n, "documents": gap.documents,
            "together": gap.together,
            "test": gap.test, "real": each.real, "verdict": verdict(gap, each.p, found.less),
        }  # fmt: skip


def _questions(found: Comparison) -> Iterator[dict[str, Any]]:
    for key, body in found.bodies.items():
        yield {"key": key, **body}


def _scores(found: Comparison) -> Iterator[dict[str, Any]]:
    """A row a question of a run, with all of its scores; the same columns in all rows."""
    names = list(dict.fromkeys(name for side in found.sides for name in side.sheet.columns))
    for place, run in enumerate(found.runs):
        side = found.sides[place]
        for key in found.bodies:
            scores = side.sheet[key]
            yield {
                "run": run.id, "question": found.ids.get(key, ""), "key": key, "lost": "; ".join(side.lost.get(key, ())),
                **{name: scores.get(name) for name in names},
            }  # fmt: skip


def _answers(run: int, account: Account) -> Iterator[dict[str, Any]]:
    if account.answer is not None:
        yield {
            "run": run, "question": account.question, "answer": account.answer, "declined": account.declined,
            "failure": account.failure, "shown": account.shown, "queries": list(account.queries),
            "grades": {name: {"level": level, "reason": reason} for name, (level, reason) in account.grades.items()},
        }  # fmt: skip


def _claims(run: int, account: Account) -> Iterator[dict[str, Any]]:
    for claim in account.claims:
        yield {
            "run": run, "question": account.question, "claim": claim.text, "verdict": claim.verdict,
            "confidence": claim.confidence, "reason": claim.reason,
            "quotes": [{"item": number, "words": words} for number, words in claim.quotes],
        }  # fmt: skip
