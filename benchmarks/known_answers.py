"""What the built-in judge makes of answers of which it is known what they are worth, on documents that nobody here wrote.

    python benchmarks/known_answers.py WORKSPACE…

Each WORKSPACE holds documents and test sets. Prints for each test set how far each measure reaches (mean over right answers → over
spoilt ones, or over those of other questions), and for 400 sentences of the documents, taken by lot, as they stand and with one
fault planted: the share that is called supported, contradicted, not found and too far to tell. Last, of what is said at a
confidence of .94 or more the share that is right, and the time of a verdict.
"""

from __future__ import annotations

import random
import re
import sys
import time
from collections import Counter, defaultdict
from pathlib import Path
from typing import Any

from aventrik import api
from aventrik.core.context import Served
from aventrik.core.judging.known import PART, known_answers, reaches, refusals_seen, scored
from aventrik.core.protocols import Task
from aventrik.core.text import sentence_texts
from aventrik.english import OfflineModel, SpoiltAnswers
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.runs.known_answers import known_question

SENTENCES, WORDS = 400, (6, 35)
VERDICTS = ("supported", "contradicted", "not found", "too far to tell")
_SURE = 0.94


def main() -> None:
    """Prints both tables for each workspace."""
    for folder in sys.argv[1:]:
        with api.open(folder) as opened:
            print(f"{folder}")
            for path in sorted(Path(folder, "testsets").glob("*.jsonl")):
                _testset(opened, path.stem)
            _sentences(opened)


def _testset(opened: OpenWorkspace, name: str) -> None:
    questions, _ = opened.questions(name)
    place = opened.place(api.configurations(opened)[0], "", snapshot=opened.searched(questions))
    some = [one for each in questions if (one := known_question(each, place)) is not None]
    if not some:
        return
    scores = scored(some, known_answers(some, SpoiltAnswers().plant, few=False), OfflineModel())
    told = ", ".join(f"{each.measure} {each.right:.3f} → {each.floor:.3f}" for each in reaches(scores))
    seen, whole = refusals_seen(scores)
    print(f"  {name}, {len(some)} questions: {told}; refusals {seen} of {whole}")


def _sentences(opened: OpenWorkspace) -> None:
    draw, plant, model = random.Random(1), SpoiltAnswers().plant, OfflineModel()
    rows = _drawn(opened, draw)
    table: dict[str, Counter[str]] = defaultdict(Counter)
    sure: list[bool] = []
    asked, began = 0, time.perf_counter()
    for sentence, context in rows:
        own = [Served(1, "", str(context[0]["text"]), 0)]
        for fault, text in [("as it stands", sentence), *plant(sentence, own, [])]:
            [reply] = model.perform([Task("verdict", {"context": context, "question": "", "claims": [text]})])
            assert reply.value is not None
            said = reply.value["verdicts"][0]
            table[fault][said["verdict"]] += 1
            if said["confidence"] >= _SURE and said["verdict"] != VERDICTS[-1]:
                sure.append((said["verdict"] == VERDICTS[0]) == (fault in ("as it stands", PART)))
            asked += 1
    took = time.perf_counter() - began
    print(f"  {'sentence':14}{'n':>5}" + "".join(f"{name:>18}" for name in VERDICTS))
    for fault, counts in table.items():
        whole = counts.total()
        print(f"  {fault:14}{whole:>5}" + "".join(f"{counts[name] / whole:>18.3f}" for name in VERDICTS))
    print(
        f"  at {_SURE} or more right {sum(sure) / max(1, len(sure)):.3f} of {len(sure)}; {1000 * took / asked:.1f} ms a verdict"
    )


def _drawn(opened: OpenWorkspace, draw: random.Random) -> list[tuple[str, list[dict[str, Any]]]]:
    """Sentences with a context of three passages, the first of which holds the sentence."""
    pool: list[tuple[str, str, str]] = []
    for name in sorted(api.document_names(opened)):
        document = api.document(opened, name)
        for start, end in sorted({document.section(heading.end) for heading in document.headings}):
            text = document.text[start:end][:1500]
            for sentence in sentence_texts(text):
                fits = (
                    WORDS[0] <= len(sentence.split()) <= WORDS[1] and sentence[0].isupper() and sentence.endswith(".")
                )
                if fits and not re.search(r"[{}<>|\\=]|https?:", sentence):
                    pool.append((sentence, text, " › ".join([document.title or name, *document.heading_path(start)])))
    draw.shuffle(pool)
    made = []
    for sentence, text, source in pool[:SENTENCES]:
        others = [draw.choice(pool) for _ in range(2)]
        passages = [(source, text), *((each[2], each[1]) for each in others if each[1] != text)]
        context = [{"number": n, "source": where, "text": what} for n, (where, what) in enumerate(passages, 1)]
        made.append((sentence, context))
    return made


if __name__ == "__main__":
    main()
