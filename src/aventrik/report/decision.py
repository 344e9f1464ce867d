"""The decision of a comparison in words: which run is best, whether that is real, what it costs, how it stands to the
baseline."""

from __future__ import annotations

from ..results.best import Leading
from ..results.comparing import verdict
from ..results.comparison import Comparison
from .figures import cost_told, number, p_told, together_told
from .run_names import run_sentence

_APART = 0.005  # between two means that are not told as one


def decision(found: Comparison) -> list[tuple[str, str]]:
    """Sentences, each with its label (best, real?, cost, base); one without a label where nothing can be decided; none for
    a single run."""
    lead = found.leading
    if lead is None:
        if len(found.order) > 1:
            return [("", f"which is best can't be said: no question has {found.measure} in all of these runs")]
        return []
    if len(lead.p) < 2:
        if len(found.runs) < 2:
            return []
        if len(found.order) == 1:
            return [("", "all of these runs came to the same, by the same results")]
        return [("", f"only {run_sentence(found, lead.best)} has {found.measure}")]
    lines = [("best", _best(found, lead)), ("real?", _real(found, lead))]
    if lead.price is not None and lead.cheapest is not None:
        lines.append(("cost", _price(found, lead)))
    base = found.twins[found.baseline]
    if base != lead.best and lead.best in found.by_place:
        each = found.by_place[lead.best]
        gap = each.difference
        lines.append(
            (
                "base",
                f"{gap.mean:+.2f} [{gap.low:+.2f} {gap.high:+.2f}] {together_told([each])} from the baseline {run_sentence(found, base)}: "
                f"{verdict(gap, each.p, found.less)}, p {p_told(each.p)}",
            )
        )
    return lines


def _best(found: Comparison, lead: Leading) -> str:
    mean, winner = found.means[lead.best][found.measure], lead.winner
    won = f"{run_sentence(found, lead.best)}: {found.measure} {number(mean.mean)} [{number(mean.low)} {number(mean.high)}]"
    if len(lead.p) == 2:
        return won
    if abs(winner.mean - mean.mean) > _APART:
        won += f", {number(winner.mean)} fitted over the {lead.n} questions for which any run has it"
    return (
        f"{won}; expect {number(winner.expected)} [{number(winner.low)} {number(winner.high)}], {number(winner.taken)} less: "
        f"it was chosen from {len(lead.p)}"
    )


def _real(found: Comparison, lead: Leading) -> str:
    """How far the best one can be told from the others."""
    chance = lead.chance[lead.best]
    count = len(lead.p)
    if len(lead.group) == 1:
        return f"yes: it is better than {'the other one' if count == 2 else 'every other one'}, and not by chance"
    if count == 2:
        return f"not shown: the two can't be told apart; it is the better one with {chance:.0%}"
    if len(lead.group) == count:
        return f"not shown: each of the {count} may be the best; this one is with {chance:.0%}"
    return f"not alone: {len(lead.group)} of the {count} (≈), itself among them, may be the best; this one is with {chance:.0%}"


def population_told(found: Comparison) -> str:
    """What the figures infer to, in a sentence."""
    scope = found.scope
    if scope.population == "these documents":
        return "inferred to: more questions about these documents"
    of = f" ({scope.about} of {scope.corpus:,})" if scope.corpus else ""
    return f"inferred to: documents like these{of}, and questions about them"


def _price(found: Comparison, lead: Leading) -> str:
    assert lead.price is not None
    assert lead.cheapest is not None
    name = {"money": "money", "model-tokens": "tokens", "seconds": ""}.get(lead.price.measure, "tokens to read")
    best, least = lead.price.values[lead.best], lead.price.values[lead.cheapest]
    assert least is not None
    told_best = (
        "not known" if best is None else f"{cost_told(lead.price.measure, best)} {name}".rstrip() + " a question"
    )
    if lead.cheapest == lead.best:
        return f"{told_best}; none of the group is cheaper"
    mean = found.means[lead.cheapest][found.measure].mean
    told_least = f"{cost_told(lead.price.measure, least)} {name}".rstrip()
    lost = f", an expected loss of {number(lead.loss)}" if lead.loss is not None else ""
    return f"{told_best}; the cheapest of the group is {run_sentence(found, lead.cheapest)}: {number(mean)} for {told_least}{lost}"
