"""The stages of a run that was brought: from what another system gave to what verdicts and scores are made of."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from urllib.parse import unquote

from ...core.answering import Answer
from ...core.brought import Brought, BroughtItem, answer_of, items_of
from ...core.brought.recognising import RecognisedPlace, recognised, repeated_names
from ...core.context import Context, Served
from ...core.context.serving import HandedOn, ServedList
from ...core.criteria import Grade
from ...core.documents import Document
from ...core.documents.spans import Range, merge, text_of
from ...core.judging import Judgement, judge
from ...core.measures import Scores, answer_scores, retrieval_scores
from ...core.measures.answers import Judged
from ...core.measures.loss import Losses, Reached, StagesHeld, lost_at
from ...core.measures.retrieval import Retrieved
from ...core.text import count_tokens
from ..inputs import Documents, Given
from .answers import graded
from .lists import source
from .scoring import Cuts, met, needs_shown


@dataclass(frozen=True)
class FoundItem:
    """Where one item of a context or list stands: its document ("" where it was not found) and the ranges."""

    doc: str = ""
    ranges: tuple[Range, ...] = ()


@dataclass(frozen=True)
class FoundAgain:
    """Where the items of the context and of the ranked list stand, in their order."""

    context: tuple[FoundItem, ...] = ()
    ranked: tuple[FoundItem, ...] = ()


def asked(given: Given) -> list[Brought]:
    """What the system says to each question."""
    found: list[Brought] = given.models["system"].ask([wording.text for wording in given["wording"]])
    return found


def found_again(given: Given) -> list[FoundAgain]:
    """Every item at its place in the documents: by the place that is said, or else by its text."""
    documents: Documents = given["documents"]
    rows = [[*(brought.context or ()), *(brought.ranked or ())] for brought in given["brought"]]
    wanted = [{each.doc for need in evidence.needs for each in need} for evidence in given["evidence"]]
    names = _Names(documents.names)
    made: list[list[FoundItem]] = [[FoundItem()] * len(items) for items in rows]
    texts: dict[str, list[tuple[int, int]]] = {}
    for row, items in enumerate(rows):
        for place, item in enumerate(items):
            doc = names.of(item.doc)
            if doc and (not item.text or item.start >= 0):
                made[row][place] = _said(documents, doc, item)
            if item.text.strip() and not made[row][place].ranges:
                texts.setdefault(item.text, []).append((row, place))
    unique = list(texts)
    named = [{names.of(rows[row][place].doc) for row, place in texts[text]} for text in unique]
    near = [{doc for row, _ in texts[text] for doc in wanted[row]} for text in unique]

    def better(number: int, doc: str) -> int:
        return 2 * (doc in named[number]) + (doc in near[number])

    if unique:
        places = recognised(unique, ((name, found.text) for name, found in _all(given, documents)), better)
        lost = [number for number, found in enumerate(places) if found is None and unique[number].strip()]
        if lost:  # perhaps tables, which other readers write in another way
            tables = ((name, found.text) for name, found in _all(given, documents) if found.of_kind("row"))
            again = recognised(
                [unique[n] for n in lost], tables, lambda n, doc: better(lost[n], doc),
                lambda doc: repeated_names(documents[doc]),
            )  # fmt: skip
            for number, found in zip(lost, again):
                places[number] = None if found is None else _whole_rows(documents[found.doc], found)
        for text, found in zip(unique, places):
            for row, place in texts[text]:
                made[row][place] = _of(found)
    return [
        FoundAgain(tuple(found[: len(brought.context or ())]), tuple(found[len(brought.context or ()) :]))
        for brought, found in zip(given["brought"], made)
    ]


def _of(found: RecognisedPlace | None) -> FoundItem:
    return FoundItem() if found is None else FoundItem(found.doc, found.ranges)


def _said(documents: Documents, doc: str, item: BroughtItem) -> FoundItem:
    """The range that an item names, as far as the document reaches; the whole document where it names none. A range
    whose text is another than the one that came is not believed."""
    text = documents[doc].text
    if item.start < 0:
        return FoundItem(doc, ((0, len(text)),) if text else ())
    start, end = item.start, min(item.end, len(text))
    if start >= end:
        return FoundItem(doc)
    if item.more:
        ranges = merge([(start, end), *((a, min(b, len(text))) for a, b in item.more if a < len(text))])
        return FoundItem(doc, tuple(ranges))
    if item.text and recognised([item.text], [(doc, text[start:end])])[0] is None:
        return FoundItem()
    return FoundItem(doc, ((start, end),))


def _whole_rows(document: Document, found: RecognisedPlace) -> RecognisedPlace:
    """The place with the names of the columns before the first cell of what was found."""
    rows = {document.parts[cell.parent].start: cell.start for cell in reversed(document.of_kind("cell"))}
    first = {cell: row for row, cell in rows.items()}  # the start of a row by that of its first cell
    return replace(found, ranges=tuple((first.get(start, start), end) for start, end in found.ranges))


def _all(given: Given, documents: Documents) -> Iterator[tuple[str, Document]]:
    step = 256
    for first in range(0, len(documents.names), step):
        some = documents.names[first : first + step]
        given.progress("found again", first, len(documents.names))
        documents.bring(some)
        for name in some:
            yield name, documents[name]


class _Names:
    """Documents by the names that another system may give them: their own, or the end of it where that is of one."""

    def __init__(self, names: Sequence[str]) -> None:
        self._own = set(names)
        self._ends: dict[str, str] = {}
        for name in names:
            parts = name.split("/")
            for start in range(1, len(parts)):
                end = "/".join(parts[start:])
                self._ends[end] = "" if end in self._ends else name

    def of(self, name: str) -> str:
        """The document; "" for none, or one of several. White space in it may stand as %20 and the like (RFC 3986)."""
        if name in self._own:
            return name
        if "%" in name and (plain := unquote(name)) in self._own:
            return plain
        return self._ends.get(name.lstrip("./"), "")


def listed(given: Given) -> list[ServedList]:
    """The items that retrieval is measured on: what of each was not handed on before it."""
    documents: Documents = given["documents"]
    made = []
    for brought, found in zip(given["brought"], given["found again"]):
        places = found.ranked if brought.ranked is not None else found.context
        items = []
        for number, (item, place) in enumerate(zip(items_of(brought), places)):
            text = item.text or (text_of(documents[place.doc].text, place.ranges) if place.ranges else "")
            items.append(HandedOn(number, place.doc or item.doc, place.ranges, count_tokens(text)))
        made.append(ServedList(tuple(items)))
    return made


def retrieval(given: Given) -> list[Scores]:
    """Retrieval measures, where something is known of what was retrieved."""
    how: Cuts = given.settings
    made = []
    for brought, evidence, served in zip(given["brought"], given["evidence"], given["served"]):
        known = not brought.failure and (brought.ranked is not None or brought.context is not None)
        items = [Retrieved(item.doc, item.ranges, item.tokens) for item in served.items]
        scores = retrieval_scores(evidence.needs, items, how.cut_offs, how.cover) if known and evidence.needs else {}
        made.append(Scores(scores))
    return made


def context(given: Given) -> list[Context]:
    """What the system's model was shown, as it came; an item without a text with that of its place."""
    documents: Documents = given["documents"]
    made = []
    for brought, found in zip(given["brought"], given["found again"]):
        items = []
        for number, (item, place) in enumerate(zip(brought.context or (), found.context), 1):
            text = item.text or (text_of(documents[place.doc].text, place.ranges) if place.ranges else "")
            where = " › ".join(source(documents[place.doc], place.ranges)) if place.ranges else item.doc
            items.append(Served(number, where, text, count_tokens(text), place.doc or item.doc, place.ranges))
        made.append(Context(tuple(items)))
    return made


def answers(given: Given) -> list[Answer]:
    """The answers as they are judged."""
    return [answer_of(brought) for brought in given["brought"]]


def verdicts(given: Given) -> list[Judgement]:
    """The judge's verdicts on each answer; without those on its claims where the context is not known."""
    return judge(
        [wording.text for wording in given["wording"]],
        given["answer"],
        known_contexts(given),
        given["reference"],
        given.models["judge"],
        given.inputs.get("first") or (),
        {place for place, brought in enumerate(given["brought"]) if brought.declined is False},
    )


def grades(given: Given) -> list[Grade]:
    """What a judge gives each answer, or its context, by a criterion of the user's."""
    return graded(given, known_contexts(given))


def known_contexts(given: Given) -> list[Sequence[Served] | None]:
    """The items of each context, None where nothing is known of it."""
    return [
        None if brought.context is None else found.items for brought, found in zip(given["brought"], given["context"])
    ]


def answered(given: Given) -> list[Scores]:
    """Measures of the answer, and of the context where it is known."""
    made = []
    for place, (brought, evidence) in enumerate(zip(given["brought"], given["evidence"])):
        known = brought.context is not None
        scores = {"context-tokens": float(given["context"][place].tokens)} if known else {}
        if known and evidence.needs:
            scores["needs-shown"] = needs_shown(evidence.needs, given["context"][place], given.settings.cover)
        scores.update(answer_scores(Judged(given["answer"][place], given["verdicts"][place], bool(evidence.needs))))
        made.append(Scores(scores))
    return made


def losses(given: Given) -> list[Losses]:
    """Where each need was lost, as far as what came can tell: in which documents it stands, whether the system found it,
    showed it to its model, and whether the answer states it."""
    how: Cuts = given.settings
    made = []
    for place, (brought, evidence) in enumerate(zip(given["brought"], given["evidence"])):
        needs, found = evidence.needs, given["found again"][place]
        if brought.failure or not needs or (brought.context is None and brought.ranked is None):
            made.append(Losses())
            continue
        every = met(needs, _ranges([*found.ranked, *found.context]), how.cover)
        shown = found.ranked if brought.context is None else found.context
        verdicts = given["verdicts"]
        stated: list[bool | None] = [None] * len(needs)
        if verdicts is not None and not given["answer"][place].failure and not verdicts[place].failure:
            stated = list(verdicts[place].stated) or [False] * len(needs)
        reached = Reached((True,) * len(needs), tuple(every), tuple(every))
        held = StagesHeld(reached, met(needs, _ranges(shown), how.cover), stated, verdicts is not None)
        made.append(lost_at(needs, held, dict(given["standing"][place].documents)))
    return made


def _ranges(items: Sequence[FoundItem]) -> dict[str, list[Range]]:
    found: dict[str, list[Range]] = {}
    for item in items:
        if item.ranges:
            found.setdefault(item.doc, []).extend(item.ranges)
    return {doc: merge(ranges) for doc, ranges in found.items()}
