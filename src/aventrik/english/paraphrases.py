"""Other wordings of a question: by what kind of answer it wants, by synonyms, by its key words."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from ..core.text import STOP_WORDS, WORD
from ..core.text.names import names_in
from ..core.wording.synonyms import GROUPS

# What an answer to a question of this form usually says.
_FORMS: tuple[tuple[re.Pattern[str], str], ...] = tuple(
    (re.compile(pattern, re.IGNORECASE), words)
    for pattern, words in (
        (r"\bhow long\b.*\b(stay|wait|take|last|moor|park|stop)", "limit hours days maximum stay"),
        (r"\bhow (long|wide|deep|high|tall|big|heavy)\b", "length width depth height maximum dimensions"),
        (r"\bhow (much|expensive)\b|\bcosts?\b|\bprice\b|\bpay\b", "fee charge cost price"),
        (r"\bhow many\b", "number of at least at most"),
        (r"\bhow (often|soon|late|early)\b|\bwhen\b|\bwhat time\b", "times dates hours opens closes from until"),
        (r"\bwho\b|\bwhom\b", "person responsible contact"),
        (r"\bwhere\b", "place location address at"),
        (r"\bwhy\b", "because reason purpose"),
        (r"\b(can|(?-i:may)|could|allowed|permitted|ok|okay)\b|^may\b", "permitted must not may only rules"),
        (r"\bwhat (is|are|does)\b.*\bmean|\bwhat (is|are) (a|an|the)\b", "means definition is called"),
        (r"\bhow (do|can|should|to)\b|\bwhat (should|do|must)\b", "procedure steps must apply report"),
    )
)

_FRAME = frozenset(
    """how what when where who whom which why does do did is are can could may might must should will would i my me
    we need want get got please tell know there anyone anybody someone much many long often""".split()
)


def paraphrase(fields: Mapping[str, Any]) -> dict[str, Any]:
    """Up to `count` rewordings of `question`, none equal to it or to another."""
    question = str(fields["question"])
    keywords = [word for word in WORD.findall(question) if word.lower() not in STOP_WORDS | _FRAME]
    found = [_by_form(question, keywords), _by_synonyms(question), " ".join(keywords), _by_synonyms(question, 2)]
    kept: list[str] = []
    for text in found:
        if text and text.lower() not in {question.lower(), *(other.lower() for other in kept)}:
            kept.append(text)
    return {"paraphrases": kept[: int(fields["count"])]}


def suppose(fields: Mapping[str, Any]) -> dict[str, Any]:
    """A passage such as might answer: the question's key words with what answers of its form say."""
    question = str(fields["question"])
    keywords = [word for word in WORD.findall(question) if word.lower() not in STOP_WORDS | _FRAME]
    return {"passage": f"{_by_form(question, keywords) or ' '.join(keywords)}. {_by_synonyms(question)}".strip()}


def broaden(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The question without what is particular to the case: its figures with their units, and its names; with what answers
    of its form say. The question itself where nothing would be left of it."""
    question = str(fields["question"])
    plain = re.sub(r"\b\d[\d.,:]*\s*(?:[a-zA-Z]{1,2}|[%°£€$])?(?=\W|$)", " ", question)
    own = set(names_in(plain))
    kept = [
        word for word in WORD.findall(plain)
        if word not in own and word.lower() not in STOP_WORDS | _FRAME and not word[0].isdigit()
    ]  # fmt: skip
    if not kept:
        return {"question": question}
    return {"question": _by_form(question, kept) or f"{' '.join(kept)} rules conditions"}


def reduce_to_keywords(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The words of the question that are no function words and no words of asking; all where none is left."""
    found = WORD.findall(str(fields["question"]))
    keywords = [word for word in found if word.lower() not in STOP_WORDS | _FRAME]
    return {"keywords": list(dict.fromkeys(keywords or found)) or [str(fields["question"])]}


def expand(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The question with the meanings of the glossary's lines behind it in brackets, and the short form where the question
    has the long one."""
    question = str(fields["question"])
    said = question.casefold()
    more = []
    for line in fields["glossary"]:
        term, _, meaning = str(line).partition(": ")
        more.append(term if meaning.casefold() in said else meaning)
    return {"question": f"{question} ({'; '.join(more)})" if more else question}


def _by_form(question: str, keywords: list[str]) -> str:
    for pattern, expected in _FORMS:
        if pattern.search(question):
            return f"{' '.join(keywords)} {expected}"
    return ""


def _by_synonyms(question: str, step: int = 1) -> str:
    """The question with each known word put into another of its group; empty when none is known."""
    changed = False

    def swap(found: re.Match[str]) -> str:
        nonlocal changed
        word = found[0]
        for form, ending in ((word.lower(), ""), (word.lower().removesuffix("s"), "s")):
            group = GROUPS.get(form)
            if group and (form != word.lower() or not ending):
                changed = True
                return group[(group.index(form) + step) % len(group)] + ending
        return word

    text = WORD.sub(swap, question)
    return text if changed else ""
