"""How hard a question is to find, measured: what it copies, where plain keyword search puts its evidence."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from ...text import content_terms
from .. import Question

LEVELS = ("easy", "middle", "hard")
_MIDDLE = 5  # the last rank at which plain keyword search still makes a question a middling one


def copied(question: str, evidence: Iterable[str]) -> float:
    """Share of the question's different content terms that occur in its evidence, 0 to 1; 0 where it has none."""
    asked = set(content_terms(question))
    held = {term for text in evidence for term in content_terms(text)}
    return len(asked & held) / len(asked) if asked else 0.0


def copied_of(question: Question) -> float:
    """`copied` of a question of a test set, from the quotes of all its needs."""
    return copied(question.question, (quoted.quote for need in question.needs for quoted in need.spans))


def level(rank: int) -> str:
    """How hard a question is, by the rank of its evidence under plain keyword search (0: not among those looked at):
    "easy" at rank 1, "middle" to rank 5, "hard" behind that."""
    if rank == 1:
        return "easy"
    return "middle" if 1 < rank <= _MIDDLE else "hard"


def difficulty_of(question: str, share: float, rank: int, rarity: float, needs: int) -> dict[str, Any]:
    """What is kept of a question's difficulty: its level, the share copied, rank under plain keyword search, mean rarity
    of its terms (ln(1 + N ÷ (n + ½)), larger is rarer), words, and how many facts it takes."""
    return {
        "level": level(rank),
        "copied": round(share, 3),
        "rank": rank,
        "rarity": round(rarity, 2),
        "words": len(question.split()),
        "needs": needs,
    }
