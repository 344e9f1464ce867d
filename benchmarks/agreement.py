"""Do drafted test sets order configurations as people's questions do?

    python benchmarks/agreement.py FOLDER [MODEL [SEEDS]]

FOLDER holds documents some of which are FAQs: their headings that ask are the people's questions, any sentence under one is its
evidence, and they are hidden from what is drafted and searched. MODEL is the folder of a neural embedding model (with the extra
'neural'), "" for none; SEEDS how many drafts of 200 are made (1). Prints the correlation of the true means of eight to eleven
configurations with its 95 % interval, the chance of a worse pick, what became of the real differences, and, as the limit, tau-b
between two halves of the people's questions.
"""

from __future__ import annotations

import json
import sys
import tempfile
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from aventrik.core.comparing.orders import orders, tau_b
from aventrik.core.comparing.sides import Side
from aventrik.core.testsets import Question
from aventrik.core.testsets.drafting import draft
from aventrik.core.testsets.drafting.brief import Brief
from aventrik.core.testsets.hiding import hidden
from aventrik.corpora.gathering import gather
from aventrik.english import EnglishRules, OfflineModel
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.kept.run_names import run_named
from aventrik.kept.sides import sides_of
from aventrik.questions.drafting import draft_questions
from aventrik.runs.running import Runner
from aventrik.workspace.gathered import GatheredSource
from aventrik.workspace.starter import create
from aventrik.workspace.testsets import save_testset

COUNT = 200
MEASURES = ("hit@5", "reciprocal-rank")
HALVES = 200


def configurations(folder: Path, neural: bool) -> list[str]:
    """Writes the configurations; returns their names."""
    kinds = {"keyword": ("none", "keyword"), "lsa": ("lsa", "vector"), "static": ("static", "vector")}
    kinds |= {f"keyword+{name}": (name, "both") for name in ("lsa", "static")}
    if neural:
        kinds |= {"neural": ("neural", "vector"), "keyword+neural": ("neural", "both")}
    rows = [(name, model, method, 800) for name, (model, method) in kinds.items()]
    rows += [(f"{name} {size}", *kinds[name], size) for name in ("keyword", "keyword+static") for size in (300, 1600)]
    for number, (name, model, method, size) in enumerate(rows):
        (folder / "configs" / f"c{number}.toml").write_text(
            f'name = "{name}"\n[chunking]\nsize = {size}\noverlap = 0\n[embedding]\nmodel = "{model}"\n'
            f'[search]\nmethod = "{method}"\n',
            encoding="utf-8",
        )
    return [f"c{number}" for number in range(len(rows))]


def run(opened: OpenWorkspace, names: Sequence[str], testset: str, questions: list[Question]) -> list[Side]:
    """All configurations on a test set, as far as retrieval."""
    save_testset(opened.workspace.testset_path(testset), questions)
    located, _ = opened.questions(testset)
    asked = [question for question in located if question.needs]
    runner = Runner(opened)
    runs = [
        run_named(
            opened.store, str(runner.run(opened.workspace.configurations([name])[0], testset, asked, "served").run)
        )
        for name in names
    ]
    return [found.side for found in sides_of(opened.store, runs)]


def halves(sides: Sequence[Side], measure: str) -> float:
    """The mean tau-b between the orders by two halves of the questions."""
    scores = np.array([[row[measure] for row in side.scores.values()] for side in sides])
    draw, found = np.random.default_rng(0), []
    for _ in range(HALVES):
        order = draw.permutation(scores.shape[1])
        half = len(order) // 2
        found.append(float(tau_b(scores[:, order[:half]].mean(1), scores[:, order[half:]].mean(1))))
    return float(np.nanmean(found))


def main() -> None:
    """Prints the table."""
    if len(sys.argv) < 2:
        sys.exit(__doc__)
    model = sys.argv[2] if len(sys.argv) > 2 else ""
    seeds = int(sys.argv[3]) if len(sys.argv) > 3 else 1
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "w"
        create(folder)
        (folder / "configs" / "starter.toml").unlink()
        if model:
            with (folder / "aventrik.toml").open("a", encoding="utf-8") as file:
                where = json.dumps(str(Path(model).resolve()))
                file.write(f'\n[models.neural]\nkind = "local"\ndoes = "embedding"\npath = {where}\n')
        names = configurations(folder, bool(model))
        gather(OpenWorkspace(folder), [GatheredSource(Path(sys.argv[1]))])
        opened = OpenWorkspace(folder)
        real = draft_questions(opened, Brief(10_000, headings_only=True)).questions
        if len(real) < 20:
            sys.exit(f"{len(real)} headings ask something; that is too few to compare with")
        away = [quoted for question in real for quoted in question.hide]
        ranges: dict[str, list[tuple[int, int]]] = {}
        for quoted in away:
            ranges.setdefault(quoted.doc, []).append((quoted.start, quoted.end))
        count, chars = opened.corpus.figures()
        print(f"{count} documents, {chars:,} characters, {len(real)} questions by people, {len(names)} configurations")
        theirs = run(opened, names, "real", real)
        for measure in MEASURES:
            print(f"  {measure}: two halves of the people's questions agree to tau-b {halves(theirs, measure):+.2f}")
        for seed in range(seeds):
            made = draft(
                opened.corpus.names(),
                lambda each: hidden(opened.corpus.document(each), ranges.get(each, [])),
                OfflineModel(),
                EnglishRules(),
                Brief(COUNT, seed),
            ).questions
            asked = [replace(made[0], hide=(*made[0].hide, *away)), *made[1:]]
            ours = run(opened, names, f"draft{seed}", asked)
            for measure in MEASURES:
                found = orders(ours, theirs, measure)
                told = f"{found.correlation:+.2f}"
                print(
                    f"  draft {seed} ({len(made)} questions), {measure}: correlation {told} [{found.low:+.2f} {found.high:+.2f}], "
                    f"a worse pick {found.worse:.0%}; "
                    f"{found.real} real differences, {found.same} the same way, {found.wrong} the other way"
                )


if __name__ == "__main__":
    main()
