"""How long do a large question log, and a large test set to review, take?

    python benchmarks/logs.py FOLDER [LINES [ITEMS]]

FOLDER holds documents; 1,000 questions are drafted from them, and LINES (100,000) entries made of these: half as they are, half
with a place, a day or a number behind them. Prints seconds of reading, folding and locating them (1,000 are located), beside
those of telling equal lines apart by their plain text alone; and how long a test set of ITEMS (20,000) takes to open for
review, beside parsing its file with the json module.
"""

from __future__ import annotations

import gc
import json
import random
import resource
import sys
import tempfile
import time
from pathlib import Path

from aventrik.cli.review_views.questions import QuestionMatter
from aventrik.cli.review_views.session import Session, drawn
from aventrik.core.testsets.deciding import order_of
from aventrik.corpora.gathering import gather
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.people.question_review import Ledger, QuestionReview
from aventrik.questions.drafting import brief_of, draft_questions
from aventrik.questions.locating import locate
from aventrik.runs.pooling import pool_of
from aventrik.workspace.gathered import GatheredSource
from aventrik.workspace.logs import load_log
from aventrik.workspace.starter import create
from aventrik.workspace.testsets import load_rows, question_row, save_testset

BEHIND = ("on Sunday", "in 2031", "for my sister", "at Hexley", "with three boats", "tomorrow", "near the lock")


def main() -> None:
    """Prints the table."""
    if len(sys.argv) < 2:
        sys.exit(__doc__)
    lines, items = (int(sys.argv[n]) if len(sys.argv) > n else count for n, count in ((2, 100_000), (3, 20_000)))
    draw = random.Random(0)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "w"
        create(folder)
        gather(OpenWorkspace(folder), [GatheredSource(Path(sys.argv[1]))])
        opened = OpenWorkspace(folder)
        texts = [question.question for question in draft_questions(opened, brief_of(opened, 1000)).questions]
        log = folder / "log.csv"
        with log.open("w", encoding="utf-8") as file:
            file.write("when\tsession\tquestion\n")
            for _ in range(lines):
                text = draw.choice(texts)
                if draw.random() < 0.5:
                    text = f"{text.rstrip('?')} {draw.choice(BEHIND)} {draw.randrange(400) or ''}"
                file.write(
                    f"2031-0{draw.randrange(1, 10)}-1{draw.randrange(10)}\t{draw.randrange(lines // 3)}\t{text}\n"
                )
        log = log.rename(log.with_suffix(".tsv"))
        began = time.perf_counter()
        equal = len(
            {line.split("\t")[2].strip().lower() for line in log.read_text(encoding="utf-8").split("\n")[1:] if line}
        )
        plain = time.perf_counter() - began
        began = time.perf_counter()
        entries = load_log(log).entries
        read = time.perf_counter() - began
        marks: dict[str, float] = {}
        made = locate(
            opened,
            entries,
            pool_of(opened, []),
            1000,
            progress=lambda stage, done, total: marks.setdefault(stage, time.perf_counter()),
        )
        whole = time.perf_counter() - began
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(f"{lines:,} entries, {equal:,} different lines: {plain:.1f} s to tell them apart")
        print(
            f"  read {read:.1f} s; folded to {len(made.log.enquiries):,}; {len(made.questions):,} located; {whole:.1f} s in all; "
            f"{memory:,.0f} MB"
        )
        path = folder / "testsets" / "many.jsonl"
        rows = [question_row(question) for question in made.questions]
        with path.open("w", encoding="utf-8") as file:
            for number in range(items):
                row = rows[number % len(rows)]
                file.write(json.dumps({**row, "id": f"q{number}", "question": f"{row['question']} {number}"}) + "\n")
        began = time.perf_counter()
        parsed = [json.loads(line) for line in path.read_text(encoding="utf-8").splitlines()]
        plain = time.perf_counter() - began
        del parsed
        gc.collect()
        gc.freeze()  # as in a program that has just begun
        began = time.perf_counter()
        found = load_rows(path)
        ledger = Ledger(path, found, opened.workspace.reviews, "ann")
        session = Session(QuestionMatter(QuestionReview(opened, ledger, order_of([row for _, row in found]))))
        session.start()
        drawn(session, 100, 40)
        first = time.perf_counter() - began
        began = time.perf_counter()
        for key in ("y", "right", "x"):
            session.press(key)
            drawn(session, 100, 40)
        keys = (time.perf_counter() - began) / 3
        size = path.stat().st_size / 1e6
        print(
            f"{items:,} questions to review ({size:.0f} MB): {first:.2f} s to the first screen, {1000 * keys:.0f} ms a key; "
            f"json {plain:.2f} s"
        )
        save_testset(path, made.questions)


if __name__ == "__main__":
    main()
