"""Kinds of arguments that argparse does not have; each raises its own error, which names the argument."""

from __future__ import annotations

import argparse
import math
import re
from collections.abc import Callable
from pathlib import Path

SEEDS = 2**32 - 1  # the largest


def given_path(text: str) -> Path:
    """A path; an empty text, which Python takes for the folder one is in, is none."""
    if not text or "\0" in text:
        raise argparse.ArgumentTypeError("a path must not be empty")
    return Path(text)


def whole(least: int, most: int = 10**9) -> Callable[[str], int]:
    """A kind of argument that is a whole number in a range."""

    def number(text: str) -> int:
        found = int(text) if re.fullmatch(r"[-+]?[0-9]{1,18}", text.strip()) else None
        if found is None or not least <= found <= most:
            raise argparse.ArgumentTypeError(f"'{text[:40]}' is no whole number from {least:,} to {most:,}")
        return found

    return number


def finite(text: str) -> float:
    """A number that is neither infinite nor "nan"."""
    try:
        found = float(text)
    except ValueError:
        found = math.nan
    if not math.isfinite(found):
        raise argparse.ArgumentTypeError(f"'{text}' is not a finite number")
    return found


def share(text: str) -> float:
    """A number from 0 to 1."""
    value = finite(text)
    if not 0 <= value <= 1:
        raise argparse.ArgumentTypeError(f"expected a number from 0 to 1, not {text}")
    return value


def workers_option(parser: argparse.ArgumentParser) -> None:
    """Who does the work of a verb."""
    parser.add_argument(
        "--on", metavar="ADDRESS", default="",
        help="have it done by the workers of a Dask scheduler (tcp://host:8786), by so many on this machine (2), or 'here'",
    )  # fmt: skip
