"""The built-in rule-based language model: deterministic, quick, no network, and no more than its rules."""

from .model import OfflineModel

__all__ = ["OfflineModel"]
