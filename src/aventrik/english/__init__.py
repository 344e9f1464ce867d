"""The built-in language model, which goes by rules for English: deterministic, quick, no network, and no more than its rules.

It stands behind the same protocol as every other language model (`core/protocols.py`); what it can do beside, write questions
for nothing, behind `core/testsets/drafting/rules.py`. Nothing outside imports anything but the names below.
"""

from .model import OfflineModel
from .reading_model import ReadingModel
from .spoiling import SpoiltAnswers
from .writing import EnglishRules

__all__ = ["EnglishRules", "OfflineModel", "ReadingModel", "SpoiltAnswers"]
