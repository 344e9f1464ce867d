"""Questions of a test set to decide on, on the screen and as a sheet; and how far people agree."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from rich.console import Group, RenderableType
from rich.text import Text

from ...api.records import EDITED, KEEP, REJECT, UNDONE, UNSURE, overlap, question_line
from ...core.errors import BadInput
from ...core.visible import visible
from ..screen import shortened
from .session import Act, Choice

if TYPE_CHECKING:
    from ...api.records import Decision, Question, QuestionReview, Spot

WHY = ("unclear", "nobody asks that", "the answer is wrong", "the evidence is wrong", "asked elsewhere")
CHOICES = (
    Choice("y", KEEP, "question and evidence are right, as they stand here"),
    Choice("n", REJECT, "it should not be asked", WHY),
    Choice("x", UNSURE),
)
_QUESTION = Act("e", "question", "question", "edit the question")
_ANSWER = Act("a", "answer", "answer", "edit the answer")
_TOGGLE = Act("123456789", "place", "", "take a place for evidence; again: leave it (or, of several needs, the next)")
_SEARCH = Act("/", "search", "words to search the documents for", "search the documents for another place")
_MOVE = Act("lsb", "longer, shorter, before", "", "the place taken last: a sentence more, one less, one more before it")
_NOTHING = Act("0", "nothing answers", "", "leave every place: nothing answers the question")
_ACTS = (_TOGGLE, _QUESTION, _ANSWER, _SEARCH, _MOVE, _NOTHING)
_SPOTS = 9
_LONG = 1500  # characters of a question or an answer that the screen shows


class QuestionMatter:
    """Questions of a test set as a matter to decide on (see `session.Matter`)."""

    choices = CHOICES
    acts = _ACTS
    judge = "the judge's word"
    blind = False

    def __init__(self, review: QuestionReview) -> None:
        self._ledger = review.ledger
        self._order = review.order
        self._spots = review.spots
        self._shown: dict[int, list[Spot]] = {}
        self._last: dict[int, int] = {}

    def __len__(self) -> int:
        return len(self._order)

    def shown(self, place: int, width: int) -> RenderableType:
        """Question, answer, and the places with the text around them: taken ones are filled in."""
        at = self._order[place]
        try:
            question = self._ledger.current(at)
        except BadInput as error:
            return Text(visible(str(error)), style="red")
        meta = question.meta
        parts: list[RenderableType] = [
            Text(visible(question.question[:_LONG]), style="bold"),
            Text(visible(f"{question.id} · {question_line(self._row(question))}"), style="dim"),
        ]
        if meta.get("as_asked"):
            parts.append(Text(visible(f"asked as “{meta['as_asked']}”, after “{meta.get('after', '')}”"), style="dim"))
        if meta.get("wordings"):
            parts.append(Text(visible("also: " + " | ".join(map(str, meta["wordings"]))[:300]), style="dim"))
        for who, said in sorted(self._others(at).items()):
            reason = f" ({said.reason})" if said.reason else ""
            parts.append(Text(visible(f"{who} said: {said.decision}{reason}"), style="magenta"))
        answer = visible(question.answer[:_LONG]) or "–"
        parts.append(Text.assemble(("answer  ", "cyan"), answer))
        spots = self._of(at)
        if isinstance(meta.get("near"), str) and not question.needs:
            parts.append(Text.assemble(("near    ", "cyan"), visible(meta["near"][:200])))
        if question.hide and question.needs:
            parts.append(Text.assemble(("hidden  ", "cyan"), visible(_in_lines(question.hide[0].quote)[:200])))
        if not any(spot.need >= 0 for spot in spots):
            hint = "" if spots else "; / looks for a place"
            parts.append(Text(f"no place is taken: nothing answers it{hint}", style="yellow"))
        for number, spot in enumerate(spots[:_SPOTS], 1):
            parts.append(self._spot(number, spot, question))
        if len(spots) > _SPOTS:
            parts.append(Text(f"\n… and {len(spots) - _SPOTS} more places", style="dim"))
        return Group(*parts)

    def _row(self, question: Question) -> Mapping[str, Any]:
        return {"kind": question.kind, "by": question.by, "meta": question.meta}

    def _spot(self, number: int, spot: Spot, question: Question) -> RenderableType:
        taken = spot.need >= 0
        shown = self._spots.shown(spot, 320 if taken else 90)
        head = Text(f"\n{number} {'●' if taken else '○'} ", style="bold green" if taken else "dim")
        if taken and len(question.needs) > 1:
            fact = question.needs[spot.need].fact if spot.need < len(question.needs) else ""
            head.append(f"need {spot.need + 1}, {visible(shortened(fact, 60))}  ", style="bold green")
        head.append(visible(f"{spot.doc}  {shown.source}"), style="cyan")
        if shown.page:
            head.append(f"  page {visible(shown.page)}", style="cyan")
        if spot.level >= 0:
            head.append(f"  answers to {spot.level} of 3", style="dim")
        body = Text(visible(_in_lines(shown.before)), style="dim")
        body.append(" " if body else "")
        body.append(visible(_in_lines(shown.quote)), style="reverse" if taken else "underline")
        body.append(f" {visible(_in_lines(shown.after))}", style="dim")
        return Group(head, body)

    def _others(self, at: int) -> Mapping[str, Decision]:
        said = self._ledger.said.get(self._ledger.filed(at).key, {}) if self._ledger.said else {}
        return {who: each for who, each in said.items() if who != self._ledger.who and self._ledger.mine.get(at)}

    def revealed(self, place: int) -> RenderableType:
        """How sure the judge is, and what it takes for nearest."""
        question = self._ledger.filed(self._order[place])
        sure = question.meta.get("confidence")
        if not isinstance(sure, (int, float)):
            return Text(f"\n{question.by}: wrote it; no judge looked at it", style="magenta")
        word = "these places answer it" if question.needs else "nothing answers it"
        return Text(f"\n{question.by}: {word}, sure to {sure:.2f}", style="magenta")

    def decided(self, place: int) -> str:
        """The person's decision that stands; a change alone is none."""
        found = self._ledger.mine.get(self._order[place])
        return found.decision if found and found.decision != EDITED else ""

    def decide(self, place: int, decision: str, reason: str) -> None:
        """Writes it down, with what was changed."""
        at = self._order[place]
        self._ledger.decide(at, decision, reason, self._ledger.current(at))

    def undo(self, place: int) -> None:
        """Takes the decision and all changes back."""
        at = self._order[place]
        if at in self._ledger.mine:
            self._ledger.decide(at, UNDONE, "", self._ledger.filed(at))
        self._shown.pop(at, None)

    def draft(self, place: int, act: Act, key: str) -> str:
        """The words that are to be changed."""
        question = self._ledger.current(self._order[place])
        if act is _SEARCH:
            return "" if self._of(self._order[place]) else question.question
        return {_QUESTION.keys: question.question, _ANSWER.keys: question.answer}.get(act.keys, "")

    def do(self, place: int, act: Act, key: str, text: str) -> str:
        """Changes the question, its answer or its places."""
        at = self._order[place]
        try:
            question = self._ledger.current(at)
        except BadInput as error:
            return str(error)
        spots = list(self._of(at))
        if act in (_QUESTION, _ANSWER):
            field = "question" if act is _QUESTION else "answer"
            if act is _QUESTION and not text:
                return "a question can't be empty"
            self._change(
                at, replace(question, question=text) if field == "question" else replace(question, answer=text)
            )
            return f"{field} changed"
        if act is _SEARCH:
            new = [spot for spot in self._spots.found(text) if all(not overlap(spot, each) for each in spots)]
            taken = [spot for spot in spots if spot.need >= 0]
            self._shown[at] = [*taken, *new, *(spot for spot in spots if spot.need < 0)]
            return f"{len(new)} more places" if new else "no other place was found"
        if act is _NOTHING:
            spots = [replace(spot, need=-1) for spot in spots]
        elif act is _TOGGLE:
            number = int(key) - 1
            if number >= min(len(spots), _SPOTS):
                return f"there are places 1 to {min(len(spots), _SPOTS)}"
            spots[number] = self._toggled(question, spots[number])
            self._last[at] = number
        else:
            number = self._last.get(at, next((n for n, spot in enumerate(spots) if spot.need >= 0), -1))
            if not 0 <= number < len(spots) or spots[number].need < 0:
                return "take a place first"
            moved = self._spots.moved(spots[number], {"l": "longer", "s": "shorter", "b": "earlier"}[key])
            if moved == spots[number]:
                return "there is no sentence more" if key != "s" else "it is one sentence alone"
            spots[number] = moved
        self._change(at, self._spots.with_spots(question, spots))
        left = sorted({spot.need for spot in spots if spot.need >= 0})  # a need that lost its last place is gone
        self._shown[at] = [replace(spot, need=left.index(spot.need)) if spot.need >= 0 else spot for spot in spots]
        return ""

    def _toggled(self, question: Question, spot: Spot) -> Spot:
        """A place off, or on for the first need, or for the next one where a question asks several things."""
        parts = question.meta.get("parts")
        count = max(1, len(question.needs), len(parts) if isinstance(parts, list) else 0)
        return replace(spot, need=spot.need + 1 if spot.need + 1 < count else -1)

    def _change(self, at: int, question: Question) -> None:
        before = self._ledger.mine.get(at)
        decision = before.decision if before else EDITED
        self._ledger.decide(at, decision, before.reason if before else "", question)

    def _of(self, at: int) -> list[Spot]:
        if at not in self._shown:
            self._shown[at] = self._spots.of(self._ledger.current(at))
        return self._shown[at]


def _in_lines(text: str) -> str:
    """Lines of a document side by side, such as rows of a table."""
    return " / ".join(" ".join(line.split()) for line in text.split("\n") if line.strip())
