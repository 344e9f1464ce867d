"""Figures as texts for tables and sentences."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
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


def kappa_told(found: RaterAgreement) -> str:
    """Kappa with its interval, or why there is none."""
    kappa = found.kappa
    if kappa.value is None:
        return f"not defined ({kappa.why})"
    if kappa.low is None or kappa.high is None:
        return f"{kappa.value:.2f} ({kappa.why})"
    return f"{kappa.value:.2f} [{kappa.low:.2f} {kappa.high:.2f}]"
