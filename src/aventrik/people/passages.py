"""Passages that people label as fit to be asked about or not, beside what the filter of a draft says of them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass
from itertools import combinations, islice
from pathlib import Path
from typing import Any

from ..core.documents.relocating import relocated
from ..core.documents.spans import Range
from ..core.errors import BadInput
from ..core.judging.agreement import Pair, RaterAgreement, agreement
from ..core.protocols import LanguageModel, Task
from ..core.testsets.drafting.fitness import FIT, unfit
from ..core.testsets.drafting.sampling import Passage, spread
from ..execution.open_workspace import OpenWorkspace
from ..models.prompts import fenced, load_prompt
from ..workspace.files import write_whole
from ..workspace.reviews import UNDONE, Decision, Reviews, now
from .teaching import with_cases, without_cases

PASSAGE = "passage"
SAYS = ("fit", "unfit")
CANT_TELL = "can't tell"
_LOOKED_AT = 8  # passages that are looked at for each one in a sample, to find enough that the filter passes over
_HELD = 6  # held-out passages below which nothing can be said
_SHOWN = 700  # characters of a passage that is an example in a prompt


@dataclass(frozen=True)
class LabelledPassage:
    """A passage of a sample: its key, where it is, what the filter says of it ("fit", "unfit") and why, and how much it
    stands for: the share of its kind in the corpus ÷ that in the sample."""

    key: str
    passage: Passage
    word: str
    reason: str
    weight: float


def writer_of(opened: OpenWorkspace) -> LanguageModel:
    """The model that writes questions, which grades passages when it is not the built-in one."""
    return opened.models.role("writer")


def sample_of(opened: OpenWorkspace, count: int, seed: int) -> list[LabelledPassage]:
    """Passages from all over the corpus, in an order that the seed decides: as many that the filter lets pass as that it
    passes over, where there are enough. Raises `BadInput` for an empty corpus."""
    fetch = opened.corpus.document
    looked = list(islice(spread(opened.corpus.names(), fetch, seed), _LOOKED_AT * count))
    if not looked:
        raise BadInput("the documents hold no text: there is no passage to look at")
    words = filtered(opened, looked)
    groups: dict[str, list[int]] = {word: [] for word in SAYS}
    for place, (word, _) in enumerate(words):
        groups[word].append(place)
    half = count // 2
    few = min(len(groups["unfit"]), half)
    many = min(len(groups["fit"]), count - few)
    chosen = {"unfit": groups["unfit"][: count - many], "fit": groups["fit"][:many]}
    total = sum(map(len, chosen.values()))
    made = []
    for place in sorted(place for places in chosen.values() for place in places):
        word, reason = words[place]
        weight = (len(groups[word]) / len(looked)) / (len(chosen[word]) / total)
        made.append(LabelledPassage(looked[place].key, looked[place], word, reason, weight))
    return made


def filtered(opened: OpenWorkspace, passages: Sequence[Passage], wording: str = "") -> list[tuple[str, str]]:
    """What the filter of a draft says of each passage, and why: its rules, and the grade of a writer that reads."""
    found: list[tuple[str, str]] = []
    for each in passages:
        reason = unfit(opened.corpus.document(each.doc), each.start, each.start + len(each.text))
        found.append(("unfit", reason) if reason else ("fit", ""))
    writer = writer_of(opened)
    if writer.name == "offline":
        return found
    asked = [place for place, (word, _) in enumerate(found) if word == "fit"]
    replies = writer.perform([Task("fitness", passages[place].fields, wording) for place in asked])
    for place, reply in zip(asked, replies):
        if reply.value is not None:
            grade = int(reply.value["grade"])
            found[place] = ("fit" if grade >= FIT else "unfit", f"graded {grade} of 3: {reply.value['reason']}")
    return found


@dataclass(frozen=True)
class PassageAgreement:
    """How many passages have a label, fit and unfit; how far the filter agrees with people, and people with each other;
    what they see otherwise: passage, filter's word and reason, person and label."""

    labelled: int
    fit: int
    unfit: int
    filter: RaterAgreement | None
    people: tuple[tuple[str, str, RaterAgreement], ...]
    otherwise: tuple[tuple[str, int, str, str, str, str, str], ...]

    def as_json(self) -> dict[str, Any]:
        """The documented shape of `review --passages --json`."""
        names = ("document", "start", "passage", "filter", "reason", "who", "label")
        return asdict(self) | {
            "people": [{"one": one, "other": other, **asdict(found)} for one, other, found in self.people],
            "otherwise": [dict(zip(names, row)) for row in self.otherwise],
        }


def agreed(sample: Sequence[LabelledPassage], reviews: Reviews, seed: int = 0) -> PassageAgreement:
    """The labels of people beside the filter's word, on a sample."""
    said = reviews.last(PASSAGE)
    pairs, otherwise = [], []
    counts = dict.fromkeys(SAYS, 0)
    mine = [(each, said[each.key]) for each in sample if each.key in said]
    for each, people in mine:
        sure = [one for one in people.values() if one.decision in SAYS]
        for one in sure:
            counts[one.decision] += 1
            pairs.append(
                Pair(each.word, one.decision, weight=each.weight / len(sure), cluster=each.passage.doc, who=one.who)
            )
            if one.decision != each.word:
                otherwise.append(
                    (
                        each.passage.doc,
                        each.passage.start,
                        each.passage.text,
                        each.word,
                        each.reason,
                        one.who,
                        one.decision,
                    )
                )
    names = sorted({who for _, people in mine for who in people})
    between = []
    for who, other in combinations(names, 2):
        both = [
            Pair(people[who].decision, people[other].decision, cluster=each.passage.doc)
            for each, people in mine
            if who in people and other in people and {people[who].decision, people[other].decision} <= set(SAYS)
        ]
        if both:
            between.append((who, other, agreement(both, SAYS)))
    return PassageAgreement(
        len(mine), counts["fit"], counts["unfit"], agreement(pairs, SAYS) if pairs else None, tuple(between),
        tuple(otherwise),
    )  # fmt: skip


def labels_of(opened: OpenWorkspace) -> tuple[dict[str, list[Range]], frozenset[str]]:
    """What people said of passages, for a draft: by document the ranges that all who looked call unfit, and the keys of
    passages that all call fit."""
    away: dict[str, list[Range]] = {}
    sound = set()
    known = set(opened.corpus.names())
    for key, people in opened.workspace.reviews.last(PASSAGE).items():
        words = {each.decision for each in people.values()} & set(SAYS)
        if words == {"fit"}:
            sound.add(key)
        elif words == {"unfit"}:
            one = next(iter(people.values()))
            if one.question in known:
                found = relocated(one.claim, -1, -1, opened.corpus.document(one.question).text)
                place = found.place if found else None
                if place is not None:
                    away.setdefault(one.question, []).append(place)
    return away, frozenset(sound)


@dataclass(frozen=True)
class TaughtFilter:
    """Where the wording was written, how many passages stand in it, on how many others it was tried, and how far the
    writer's grades agree with people there, before and after."""

    path: Path
    examples: int
    held_out: int
    before: RaterAgreement
    after: RaterAgreement

    def as_json(self) -> dict[str, Any]:
        """The documented shape of `review --passages --teach --json`."""
        return asdict(self) | {"path": str(self.path)}


def teach_filter(
    opened: OpenWorkspace, sample: Sequence[LabelledPassage], reviews: Reviews, count: int, seed: int = 0
) -> TaughtFilter:
    """Writes prompts/fitness.txt with up to `count` labelled passages, at most half of those there are, those that the
    filter has otherwise first, fit and unfit in turn; and has the others graded in both wordings. Raises `BadInput` for a
    writer without a prompt, and for too few labels."""
    writer = writer_of(opened)
    if not hasattr(writer, "prompt"):
        raise BadInput(
            f"the writer '{writer.name}' has no prompt that examples could stand in; name a model that reads as writer"
        )
    decided = []
    for each in sample:
        words = {one.decision for one in reviews.last(PASSAGE).get(each.key, {}).values()} & set(SAYS)
        if len(words) == 1 and not unfit(
            opened.corpus.document(each.passage.doc), each.passage.start, each.passage.start + len(each.passage.text)
        ):
            decided.append((each, words.pop()))
    chosen = _chosen(decided, min(count, len(decided) // 2))
    used = {each.key for each, _ in chosen}
    held = [(each, word) for each, word in decided if each.key not in used]
    if not chosen or len(held) < _HELD:
        raise BadInput(
            f"{len(decided)} passages that the rules let pass are labelled: too few to give some as examples and try it on "
            "others"
        )
    plain = without_cases(load_prompt("fitness", opened.workspace.prompts).text)
    cases = [
        fenced(f"case {number}", f"{' '.join(each.passage.text.split())[:_SHOWN]}\ngrade: {3 if word == 'fit' else 0}")
        for number, (each, word) in enumerate(chosen, 1)
    ]
    text = with_cases(plain, "\n".join(cases), r"\$\{?(title|headings|passage)\b")
    before, after = (_agreeing(opened, held, wording) for wording in (plain, text))
    path = opened.workspace.prompts / "fitness.txt"
    write_whole(path, text)
    return TaughtFilter(path, len(chosen), len(held), before, after)


def _chosen(decided: Sequence[tuple[LabelledPassage, str]], count: int) -> list[tuple[LabelledPassage, str]]:
    ordered = sorted(decided, key=lambda pair: pair[0].word == pair[1])
    found: list[tuple[LabelledPassage, str]] = []
    while len(found) < count:
        left = [pair for pair in ordered if pair not in found]
        if not left:
            break
        words = [word for _, word in found]
        found.append(min(left, key=lambda pair: (words.count(pair[1]), ordered.index(pair))))
    return found


def _agreeing(opened: OpenWorkspace, held: Sequence[tuple[LabelledPassage, str]], wording: str) -> RaterAgreement:
    words = filtered(opened, [each.passage for each, _ in held], wording)
    return agreement([Pair(word, said, cluster=each.passage.doc) for (word, _), (each, said) in zip(words, held)], SAYS)


class PassageReview:
    """A sample of passages as one person labels them. See `reviewing.Review`."""

    columns = ("item", "document", "headings", "passage", "decision", "reason")
    said = (*SAYS, CANT_TELL)

    def __init__(self, opened: OpenWorkspace, sample: Sequence[LabelledPassage], who: str, seed: int = 0) -> None:
        self.sample = sample
        self._reviews = opened.workspace.reviews
        self._who = who
        self._seed = seed
        last = self._reviews.last(PASSAGE)
        self._mine = {each.key: last[each.key][who] for each in sample if who in last.get(each.key, {})}

    def __len__(self) -> int:
        return len(self.sample)

    def cells(self, place: int) -> Sequence[str]:
        """The passage under its headings."""
        each, mine = self.sample[place], self.mine(place)
        return (
            each.key, each.passage.doc, " › ".join(each.passage.headings), each.passage.text,
            mine.decision if mine else "", mine.reason if mine else "",
        )  # fmt: skip

    def mine(self, place: int) -> Decision | None:
        """The label that stands."""
        return self._mine.get(self.sample[place].key)

    def places(self, rows: Iterable[Mapping[str, str]]) -> Mapping[str, int]:
        """Places in the sample."""
        return {each.key: place for place, each in enumerate(self.sample)}

    def edits(self, row: Mapping[str, str]) -> bool:
        """Nothing can be changed."""
        return False

    def taken(self, place: int, said: str, reason: str, row: Mapping[str, str], where: str) -> Decision | None:
        """What a row decides."""
        before = self.mine(place)
        same = before is not None and (before.decision, before.reason) == (said, reason)
        return None if same else self._decision(place, said, reason)

    def _decision(self, place: int, decision: str, reason: str) -> Decision:
        each, before = self.sample[place], self.mine(place)
        return Decision(
            what=PASSAGE,
            item=each.key,
            run="",
            testset="",
            question=each.passage.doc,
            claim=each.passage.text,
            who=self._who,
            when=now(),
            decision=decision,
            reason=reason,
            before=before.decision if before else "",
        )

    def decide(self, place: int, decision: str, reason: str = "") -> None:
        """Writes a label down."""
        self.add([self._decision(place, decision, reason)])

    def undo(self, place: int) -> None:
        """Takes a label back."""
        if self.mine(place) is not None:
            self._reviews.add(self._decision(place, UNDONE, ""))
            del self._mine[self.sample[place].key]

    def add(self, decisions: Sequence[Decision]) -> None:
        """Writes labels down."""
        self._reviews.add_all(list(decisions))
        self._mine.update({each.item: each for each in decisions})

    def result(self) -> PassageAgreement:
        """What all labels on the sample come to."""
        return agreed(self.sample, self._reviews, self._seed)


def passage_review(opened: OpenWorkspace, count: int, who: str, seed: int = 0) -> PassageReview:
    """A sample of passages for one person to label; raises `BadInput` for an empty corpus."""
    return PassageReview(opened, sample_of(opened, count, seed), who, seed)
