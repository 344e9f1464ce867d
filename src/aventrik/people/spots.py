"""What a person is shown of a question of a test set, and what becomes of it: its places in the documents, chosen or
proposed, moved, found by words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any

from ..core.documents import Document
from ..core.documents.relocating import relocated
from ..core.documents.spans import Range
from ..core.errors import BadInput
from ..core.testsets import Need, Question, Quoted, placed
from ..core.text import sentences
from ..execution.open_workspace import OpenWorkspace

if TYPE_CHECKING:
    from ..runs.pooling import Pool

AROUND = 320  # characters before and after the evidence that are shown with it
FACT = 200  # characters of the evidence that stand for a fact which nobody worded
FOUND = 5  # places that a search by words gives


@dataclass(frozen=True)
class Spot:
    """A place that may answer: `need` is the number of the need that it serves, −1 for none; `level` what a judge gave it,
    −1 where none did; `lost` says why it stands nowhere, and `words` what was quoted there."""

    doc: str
    start: int
    end: int
    need: int = -1
    level: int = -1
    lost: str = ""
    words: str = ""


@dataclass(frozen=True)
class Shown:
    """A spot with the text around it: title and headings, page ("" where there are none), the text before, the evidence,
    the text behind."""

    source: str
    page: str
    before: str
    quote: str
    after: str


class Spots:
    """The places of questions in a workspace's documents."""

    def __init__(self, opened: OpenWorkspace) -> None:
        self._opened = opened
        self._documents: dict[str, Document | None] = {}

    def of(self, question: Question) -> list[Spot]:
        """The places of a question's needs, then those that were proposed for it, each once."""
        found: list[Spot] = []
        for number, need in enumerate(question.needs):
            found.extend(self._placed(quoted, number) for quoted in need.spans)
        proposed = question.meta.get("proposed", ())
        for row in proposed if isinstance(proposed, list) else ():
            spot = self._proposed(row)
            if spot is None:
                continue
            same = next((n for n, each in enumerate(found) if overlap(each, spot)), None)
            if same is not None:
                found[same] = replace(found[same], level=max(found[same].level, spot.level))
            else:
                found.append(spot)
        return found

    def _placed(self, quoted: Quoted, need: int) -> Spot:
        document = self.document(quoted.doc)
        if document is None:
            return Spot(quoted.doc, -1, -1, need, lost="the document is not in the corpus", words=quoted.quote)
        found = placed(quoted, document.text, document.innermost_heading)
        if found is None:
            return Spot(quoted.doc, -1, -1, need, lost="its words no longer stand there", words=quoted.quote)
        now, _ = found
        return Spot(quoted.doc, now.start, now.end, need)

    def _proposed(self, row: Any) -> Spot | None:
        if not isinstance(row, dict) or not isinstance(row.get("doc"), str):
            return None
        start, end, level = row.get("start"), row.get("end"), row.get("level", -1)
        if not (isinstance(start, int) and isinstance(end, int) and isinstance(level, int) and 0 <= start < end):
            return None
        document = self.document(row["doc"])
        if document is None:
            return None
        begins = str(row.get("quote", ""))
        if document.text[start : start + len(begins)] == begins and end <= len(document.text):
            return Spot(row["doc"], start, end, level=level)
        found = relocated(begins, start, start + len(begins), document.text)
        if found is None:
            return None
        first = found.place[0]
        return Spot(row["doc"], first, min(len(document.text), first + end - start), level=level)

    def document(self, name: str) -> Document | None:
        """A document by name; None where the corpus does not have it."""
        if name not in self._documents:
            if len(self._documents) > 256:
                self._documents.clear()
            try:
                self._documents[name] = self._opened.corpus.document(name)
            except KeyError:
                self._documents[name] = None
        return self._documents[name]

    def shown(self, spot: Spot, around: int = AROUND) -> Shown:
        """A spot with the text around it; one that is lost, with the reason."""
        document = self.document(spot.doc)
        if document is None or spot.lost:
            return Shown(spot.doc, "", "", spot.words, f"  ({spot.lost})")
        text = document.text
        left = max(0, spot.start - around)
        right = min(len(text), spot.end + around)
        left = text.find(" ", left, spot.start) + 1 or left if left else 0
        cut = text.rfind(" ", spot.end, right) if right < len(text) else right
        right = cut if cut > 0 else right
        path = " › ".join(dict.fromkeys([document.title or spot.doc, *document.heading_path(spot.start)]))
        page = next((part.label for part in document.of_kind("page") if part.start <= spot.start < part.end), "")
        return Shown(path, page, text[left : spot.start], text[spot.start : spot.end], text[spot.end : right])

    def moved(self, spot: Spot, which: str) -> Spot:
        """A spot with a sentence more behind ("longer") or before it ("earlier"), or without its last one ("shorter")."""
        document = self.document(spot.doc)
        if document is None or spot.lost:
            return spot
        text = document.text
        if which == "shorter":
            inside = [(spot.start + a, spot.start + b) for a, b in sentences(text[spot.start : spot.end])]
            return replace(spot, end=inside[-2][1]) if len(inside) > 1 else spot
        if which == "longer":
            after = next(sentences(text, spot.end, min(len(text), spot.end + 3000)), None)
            return replace(spot, end=after[1]) if after else spot
        first = max(0, text.rfind("\n", 0, max(0, spot.start - 1500)) + 1)
        before = list(sentences(text, first, spot.start))
        return replace(spot, start=before[-1][0]) if before else spot

    @cached_property
    def _pool(self) -> Pool:
        from ..runs.pooling import Pool, pool_of  # all that searches, which looking alone does not take

        return Pool(self._opened, pool_of(self._opened, [], "none"))

    def found(self, words: str) -> list[Spot]:
        """Places that a search by words finds."""
        from ..core.testsets.locating.ranking import rank

        if not words.strip():
            return []
        [rows] = self._pool.lists([self._pool.spelt(words)])
        made = rank(words, "", rows, self._pool.document, FOUND)
        return [Spot(each.doc, *each.evidence) for each in made.proposals]

    def with_spots(self, question: Question, spots: Sequence[Spot]) -> Question:
        """A question whose needs are the spots that serve one; without any it is unanswerable. A fact, and an answer, that
        nobody worded but that quote the evidence quote the new one."""
        needs = []
        facts = ["" if need.fact == _quoted_fact(need) else need.fact for need in question.needs]
        parts = question.meta.get("parts")
        for number in sorted({spot.need for spot in spots if spot.need >= 0}):
            quoted = [self._quoted(spot) for spot in spots if spot.need == number]
            named = parts[number] if isinstance(parts, list) and number < len(parts) else ""
            fact = (facts[number] if number < len(facts) else str(named)) or quoted[0].quote[:FACT]
            needs.append(Need(fact, tuple(quoted)))
        answer = _quoted_answer(needs) if question.answer == _quoted_answer(question.needs) else question.answer
        kind = question.kind
        if not needs:
            kind = "unanswerable"
        elif kind == "unanswerable" or (len(needs) == 1 and kind == "joined"):
            kind = "joined" if len(needs) > 1 else "one-fact"
        elif len(needs) > 1 and kind == "one-fact":
            kind = "joined"
        return replace(question, needs=tuple(needs), kind=kind, answer=answer)

    def _quoted(self, spot: Spot) -> Quoted:
        if spot.lost:
            return Quoted(spot.doc, -1, -1, spot.words)
        document = self.document(spot.doc)
        assert document is not None
        return Quoted(spot.doc, spot.start, spot.end, document.text[spot.start : spot.end])

    def by_quote(self, doc: str, quote: str) -> Spot:
        """The spot of a quote in a document; raises `BadInput` where it stands nowhere there."""
        document = self.document(doc)
        if document is None:
            raise BadInput(f"the corpus has no document '{doc}'")
        found = relocated(quote, -1, -1, document.text)
        place: Range | None = found.place if found else None
        if place is None:
            raise BadInput(f"'{quote[:60]}' does not stand in {doc}")
        return Spot(doc, *place)


def overlap(one: Spot, other: Spot) -> bool:
    """Whether two places have something in common."""
    return one.doc == other.doc and one.start < other.end and other.start < one.end


def _quoted_fact(need: Need) -> str:
    return need.spans[0].quote[:FACT]


def _quoted_answer(needs: Sequence[Need]) -> str:
    return " ".join(dict.fromkeys(need.spans[0].quote for need in needs))


def question_line(row: Mapping[str, Any]) -> str:
    """What is known of a question beside its words: how often and when it was asked, how sure its places are."""
    meta = row.get("meta") or {}
    pieces = [str(row.get("kind", "")), f"by {row.get('by', 'person')}"]
    asked, months = meta.get("asked"), meta.get("months")
    if isinstance(asked, int) and asked > 1:
        when = f", {min(months)} to {max(months)}" if isinstance(months, dict) and len(months) > 1 else ""
        pieces.append(f"asked {asked} times{when}")
    if isinstance(meta.get("confidence"), (int, float)):
        pieces.append(f"sure to {meta['confidence']:.2f}")
    if isinstance(meta.get("difficulty"), dict) and meta["difficulty"].get("level"):
        pieces.append(f"{meta['difficulty']['level']} to find")
    return " · ".join(piece for piece in pieces if piece)
