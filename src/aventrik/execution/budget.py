"""What a run may take: it stops cleanly when the budget is spent, and what was computed stays."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Mapping

from ..pipeline.resolved import WantedModel
from ..workspace.settings import Model


class BudgetSpent(Exception):
    """Money or time is used up; the message says which, and how much."""


class Budget:
    """So much money for models, and so many seconds from now on; None for as much as it takes. What is under way is
    finished: a little more may be spent."""

    def __init__(
        self,
        money: float | None = None,
        seconds: float | None = None,
        spent: Callable[[], float] = lambda: 0.0,
        models: Mapping[str, Model] | None = None,
    ) -> None:
        self.money = money
        self.seconds = seconds
        self._spent = spent
        self._models = models or {}
        self._began = time.monotonic()
        self._before = spent() if money is not None else 0.0

    def check(self, wanted: Iterable[WantedModel]) -> None:
        """Raises `BudgetSpent` when there is no time left, or no money for models that cost any."""
        if self.seconds is not None and time.monotonic() - self._began >= self.seconds:
            raise BudgetSpent(f"the {self.seconds:,.0f} s of --budget-time are over")
        if self.money is not None and any(map(self._costs, wanted)) and self.left <= 0:
            raise BudgetSpent(f"{self._spent() - self._before:.4f} of the {self.money:.4f} of --budget are spent")

    def at_once(self, wanted: Iterable[WantedModel], size: int, each: float) -> int:
        """How many of `size` pieces may be begun together when one costs about `each`."""
        if self.money is None or each <= 0 or not any(map(self._costs, wanted)):
            return size
        return max(1, min(size, int(self.left / each)))

    @property
    def left(self) -> float:
        """The money that is left."""
        return 0.0 if self.money is None else self.money - (self._spent() - self._before)

    def _costs(self, wanted: WantedModel) -> bool:
        model = self._models.get(wanted.name)
        return model is not None and (model.price_in > 0 or model.price_out > 0)
