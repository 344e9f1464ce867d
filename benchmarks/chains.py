"""A thousand questions through seven rewritings and seven reranking steps, offline: seconds a stage.

On the demo's documents, with the demo's questions behind openings of different kinds, so that each is another; or on a
workspace of your own with `python benchmarks/chains.py FOLDER TESTSET`. Beside it, in the same run, what a general library
takes to weigh the same pairs of question and candidate by their terms alone (scikit-learn's TF-IDF).
"""

from __future__ import annotations

import shutil
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

from aventrik.core.documents.spans import text_of
from aventrik.corpora.gathering import gather
from aventrik.demo.layout import lay_out
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.execution.passing import Passing, PosedQuestions
from aventrik.workspace.configuration import Configuration
from aventrik.workspace.gathered import GatheredSource

COUNT = 1000
OPENINGS = ("", "hello, ", "could someone tell me: ", "please: ", "one more thing, ", "my question is this: ")
CHAIN = [
    {"step": "closeness"}, {"step": "split", "size": 400}, {"step": "embedding", "model": "static", "keep": 60},
    {"step": "distinct"}, {"step": "relevance", "keep": 20}, {"step": "extract", "keep": 10}, {"step": "order", "keep": 10},
]  # fmt: skip
REWRITINGS = ["conversation", "paraphrases", "hypothetical", "parts", "broader", "keywords", "expanded"]


def main(folder: Path | None, testset: str) -> None:
    """Prints a row a stage, and the library's time."""
    place = Path(tempfile.mkdtemp())
    if folder is None:
        lay_out(place / "demo")
        folder = place / "demo"
        gather(OpenWorkspace(folder), [GatheredSource(folder / "documents")])
    else:
        shutil.copytree(folder, place / "copy")
        folder = place / "copy"
    opened = OpenWorkspace(folder)
    found, _ = opened.questions(testset)
    questions = [
        replace(
            each,
            id=f"q{number}",
            question=OPENINGS[turn % len(OPENINGS)] + each.question + "?" * (turn // len(OPENINGS)),
        )
        for number, (turn, each) in enumerate((turn, each) for turn in range(-(-COUNT // len(found))) for each in found)
    ][:COUNT]
    content = {
        "name": "chain", "embedding": {"model": "static"}, "answering": {"model": "none"}, "reranking": CHAIN,
        "rewriting": [{"method": name} for name in REWRITINGS],
    }  # fmt: skip
    made = opened.place(Configuration.model_validate(content), snapshot=opened.searched(questions))
    passing = Passing(made, PosedQuestions(questions, opened.standing))
    for node in made.nodes.values():  # what does not depend on the questions is not their time
        if node.stage.scope == "question":
            made.wide(node)
    began = time.perf_counter()
    passing.pass_all()
    whole = time.perf_counter() - began
    print(f"{len(questions):,} questions, {len(made.open('chunks')):,} chunks: {whole:.1f} s")
    kept = ("rewrite", "step", "drift", "gains", "chain")
    for name, seconds in passing.seconds.items():
        step = CHAIN[int(name.split()[1]) - 1]["step"] if name.startswith("step ") else ""
        way = REWRITINGS[int(name.split()[1]) - 1] if name.startswith("rewrite ") else ""
        print(f"  {name:18} {step or way:14} {seconds:6.2f} s")
    own = sum(seconds for name, seconds in passing.seconds.items() if name.split()[0] in kept)
    print(f"rewriting and reranking with their accounts: {own:.1f} s")
    print(f"scikit-learn, TF-IDF cosine of the same candidates: {_library(made, passing):.1f} s")
    shutil.rmtree(place)


def _library(made: object, passing: Passing) -> float:
    from sklearn.feature_extraction.text import TfidfVectorizer

    place = passing.place
    table, documents = place.open("chunks"), place.documents()
    rows = [
        (each.question.question, [text_of(documents[table.name(n)].text, table.ranges(n)) for n in found.chunks])
        for each, found in zip(passing.underway, passing.records("candidates"))
    ]
    vectorizer = TfidfVectorizer().fit({text for _, texts in rows for text in texts})
    began = time.perf_counter()
    for question, texts in rows:
        (vectorizer.transform(texts) @ vectorizer.transform([question]).T).toarray().ravel().argsort()
    return time.perf_counter() - began


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 2 else None, sys.argv[2] if len(sys.argv) > 2 else "helpdesk")
