"""A question in other words than its evidence: people who ask have not read the passage."""

from __future__ import annotations

import random
import re
from collections.abc import Callable, Sequence

from ...core.text import content_terms, stem
from ...core.wording.nouns import plural_of, singular
from ...core.wording.thesaurus import NOUNS, VERBS

_DOING = re.compile(r"^(?P<before>(?:How do I|how do I|Can you tell me how to|I want to) )(?P<verb>[a-z]+)(?= )")
_WORD = re.compile(r"(?<![\w'’/.\"-])[a-z]{4,}(?![\w'’/\"-]|\.\w)")
_ALONE_BEFORE = re.compile(
    r"(?:^|\b(?:the|an?|of|for|in|on|with|to|and|or|by|from|about|are|is|your|which|Which|across) )$"
)
_ALONE_BEHIND = re.compile(r"\?|\.|$| (?:of|for|in|on|with|to|and|or|by|from|at|are|is|there|as|under|during)\b")
_MOST = 2  # words of a question that are put otherwise


def in_other_words(
    question: str, held: frozenset[str], seed: str, frequency: Callable[[str], int], most: int = _MOST
) -> str:
    """The question with up to `most` of the words that its evidence holds in other words, verb first; unchanged where it
    has none that is known.

    `held` are the content terms of the evidence. `frequency` gives in how many passages a term occurs: a word is taken
    only where it means no less here than it does everywhere, which shows in that it is as common or commoner than the
    word it stands for, or not a word of these documents at all.
    """
    draw = random.Random(f"words {seed}")
    left = most
    found = _DOING.match(question)
    start = 0
    if found:
        start = found.end()
        verb = found["verb"]
        if stem(verb) in held and verb in VERBS:
            other = _pick(VERBS[verb], held, draw)
            if other:
                question = f"{found['before']}{other}{question[start:]}"
                start = len(found["before"]) + len(other)
                left -= 1
    words = list(_WORD.finditer(question, start))
    draw.shuffle(words)
    swaps: dict[tuple[int, int], str] = {}
    for word in words:
        if len(swaps) >= left:
            break
        plain, ending = singular(word[0])
        if not _ALONE_BEFORE.search(question[: word.start()]) or not _ALONE_BEHIND.match(question, word.end()):
            continue  # it is a part of a term
        if plain not in NOUNS or stem(word[0]) not in held:
            continue
        other = _pick(NOUNS[plain], held, draw)
        if other and _is_safe(other, word[0], frequency):
            swaps[word.span()] = plural_of(other) if ending else other
    for (left_end, right_end), other in sorted(swaps.items(), reverse=True):
        question = question[:left_end] + other + question[right_end:]
    return re.sub(r"\b(a|an) (?=([A-Za-z]))", _article, question)


def _pick(others: Sequence[str], held: frozenset[str], draw: random.Random) -> str:
    """One of the others that the evidence does not hold; empty where it holds all."""
    fresh = [other for other in others if not held & set(content_terms(other))]
    return draw.choice(fresh) if fresh else ""


def _is_safe(other: str, word: str, frequency: Callable[[str], int]) -> bool:
    own = frequency(stem(word))
    found = [frequency(term) for term in content_terms(other)]
    return not any(found) or min(found) * 4 >= own


def _article(found: re.Match[str]) -> str:
    vowel = found[2].lower() in "aeio" and found[2].islower()
    return f"{'an' if vowel else 'a'} " if found[2].islower() else found[0]
