"""What the results of a run rest on: calls that failed, and what was cut to fit a model, in the index and question by
question."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field

from ..storage.protocols import Run
from .sides import RunSide

_WORDS = {
    "rewrite": "rewriting", "step": "reranking", "answer": "answering", "again": "asking again", "verdicts": "judging",
    "criterion": "a criterion", "agreement": "judging", "retrieval scores": "the list that was brought",
    "brought": "the system", "query vectors": "embedding the question",
}  # fmt: skip


@dataclass(frozen=True)
class RunHealth:
    """Of `questions`, how many rest on something that failed (`unsound`), and by stage on what; how many on what was `cut`
    to fit a model. Of the `texts` that are matched, how many a model was to write and did not (`unwritten`), and how many were
    cut to fit the embedding model (`shortened`); 0 of 0 where nothing is amiss."""

    questions: int
    unsound: int = 0
    failed: Mapping[str, int] = field(default_factory=dict)
    cut: Mapping[str, int] = field(default_factory=dict)
    texts: int = 0
    unwritten: int = 0
    shortened: int = 0

    @property
    def well(self) -> bool:
        """Whether nothing is amiss."""
        return not (self.failed or self.cut or self.unwritten or self.shortened)

    @property
    def in_words(self) -> str:
        """What is amiss, in a few words; "" where nothing is."""
        told = [f"{count} of {self.questions} questions: {_word(stage)} failed" for stage, count in self.failed.items()]
        told += [
            f"{count} of {self.questions} questions: something was cut in {_word(stage)}"
            for stage, count in self.cut.items()
        ]
        if self.unwritten:
            told.append(
                f"{self.unwritten:,} of {self.texts:,} index texts were not written, and the chunk stands in for them"
            )
        if self.shortened:
            told.append(f"{self.shortened:,} of {self.texts:,} index texts were cut to fit the embedding model")
        return "; ".join(told)


def _word(stage: str) -> str:
    return _WORDS.get(stage, f"the stage '{stage}'")


def health_of(run: Run, side: RunSide, keys: Collection[str] | None = None) -> RunHealth:
    """The health of a run, as far as some of its questions go (all without `keys`)."""
    wanted = set(side.ids if keys is None else keys)
    failed = {stage: count for stage, some in side.failed.items() if (count := len(some & wanted))}
    cut = {stage: count for stage, some in side.cut.items() if (count := len(some & wanted))}
    index = run.costs.get("state", {}).get("index", {})
    return RunHealth(
        questions=len(wanted),
        unsound=len(frozenset().union(*side.failed.values()) & wanted),
        failed=failed,
        cut=cut,
        texts=int(index.get("texts", 0)),
        unwritten=int(index.get("failed", 0)),
        shortened=int(index.get("cut", 0)),
    )
