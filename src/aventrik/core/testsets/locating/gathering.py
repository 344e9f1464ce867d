"""The entries of a log as different questions: plain, masked, standing alone, each with how often and when it was asked."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field

from .cleaning import masked, no_question, plain
from .folding import fold, wording_key
from .leaning import leans

_WORDINGS = 5  # other wordings of a question that are kept
_BEFORE = 4  # questions before one in its conversation that tell what it leans on

# (questions that lean, each with those before it) → each so that it stands alone
Standing = Callable[[Sequence[tuple[str, Sequence[str]]]], Sequence[str]]


@dataclass(frozen=True)
class LogEntry:
    """One entry of a log; `when` a day (ISO 8601) or "", `conversation` "" for none, `count` how often it was asked."""

    text: str
    when: str = ""
    conversation: str = ""
    count: int = 1


@dataclass(frozen=True)
class Enquiry:
    """A question as people ask it: in its commonest wording, in others, how often in all and in each month; as it was
    asked where it leant on one before; and the kinds of personal data that were masked."""

    question: str
    asked: int
    wordings: tuple[str, ...] = ()
    months: dict[str, int] = field(default_factory=dict)
    as_asked: str = ""
    after: str = ""
    masked: tuple[str, ...] = ()


@dataclass(frozen=True)
class FoldedLog:
    """What a log comes to: its enquiries, most asked first; why entries were passed over, with how often; how many
    entries were masked, leant on one before, and leant on one that the log does not have."""

    enquiries: tuple[Enquiry, ...]
    entries: int
    passed_over: dict[str, int]
    masked: int
    leaning: int
    unfounded: int


def gathered(entries: Sequence[LogEntry], standing: Standing, known: Iterable[str] = ()) -> FoldedLog:
    """Takes a log apart. `standing` makes questions that lean on those before them stand alone; `known` are words of the
    documents, which are no misspellings."""
    passed: Counter[str] = Counter()
    texts: list[str] = []
    kept: list[LogEntry] = []
    kinds: list[tuple[str, ...]] = []
    before: list[tuple[str, ...]] = []
    said: dict[str, list[str]] = {}
    lean: list[bool] = []
    cache: dict[str, tuple[str, tuple[str, ...], str, bool]] = {}
    for entry in entries:
        if entry.text not in cache:
            text, hidden = masked(plain(entry.text))
            reason = no_question(text)
            cache[entry.text] = (text, hidden, reason, not reason and leans(text))
        text, hidden, reason, leaning = cache[entry.text]
        if reason or not entry.count:
            passed[reason or "its count is 0"] += 1
            continue
        turns = said.setdefault(entry.conversation, []) if entry.conversation else []
        if turns and turns[-1] == text:
            turns = turns[:-1]
        texts.append(text)
        kept.append(entry)
        kinds.append(hidden)
        before.append(tuple(turns[-_BEFORE:]))
        lean.append(leaning)
        if entry.conversation:
            said[entry.conversation].append(text)
    places = [n for n, leaning in enumerate(lean) if leaning and before[n]]
    whole = dict(zip(places, standing([(texts[n], before[n]) for n in places]) if places else ()))
    final = [plain(whole.get(n, text)) or text for n, text in enumerate(texts)]
    stands = fold(final, [entry.count for entry in kept], known)
    groups: dict[int, list[int]] = {}
    for place, first in enumerate(stands):
        groups.setdefault(first, []).append(place)
    made = [_enquiry(group, final, texts, kept, kinds, before, whole) for group in groups.values()]
    made.sort(key=lambda each: -each.asked)
    return FoldedLog(
        tuple(made), len(entries), dict(passed.most_common()), sum(bool(hidden) for hidden in kinds), len(places),
        sum(leaning and not before[n] for n, leaning in enumerate(lean)),
    )  # fmt: skip


def _enquiry(
    group: Sequence[int],
    final: Sequence[str],
    texts: Sequence[str],
    kept: Sequence[LogEntry],
    kinds: Sequence[tuple[str, ...]],
    before: Sequence[tuple[str, ...]],
    whole: dict[int, str],
) -> Enquiry:
    counts: Counter[str] = Counter()
    months: Counter[str] = Counter()
    for place in group:
        counts[final[place]] += kept[place].count
        if kept[place].when:
            months[kept[place].when[:7]] += kept[place].count
    question = counts.most_common(1)[0][0]
    first = next(place for place in group if final[place] == question)
    seen = {wording_key(question)}
    others = []
    for wording, _ in counts.most_common():
        if wording_key(wording) not in seen:
            seen.add(wording_key(wording))
            others.append(wording)
    leant = first in whole and final[first] != texts[first]
    return Enquiry(
        question, sum(counts.values()), tuple(others[:_WORDINGS]), dict(sorted(months.items())),
        texts[first] if leant else "", before[first][-1] if leant else "",
        tuple(dict.fromkeys(kind for place in group for kind in kinds[place])),
    )  # fmt: skip
