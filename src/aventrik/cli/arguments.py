"""Kinds of arguments that argparse does not have; each raises its own error, which names the argument."""

from __future__ import annotations

import argparse
import math
from pathlib import Path


def given_path(text: str) -> Path:
    """A path; an empty text, which Python takes for the folder one is in, is none."""
    if not text or "\0" in text:
        raise argparse.ArgumentTypeError("a path must not be empty")
    return Path(text)


def finite(text: str) -> float:
    """A number that is neither infinite nor "nan"."""
    try:
        found = float(text)
    except ValueError:
        found = math.nan
    if not math.isfinite(found):
        raise argparse.ArgumentTypeError(f"'{text}' is not a finite number")
    return found
