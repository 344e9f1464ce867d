"""Measures of one answer, from its verdicts and the reference facts that it states.

Each gives None where it does not apply: an answer that declines makes no claims, a claim without citation has none that
could be right.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ..answering import Answer
from ..judging import Judgement
from ..judging.verdicts import UNTOLD


@dataclass(frozen=True)
class Judged:
    """An answer with its judgement; `answerable` says whether the documents answer the question."""

    answer: Answer
    judgement: Judgement
    answerable: bool
    agreement: float | None = None

    @property
    def declined(self) -> bool:
        """Whether the answer says that it has none: by its system's own word, or by the judge's."""
        return self.answer.declined or self.judgement.declining == "wholly"

    def share(self, *verdicts: str) -> float | None:
        """Claims with one of the verdicts ÷ claims."""
        found = [verdict.verdict in verdicts for verdict in self.judgement.verdicts]
        return sum(found) / len(found) if found else None


def groundedness(judged: Judged) -> float | None:
    """Supported claims ÷ claims that the judge could tell, against the served context alone."""
    decided = judged.share("supported", "contradicted", "not found")
    return judged.share("supported") / decided if decided else None  # type: ignore[operator]


def grounded_answers(scores: Mapping[str, float], judge: str = "") -> float | None:
    """Grounded *and* answered, from the other scores of an answerable question: its groundedness, by a judge, 0 where the
    answer declines; none where nothing could be told. So a run gains nothing by declining what is hard."""
    if "declined-wrongly" not in scores:
        return None
    if scores["declined-wrongly"] >= 1:
        return 0.0
    found = scores.get(f"groundedness:{judge}" if judge else "groundedness")
    return None if found is None else found * (1 - scores["declined-wrongly"])


def hallucinated(judged: Judged) -> float | None:
    """1 if at least one claim is contradicted or not found, else 0; its mean is the hallucination rate. A claim that is
    too far in wording for the judge is no hallucination; where all are, there is no telling."""
    if not judged.share("supported", "contradicted", "not found"):
        return None
    return float(bool(judged.share("contradicted", "not found")))


def contradicted_claims(judged: Judged) -> float | None:
    """Contradicted claims ÷ claims."""
    return judged.share("contradicted")


def unfound_claims(judged: Judged) -> float | None:
    """Claims that are not found ÷ claims."""
    return judged.share("not found")


def untold_claims(judged: Judged) -> float | None:
    """Claims that the judge could not tell ÷ claims: too far in wording, or its word could not be used."""
    return judged.share(*UNTOLD)


def relevance(judged: Judged) -> float | None:
    """How far the answer addresses the question, 0 to 1: also of one that is grounded and on another matter."""
    return judged.judgement.relevance


def consistency(judged: Judged) -> float | None:
    """How far the answers to other wordings of the question agree with this one, 0 to 1; none where none were asked."""
    return judged.agreement


def completeness(judged: Judged) -> float | None:
    """Reference facts stated ÷ reference facts; 0 for an answer that declines wrongly."""
    if not judged.answerable:
        return None
    if judged.declined:
        return 0.0
    stated = judged.judgement.stated
    return sum(stated) / len(stated) if stated else None


def correctness(judged: Judged) -> float | None:
    """F1 of completeness and of the share of claims that the reference answer or its evidence supports."""
    complete = completeness(judged)
    if complete is None or judged.declined:
        return complete
    right = judged.judgement.right
    precise = sum(right) / len(right) if right else 0.0
    return 2 * complete * precise / (complete + precise) if complete + precise else 0.0


def citation_precision(judged: Judged) -> float | None:
    """Cited items that support the claim ÷ cited items."""
    cited = sum(len(set(verdict.cites)) for verdict in judged.judgement.verdicts)
    right = sum(
        len(set(verdict.cites) & _resting(verdict.quotes))
        for verdict in judged.judgement.verdicts
        if verdict.verdict == "supported"
    )
    return right / cited if cited else None


def citation_recall(judged: Judged) -> float | None:
    """Supported claims whose support is cited ÷ supported claims."""
    supported = [verdict for verdict in judged.judgement.verdicts if verdict.verdict == "supported"]
    shown = sum(bool(set(verdict.cites) & _resting(verdict.quotes)) for verdict in supported)
    return shown / len(supported) if supported else None


def declined_rightly(judged: Judged) -> float | None:
    """Of an unanswerable question: 1 if the answer declines, else 0."""
    return None if judged.answerable else float(judged.declined)


def declined_wrongly(judged: Judged) -> float | None:
    """Of an answerable question: 1 if the answer declines, else 0."""
    return float(judged.declined) if judged.answerable else None


def _resting(quotes: tuple[tuple[int, str], ...]) -> set[int]:
    return {item for item, _ in quotes}
