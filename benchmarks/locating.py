"""Does `locate` propose the place that answers a real question, and tell what no document answers?

    python benchmarks/locating.py FOLDER [MODEL [OTHER…]]

FOLDER holds documents some of which are FAQs: their headings that ask are the questions, any sentence under one is the
right place, and they are hidden from what is searched. MODEL is the embedding model of the pool: "static", "lsa", "none",
or the folder of a neural one (with the extra 'neural'); by default what `locate` takes. The questions of the FAQs of OTHER
folders are asked too: nothing in FOLDER answers them. Prints how often the right place is the first proposed, among three,
five, nine; how often the proposed sentence itself is right; the area under the ROC curve for being answered; and seconds.
"""

from __future__ import annotations

import json
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

from sklearn.metrics import roc_auc_score

from aventrik.core.testsets import Question
from aventrik.core.testsets.drafting.brief import Brief
from aventrik.core.testsets.locating.ranking import Place, rank
from aventrik.core.wording.parts import split
from aventrik.corpora.gathering import gather
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.questions.drafting import draft_questions
from aventrik.questions.locating import PROPOSED
from aventrik.runs.pooling import Pool, pool_of
from aventrik.workspace.gathered import GatheredSource
from aventrik.workspace.starter import create

AT = (1, 3, 5, PROPOSED)


def asked_in(source: Path, folder: Path, model: str = "") -> tuple[OpenWorkspace, list[Question]]:
    """A workspace over some documents, and the questions of their FAQs."""
    create(folder)
    if model:
        with (folder / "aventrik.toml").open("a", encoding="utf-8") as file:
            where = json.dumps(str(Path(model).resolve()))
            file.write(f'\n[models.neural]\nkind = "local"\ndoes = "embedding"\npath = {where}\n')
    gather(OpenWorkspace(folder), [GatheredSource(source)])
    opened = OpenWorkspace(folder)
    return opened, draft_questions(opened, Brief(10_000, headings_only=True)).questions


def first_right(places: Sequence[Sequence[Place]], question: Question) -> int:
    """The rank of the first place that overlaps evidence of the question; 0 for none."""
    spans = [quoted for need in question.needs for quoted in need.spans]
    for number, some in enumerate(places, 1):
        if any(doc == s.doc and start < s.end and s.start < end for doc, start, end in some for s in spans):
            return number
    return 0


def main() -> None:
    """Prints the table."""
    if len(sys.argv) < 2:
        sys.exit(__doc__)
    model = sys.argv[2] if len(sys.argv) > 2 else ""
    neural = model if model not in ("", "static", "lsa", "none") else ""
    with tempfile.TemporaryDirectory() as name:
        opened, drafted = asked_in(Path(sys.argv[1]), Path(name) / "w", neural)
        asked, _ = opened.located(drafted)
        others = [q for n, each in enumerate(sys.argv[3:]) for q in asked_in(Path(each), Path(name) / f"o{n}")[1]]
        count, chars = opened.corpus.figures()
        pool = Pool(opened, pool_of(opened, [], "neural" if neural else model), opened.searched(asked))
        print(f"{count} documents, {chars:,} characters, {len(asked)} questions, {len(others)} of other documents")
        began = time.perf_counter()
        parts = [split(each.question) for each in (*asked, *others)]
        flat = [(n, part, subject) for n, some in enumerate(parts) for part, subject in some]
        lists = pool.lists([pool.spelt(f"{part} {subject}".strip()) for _, part, subject in flat])
        reader = pool.reader
        rankings: list[list] = [[] for _ in parts]
        for (n, part, subject), rows in zip(flat, lists):
            found = rank(part, subject, rows, pool.document, PROPOSED, reader.likeness if reader else None)
            rankings[n].append(found)
        seconds = time.perf_counter() - began
        for told, of in (("place", lambda p: [p.passage]), ("sentence", lambda p: [(p.doc, *p.evidence), *p.copies])):
            ranks = []
            for question, some in zip(asked, rankings):
                each = [first_right([of(p) for p in ranking.proposals], question) for ranking in some]
                ranks.append(min((found for found in each if found), default=0))
            shares = ", ".join(f"{sum(0 < r <= at for r in ranks) / len(ranks):.2f} among {at}" for at in AT)
            print(f"  right {told}: {shares}")
        if others:
            chances = [max(ranking.answerable for ranking in some) for some in rankings]
            label = [True] * len(asked) + [False] * len(others)
            kept = sum(chance >= 0.5 for chance in chances[: len(asked)]) / len(asked)
            away = sum(chance < 0.5 for chance in chances[len(asked) :]) / len(others)
            print(
                f"  answered or not: area {roc_auc_score(label, chances):.2f}; of its own {kept:.2f} called answered, of the "
                f"others {away:.2f} called not answered"
            )
        print(f"  {1000 * seconds / len(parts):.0f} ms a question")


if __name__ == "__main__":
    main()
