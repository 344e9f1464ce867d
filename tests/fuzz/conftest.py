"""How many cases a door gets: 60, or as many as the variable FUZZ_CASES says (`make fuzz`: 2,000)."""

from __future__ import annotations

import os
import resource
from collections.abc import Iterator

import pytest
from hypothesis import HealthCheck, settings

CASES = int(os.environ.get("FUZZ_CASES", "60"))
_SECONDS = 15  # for one case, also on a machine that is busy elsewhere; a hang would take for ever
_MEGABYTES = 700  # that a door may grow by in all its cases

settings.register_profile(
    "doors",
    max_examples=CASES,
    deadline=_SECONDS * 1000,
    derandomize=CASES <= 100,
    database=None,
    suppress_health_check=list(HealthCheck),
)
settings.load_profile("doors")


@pytest.fixture(autouse=True)
def bounded_memory() -> Iterator[None]:
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    yield
    grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1000
    assert grown < _MEGABYTES, f"{grown:.0f} MB"
