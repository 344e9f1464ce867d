"""Measures of one answer, from its verdicts and the reference facts that it states."""

from __future__ import annotations

from ..answering import Answer
from ..judging import Judgement


def answer_scores(answer: Answer, judgement: Judgement, answerable: bool) -> dict[str, float]:
    """The measures that apply, each 0 to 1; one that does not apply (or failed) is left out.

    groundedness: supported claims ÷ claims. hallucinated: 1 if a claim is contradicted or not found (its mean is
    the hallucination rate). contradicted-claims, unfound-claims: their share of the claims. completeness:
    reference facts stated ÷ reference facts. correctness: F1 of completeness and of the share of claims that the
    reference answer or its evidence supports. citation-precision: cited items that support their claim ÷ cited;
    citation-recall: supported claims whose support is cited ÷ supported claims. declined-rightly: on unanswerable
    questions; declined-wrongly: on answerable ones.
    """
    if answer.failure or judgement.failure:
        return {}
    scores = {"declined-wrongly" if answerable else "declined-rightly": float(answer.declined)}
    if answer.declined:
        if answerable:
            scores.update(completeness=0.0, correctness=0.0)
        return scores
    verdicts = judgement.verdicts
    if verdicts:
        supported = [verdict for verdict in verdicts if verdict.verdict == "supported"]
        contradicted = sum(verdict.verdict == "contradicted" for verdict in verdicts)
        unfound = len(verdicts) - len(supported) - contradicted
        scores["groundedness"] = len(supported) / len(verdicts)
        scores["hallucinated"] = float(len(supported) < len(verdicts))
        scores["contradicted-claims"] = contradicted / len(verdicts)
        scores["unfound-claims"] = unfound / len(verdicts)
        cited = sum(len(set(verdict.cites)) for verdict in verdicts)
        right = sum(len(set(verdict.cites) & _resting(verdict.quotes)) for verdict in supported)
        if cited:
            scores["citation-precision"] = right / cited
        if supported:
            shown = sum(bool(set(verdict.cites) & _resting(verdict.quotes)) for verdict in supported)
            scores["citation-recall"] = shown / len(supported)
    if answerable and judgement.stated:
        complete = sum(judgement.stated) / len(judgement.stated)
        precise = sum(judgement.right) / len(judgement.right) if judgement.right else 0.0
        scores["completeness"] = complete
        scores["correctness"] = 2 * complete * precise / (complete + precise) if complete + precise else 0.0
    return scores


def _resting(quotes: tuple[tuple[int, str], ...]) -> set[int]:
    return {item for item, _ in quotes}
