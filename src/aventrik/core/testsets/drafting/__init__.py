"""A test set from a corpus: wordings are offered by rules or a model, checked against all documents, and chosen."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ...documents import Document
from ...protocols import LanguageModel
from .. import Question
from .brief import Brief
from .collecting import Collecting
from .finishing import Finishing
from .made import Draft, DraftWork, Dropped
from .material import Material
from .rules import RuleWriter
from .taking import Taking

__all__ = ["Draft", "Dropped", "draft"]


def draft(
    names: Sequence[str],
    fetch: Callable[[str], Document],
    model: LanguageModel,
    rules: RuleWriter,
    brief: Brief,
    already: Sequence[Question] = (),
    progress: Callable[[int], None] = lambda done: None,
    judge: LanguageModel | None = None,
) -> Draft:
    """Up to `brief.count` checked questions from the documents `names`, spread over them; fewer when no more are good.
    `rules` write those that take no language model.

    `already` are questions of an earlier draft: none of them is asked again. `judge` is asked whether a sentence that
    speaks of the same says the same as a model's question and answer; without it figures alone decide that.
    """
    work = DraftWork(Material.over(names, fetch), model, rules, brief, judge, progress)
    offers = Collecting(work).collect()
    taking = Taking(work, offers, already)
    taking.choose()
    first = 1 + max((int(q.id[1:]) for q in already if q.id[:1] == "q" and q.id[1:].isdigit()), default=0)
    work.made.quotas = {quota.name: taking.choice.given[quota.name] for quota in brief.quotas}
    Finishing(work, offers, taking.taken, taking.passages, first).finish()
    return work.made
