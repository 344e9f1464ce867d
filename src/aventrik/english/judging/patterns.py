"""Grading by a criterion with the patterns of its levels, which is all that rules can do with a scale of the user's."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import regex

SECONDS = 1.0  # that one pattern may take over one text


class NoPatterns(ValueError):
    """A criterion that says nothing by which rules could tell its levels apart."""


def grade_by_patterns(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The last of the levels whose pattern is found in what is judged; one without a pattern where none is. Raises
    `NoPatterns`."""
    levels = [(int(level), str(pattern)) for level, pattern in fields.get("patterns", ())]
    if not any(pattern for _, pattern in levels):
        raise NoPatterns("the built-in judge knows the levels of a criterion by their patterns, and there are none")
    texts = [str(fields["answer"])] if fields["answer"] else [str(item["text"]) for item in fields["context"]]
    for level, pattern in reversed(levels):
        if not pattern:
            continue
        for text in texts:
            try:
                found = regex.search(pattern, text, flags=regex.IGNORECASE, timeout=SECONDS)
            except TimeoutError:
                raise NoPatterns(f"the pattern of level {level} takes more than {SECONDS:g} s over one text") from None
            if found:
                quotes = [found[0].strip()[:500]] if found[0].strip() else []
                return {"quotes": quotes, "reason": f"the pattern of level {level} is found", "level": level}
    plain = [level for level, pattern in levels if not pattern]
    if not plain:
        plain = [levels[0][0]]
    return {"quotes": [], "reason": "no pattern of another level is found", "level": plain[0]}
