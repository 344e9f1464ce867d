"""How long the offline judge takes for many answers, beside what it takes only to read the contexts.

    python benchmarks/judging.py FOLDER [ANSWERS]

FOLDER holds text documents (.txt, .html or .md). Each answer has three sentences of its own context of five passages, one of
them with a figure or a word changed. Prints the seconds for all ANSWERS (2,000), those for splitting the same texts into
stemmed words once (the least that any judge by words must do), their ratio, and the peak of memory at a half and at the end.
"""

from __future__ import annotations

import random
import resource
import sys
import time
from collections import Counter
from pathlib import Path

from aventrik.core.answering import Answer, Statement
from aventrik.core.context import Served
from aventrik.core.judging import Reference, judge
from aventrik.core.reading import read
from aventrik.core.text import sentence_texts, terms
from aventrik.english import OfflineModel

ITEMS, SENTENCES, TOGETHER = 5, 3, 64


def main() -> None:
    """Makes the answers, judges them, prints the table."""
    folder, count = Path(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 2000
    files = [path for path in sorted(folder.rglob("*")) if path.suffix in (".txt", ".html", ".md")]
    passages = [
        part for path in files for part in read(path.name, path.read_bytes()).text.split("\n\n") if 200 < len(part) < 1500
    ]  # fmt: skip
    draw = random.Random(0)
    contexts = [[draw.choice(passages) for _ in range(ITEMS)] for _ in range(count)]
    answers = [_answer(context, draw) for context in contexts]
    began = time.perf_counter()
    for context, answer in zip(contexts, answers):
        for text in (*context, answer):
            terms(text)
    reading = time.perf_counter() - began
    model, verdicts, peaks = OfflineModel(), Counter[str](), []
    began = time.perf_counter()
    for first in range(0, count, TOGETHER):
        rows = range(first, min(count, first + TOGETHER))
        judged = judge(
            ["What holds here?" for _ in rows],
            [Answer(answers[row], False, (Statement("x"),)) for row in rows],
            [[Served(n, "passage", text, 0, "d", ()) for n, text in enumerate(contexts[row], 1)] for row in rows],
            [Reference() for _ in rows],
            model,
        )
        verdicts.update(verdict.verdict for each in judged for verdict in each.verdicts)
        if not peaks and first >= count // 2:
            peaks.append(_peak())
    seconds = time.perf_counter() - began
    print(f"{count:,} answers, {verdicts.total():,} claims, {len(passages):,} passages: {dict(verdicts)}")
    print(f"{'judged':>10}{'answers/s':>12}{'words only':>12}{'ratio':>8}{'memory at half':>16}{'at the end':>12}")
    print(
        f"{seconds:>9.1f}s{count / seconds:>12,.0f}{reading:>11.1f}s{seconds / reading:>8.1f}"
        f"{peaks[0]:>13,.0f} MB{_peak():>9,.0f} MB"
    )


def _answer(context: list[str], draw: random.Random) -> str:
    sentences = [each for text in context for each in sentence_texts(text) if 6 < len(each.split()) < 40]
    chosen = draw.sample(sentences, min(SENTENCES, len(sentences)))
    if chosen:
        words = chosen[0].split()
        words[draw.randrange(len(words))] = draw.choice(["never", "17", "Hexley"])
        chosen[0] = " ".join(words)
    return " ".join(chosen) or "Nothing."


def _peak() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


if __name__ == "__main__":
    main()
