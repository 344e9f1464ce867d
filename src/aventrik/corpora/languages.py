"""The languages of the documents, and which of the built-in rules do not know them."""

from __future__ import annotations

from collections import Counter

from ..core.text.languages import ENGLISH, language_of
from ..execution.open_workspace import OpenWorkspace

_LOOKED_AT = 200  # documents, spread evenly
_TOLD = 0.05  # of the text, from which share in other languages that is told


def spoken(opened: OpenWorkspace) -> dict[str, float]:
    """The share of the text of some documents that is in each language, the greatest first; "" where none tells."""
    snapshot = opened.snapshot
    step = max(1, len(snapshot.names) // _LOOKED_AT)
    names, contents = snapshot.names[::step], snapshot.contents[::step]
    sizes: Counter[str] = Counter()
    for first in range(0, len(names), 50):
        for document in opened.store.documents.contents(
            list(names[first : first + 50]), list(contents[first : first + 50])
        ):
            sizes[language_of(document.text[:20_000])] += len(document.text)
    whole = max(1, sum(sizes.values()))
    return {language: size / whole for language, size in sizes.most_common()}


def only_english(opened: OpenWorkspace, what: str) -> str:
    """What to say where `what`, which goes by rules for English, meets documents in other languages; "" where it does
    not."""
    found = {language: share for language, share in spoken(opened).items() if language not in ("", ENGLISH)}
    if sum(found.values()) < _TOLD:
        return ""
    told = ", ".join(f"{language.capitalize()} {share:.0%}" for language, share in list(found.items())[:4])
    return (
        f"{what} by rules for English, and of these documents some are in other languages ({told}): do not trust it there; "
        "a language model from [models] knows them"
    )
