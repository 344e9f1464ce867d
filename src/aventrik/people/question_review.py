"""The questions of a test set as a person decides on them: kept, rejected, changed in wording, answer or places."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from ..core.errors import BadInput
from ..core.testsets import Question
from ..core.testsets.deciding import order_of
from ..execution.open_workspace import OpenWorkspace
from ..workspace.deciding import EDITED, KEEP, QUESTION, REJECT, UNSURE, changed, differences
from ..workspace.reviews import UNDONE, Decision, Reviews, now
from ..workspace.testsets import load_rows, load_testset, question_with
from .question_agreement import QuestionAgreement, decided
from .spots import Spot, Spots

_KEY = 16  # figures of a question's key by which its line is found again
_NONE = ("none", "no", "-", "0")
_PLACE = re.compile(r"^(?P<number>\d+)\*? (?P<doc>.+?)(?:, page [^:\n]*)?: (?P<quote>.*)$", re.MULTILINE)
_EDITS = ("new question", "new answer", "new places")


class Ledger:
    """The lines of a test set as a person decides on them: parsed when they are looked at, with that person's own changes."""

    def __init__(self, path: Path, rows: Sequence[tuple[int, dict[str, Any]]], reviews: Reviews, who: str) -> None:
        self.path = path
        self.rows = rows
        self.who = who
        self.reviews = reviews
        self._questions: dict[int, Question] = {}
        said = reviews.last(QUESTION)
        self.said = said
        mine = {each[who].claim for each in said.values() if who in each}
        self.mine: dict[int, Decision] = {}
        if mine:
            for place, (_, row) in enumerate(rows):
                if row["question"] in mine:
                    found = said.get(self.filed(place).key, {}).get(who)
                    if found is not None:
                        self.mine[place] = found

    def filed(self, place: int) -> Question:
        """A question as it stands in the file; raises `BadInput` for a line that is no question."""
        if place not in self._questions:
            number, row = self.rows[place]
            self._questions[place] = question_with(row, f"{self.path}, line {number}")
        return self._questions[place]

    def current(self, place: int) -> Question:
        """A question with this person's changes."""
        mine = self.mine.get(place)
        return changed(self.filed(place), mine.now) if mine is not None and mine.now else self.filed(place)

    def decision(self, place: int, decision: str, reason: str, question: Question) -> Decision:
        """A decision as it is written down, with what was changed by it. The judge's word stands on the screen."""
        filed, before = self.filed(place), self.mine.get(place)
        was, after = differences(filed, question)
        return Decision(
            what=QUESTION,
            item=filed.key,
            run="",
            testset=self.path.stem,
            question=filed.id,
            claim=filed.question,
            who=self.who,
            when=now(),
            decision=decision,
            reason=reason,
            before=before.decision if before else "",
            blind=False,
            was=was,
            now=after,
        )

    def decide(self, place: int, decision: str, reason: str, question: Question) -> None:
        """Writes down what was decided."""
        made = self.decision(place, decision, reason, question)
        self.reviews.add(made)
        if decision == UNDONE:
            self.mine.pop(place, None)
        else:
            self.mine[place] = made


class QuestionReview:
    """Questions of a test set in the order in which a person looks at them; `order` gives their places in the file. See
    `reviewing.Review`."""

    columns = ("item", "id", "question", "answer", "kind", "places", "decision", "reason", *_EDITS)
    said = (KEEP, REJECT, UNSURE)

    def __init__(self, opened: OpenWorkspace, ledger: Ledger, order: Sequence[int], seed: int = 0) -> None:
        self.ledger = ledger
        self.order = order
        self.spots = Spots(opened)
        self._opened = opened
        self._seed = seed

    def __len__(self) -> int:
        return len(self.order)

    def cells(self, place: int) -> Sequence[str]:
        """The question with its places numbered; a * marks those that are taken."""
        at = self.order[place]
        question, mine = self.ledger.current(at), self.ledger.mine.get(at)
        decision = mine.decision if mine and mine.decision != EDITED else ""
        return (
            self.ledger.filed(at).key[:_KEY], question.id, question.question, question.answer, question.kind,
            "\n".join(self._spot_line(number, spot) for number, spot in enumerate(self.spots.of(question), 1)),
            decision, mine.reason if mine else "", "", "", "",
        )  # fmt: skip

    def _spot_line(self, number: int, spot: Spot) -> str:
        shown = self.spots.shown(spot, 0)
        page = f", page {shown.page}" if shown.page else ""
        taken = "*" if spot.need >= 0 else ""
        return f"{number}{taken} {spot.doc}{page}: {' '.join(shown.quote.split())}"

    def mine(self, place: int) -> Decision | None:
        """The person's decision that stands; a change alone is none."""
        found = self.ledger.mine.get(self.order[place])
        return found if found and found.decision != EDITED else None

    def places(self, rows: Iterable[Mapping[str, str]]) -> Mapping[str, int]:
        """Places in the file: a sheet may hold more than is asked about now."""
        wanted = {row["id"] for row in rows}
        return {
            self.ledger.filed(at).key[:_KEY]: at
            for at, (_, row) in enumerate(self.ledger.rows)
            if row["id"] in wanted or not wanted - {""}
        }

    def edits(self, row: Mapping[str, str]) -> bool:
        """Whether wording, answer or places are to be changed."""
        return any(row[name].strip() for name in _EDITS)

    def taken(self, place: int, said: str, reason: str, row: Mapping[str, str], where: str) -> Decision | None:
        """What a row decides and changes."""
        now_, before = self.ledger.current(place), self.ledger.mine.get(place)
        question = self._changed(row, now_, where)
        decision = said or (before.decision if before else EDITED)
        if before and (before.decision, before.reason) == (decision, reason) and question == now_:
            return None
        made = self.ledger.decision(place, decision, reason, question)
        self.ledger.mine[place] = made
        return made

    def add(self, decisions: Sequence[Decision]) -> None:
        """Writes decisions down."""
        self.ledger.reviews.add_all(list(decisions))

    def result(self) -> QuestionAgreement:
        """What all decisions on the test set come to."""
        name = self.ledger.path.stem
        filed = {question.id: question for question in load_testset(self.ledger.path)}
        return decided(self._opened.testset(name), filed, self._seed)

    def _changed(self, row: Mapping[str, str], question: Question, where: str) -> Question:
        if text := " ".join(row["new question"].split()):
            question = replace(question, question=text)
        if text := row["new answer"].strip():
            question = replace(question, answer=text)
        said = row["new places"].strip()
        if not said:
            return question
        known = self.spots.of(question)
        if said.lower() in _NONE:
            return self.spots.with_spots(question, [replace(spot, need=-1) for spot in known])
        if re.fullmatch(r"\d+(?:[\s,;]+\d+)*", said):
            numbers = re.findall(r"\d+", said)
            return self.spots.with_spots(question, self._numbered(row["places"], numbers, known, where))
        doc, colon, quote = said.partition(": ")
        if not colon:
            raise BadInput(f"{where}: new places: must be numbers such as '1 3', 'none', or 'document: its words'")
        new = self._by_quote(doc.strip(), quote.strip(), where)
        return self.spots.with_spots(question, [*(replace(spot, need=-1) for spot in known), replace(new, need=0)])

    def _by_quote(self, doc: str, quote: str, where: str) -> Spot:
        try:
            return self.spots.by_quote(doc, quote)
        except BadInput as error:
            raise BadInput(f"{where}: new places: {error}") from None

    def _numbered(self, listed: str, numbers: Sequence[str], known: Sequence[Spot], where: str) -> list[Spot]:
        """The places of a question, those taken that the sheet lists under some numbers: found by what stands there, since
        their order may be another by now."""
        places = {found["number"]: (found["doc"], found["quote"].strip()) for found in _PLACE.finditer(listed)}
        if any(number not in places for number in numbers):
            raise BadInput(f"{where}: new places: there are places 1 to {len(places)}")
        wanted = [places[number] for number in dict.fromkeys(numbers)]
        chosen, left = [], list(wanted)
        for spot in known:
            told = (spot.doc, " ".join(self.spots.shown(spot, 0).quote.split()))
            if told in left:
                left.remove(told)
            chosen.append(replace(spot, need=max(0, spot.need) if told in wanted else -1))
        chosen.extend(replace(self._by_quote(doc, quote, where), need=0) for doc, quote in left)
        return chosen


def question_review(
    opened: OpenWorkspace, testset: str, who: str, count: int | None = None, seed: int = 0
) -> QuestionReview:
    """The questions of a test set for one person, doubtful ones first; raises `BadInput` for one that there is not."""
    path = opened.workspace.testset_path(testset)
    rows = load_rows(path)
    ledger = Ledger(path, rows, opened.workspace.reviews, who)
    return QuestionReview(opened, ledger, order_of([row for _, row in rows], seed)[:count], seed)
