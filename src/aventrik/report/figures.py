"""Figures as texts for tables and sentences."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Sequence

    from ..core.comparing.gates import LimitHeld
    from ..core.comparing.sides import Contrast
    from ..core.judging.agreement import RaterAgreement


def number(value: float, places: int = 2) -> str:
    """A figure for a table: thousands with commas, small ones with decimals."""
    if abs(value) >= 100:
        return f"{value:,.0f}"
    return f"{value:.{places}f}"


def seconds(value: float | None) -> str:
    """Seconds with as many decimals as they need."""
    return "–" if value is None else f"{value:.2f}" if value >= 0.1 else f"{value:.3f}"


def time_told(value: float) -> str:
    """How long something took, in the unit that suits it."""
    return f"{value * 1000:.1f} ms" if value < 1 else f"{value:.2f} s"


def cost_told(name: str, value: float) -> str:
    """A cost a question."""
    return f"{value:.5f}" if name == "money" else f"{value:,.0f}" if "tokens" in name else f"{seconds(value)} s"


def p_told(p: float) -> str:
    """A p-value; of one that is less than a thousandth no more is known."""
    return "<0.001" if p < 0.001 else f"{p:.3f}"


def share_told(share: float) -> str:
    """A share in per cent, which is 100 % only where nothing is missing."""
    return ">99%" if 0.995 <= share < 1 else f"{share:.0%}"


def more_told(held: LimitHeld) -> str:
    """How many questions more would decide, and about how many documents in all."""
    about = f", {held.enough_documents:,} documents in all" if held.enough_documents else ""
    return f"about {held.more or 0:,} questions more would decide{about}"


def together_told(contrasts: Sequence[Contrast]) -> str:
    """For how many differences at once intervals and p-values hold."""
    count = max((each.difference.together for each in contrasts), default=1)
    return f"for all {count} together" if count > 1 else "for this difference"


def kappa_told(found: RaterAgreement) -> str:
    """Kappa with its interval, or why there is none."""
    kappa = found.kappa
    if kappa.value is None:
        return f"not defined ({kappa.why})"
    if kappa.low is None or kappa.high is None:
        return f"{kappa.value:.2f} ({kappa.why})"
    return f"{kappa.value:.2f} [{kappa.low:.2f} {kappa.high:.2f}]"
