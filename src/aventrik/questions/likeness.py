"""Is a drafted set like real questions: in form, in difficulty, in topics, and in how it orders configurations?"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from ..core.comparing.draws import scope_of
from ..core.comparing.orders import WORSE, Orders, orders
from ..core.errors import BadInput
from ..core.keys import content_key
from ..core.testsets import Question
from ..core.testsets.drafting.passages import ranks_of
from ..core.testsets.likeness import ENOUGH, SetForm, ToldApart, form_of, matching, told_apart
from ..corpora.changes import contents_of
from ..execution.open_workspace import OpenWorkspace
from ..kept.sides import sides_of
from ..storage.protocols import Run
from ..workspace.files import write_whole
from ..workspace.testsets import question_from

MEASURES = ("hit@5", "reciprocal-rank")
SAFE, RISKY = 0.1, 0.3  # chance of a pick that is worse up to which a draft decides, and above which it decides nothing
_FILE = "likeness.json"


@dataclass(frozen=True)
class Likeness:
    """A draft beside real questions. `topics`: of each document or topic the share of the needs of either; `apart_by`:
    half the sum of the differences (0: the same topics, 1: none in common). `orders`: one for each measure, none where
    fewer than two configurations ran on both. `decides` says whether configurations may be chosen by the draft."""

    draft: str
    real: str
    forms: tuple[SetForm, SetForm]
    told_apart: ToldApart | None
    topics: Mapping[str, tuple[float, float]]
    apart_by: float
    orders: tuple[Orders, ...]
    decides: bool
    verdict: str
    notes: tuple[str, ...] = field(default_factory=tuple)

    def as_json(self) -> dict[str, Any]:
        """The documented shape of `testsets --against --json`."""
        return asdict(self)


def likeness(opened: OpenWorkspace, draft: str, real: str) -> Likeness:
    """Sets a draft beside real questions, and notes the result for `compare`. Raises `BadInput` for a set that can't be
    read."""
    ours, theirs = opened.questions(draft)[0], opened.questions(real)[0]
    corpus, seed = opened.corpus, opened.workspace.settings.seed
    ranks = [ranks_of(each, corpus.names(), corpus.document) for each in (ours, theirs)]
    notes = []
    apart = None
    try:
        apart = told_apart(ours, theirs, ranks, seed)
    except ValueError as error:
        notes.append(str(error))
    topics = _topics(ours, theirs)
    found = _orders(opened, draft, real, notes)
    decides, verdict = _verdict(ours, theirs, found)
    made = Likeness(
        draft=draft,
        real=real,
        forms=(form_of(ours, ranks[0]), form_of(theirs, ranks[1])),
        told_apart=apart,
        topics=topics,
        apart_by=sum(abs(a - b) for a, b in topics.values()) / 2,
        orders=found,
        decides=decides,
        verdict=verdict,
        notes=tuple(notes),
    )
    _note(opened, draft, ours, made)
    return made


def matched(opened: OpenWorkspace, draft: str, real: str) -> list[Question]:
    """The subset of a draft that is most like the real questions."""
    ours, theirs = opened.questions(draft)[0], opened.questions(real)[0]
    corpus = opened.corpus
    return matching(ours, theirs, [ranks_of(each, corpus.names(), corpus.document) for each in (ours, theirs)])


def _topics(ours: Sequence[Question], theirs: Sequence[Question]) -> dict[str, tuple[float, float]]:
    """Shares of the needs by folder, or by document where all stand in one folder."""
    rows = [
        [quoted.doc for question in some for need in question.needs for quoted in need.spans[:1]]
        for some in (ours, theirs)
    ]
    folders = {doc.rpartition("/")[0] for docs in rows for doc in docs}
    name = (lambda doc: doc.rpartition("/")[0] or "(top)") if len(folders) > 1 else (lambda doc: doc)
    counts = [[name(doc) for doc in docs] for docs in rows]
    every = sorted({each for some in counts for each in some})
    return {each: (_share(counts[0], each), _share(counts[1], each)) for each in every}


def _share(names: Sequence[str], name: str) -> float:
    return names.count(name) / len(names) if names else 0.0


def _orders(opened: OpenWorkspace, draft: str, real: str, notes: list[str]) -> tuple[Orders, ...]:
    ours, theirs = (
        _latest(opened.store.runs.all(), opened.workspace.testset_path(name).stem) for name in (draft, real)
    )
    both = [name for name in ours if name in theirs]
    if len(both) < 2:
        notes.append(
            f"fewer than two configurations ran on both: run the same ones on '{draft}' and on '{real}' to learn whether "
            "they come out in the same order"
        )
        return ()
    sides = [[found.side for found in sides_of(opened.store, [runs[name] for name in both])] for runs in (ours, theirs)]
    settings = opened.workspace.settings
    found = []
    corpus = len(contents_of(opened.store, theirs[both[0]]) or ())
    one, other = (scope_of(settings.statistics.infer, some[0].asked.values(), corpus) for some in sides)
    for measure in MEASURES:
        try:
            found.append(orders(sides[0], sides[1], measure, settings.seed, (one, other)))
        except ValueError as error:
            notes.append(str(error))
    return tuple(found)


def _latest(runs: Sequence[Run], testset: str) -> dict[str, Run]:
    """The latest finished run of each configuration on a test set, by the configuration's name."""
    return {run.name: run for run in runs if run.testset == testset and run.finished and not run.newer}


def _verdict(ours: Sequence[Question], theirs: Sequence[Question], found: Sequence[Orders]) -> tuple[bool, str]:
    if len(ours) < ENOUGH:
        return False, f"{len(ours)} questions decide nothing: draft at least {ENOUGH}"
    if not found:
        return False, "whether it orders configurations as the real questions do is not known yet"
    riskiest = max(found, key=lambda each: each.worse)
    told = (
        f"correlation of true differences {riskiest.correlation:+.2f} [{riskiest.low:+.2f} {riskiest.high:+.2f}] by {riskiest.measure}; "
        f"the chance that its best configuration is worse on the real questions, by more than {WORSE:.2f}, is {riskiest.worse:.0%}, "
        f"that of one picked by lot {riskiest.by_lot:.0%}"
    )
    if riskiest.by_lot <= SAFE:
        return (
            False,
            f"there is nothing to decide: these configurations lie so close on the real questions that any may be taken: {told}",
        )
    if riskiest.worse > RISKY or riskiest.worse >= riskiest.by_lot:
        return False, f"it decides nothing: {told}"
    if riskiest.worse > SAFE:
        return (
            False,
            f"whether it picks as the real questions would is open: {told}; run more configurations, or ask more real questions",
        )
    return True, f"its best configuration may be taken: {told}; for how good it is, ask real questions"


def _note(opened: OpenWorkspace, draft: str, questions: Sequence[Question], made: Likeness) -> None:
    path = opened.workspace.folder / ".aventrik" / _FILE
    known = _known(opened)
    known[opened.workspace.testset_path(draft).stem] = {
        "questions": _key(questions), "real": made.real, "decides": made.decides, "verdict": made.verdict,
    }  # fmt: skip
    write_whole(path, json.dumps(known, ensure_ascii=False, indent=1))


def _known(opened: OpenWorkspace) -> dict[str, Any]:
    try:
        found = json.loads((opened.workspace.folder / ".aventrik" / _FILE).read_text(encoding="utf-8"))
        return found if isinstance(found, dict) else {}
    except (OSError, ValueError):
        return {}


def _key(questions: Sequence[Question]) -> str:
    return content_key(sorted(question.key for question in questions))


def doubts(opened: OpenWorkspace, testset: str, questions: Sequence[Question]) -> str:
    """Why a test set of a run decides nothing, as far as that is known; "" for one that may, or that people wrote."""
    drafted = [question for question in questions if question.status == "draft" and question.by != "person"]
    if len(drafted) < len(questions) / 2:
        return ""
    if len(questions) < ENOUGH:
        return f"{len(questions)} drafted questions decide nothing: draft at least {ENOUGH}"
    sure = [question.meta["confidence"] for question in drafted if isinstance(question.meta.get("confidence"), float)]
    if len(sure) > len(questions) / 2:
        return (
            f"nobody has looked at {len(drafted)} of the {len(questions)} questions, which were located by a judge that is sure to "
            f"{sum(sure) / len(sure):.2f} on average that their places are right: 'aventrik review {testset}'"
        )
    noted = _known(opened).get(testset)
    if isinstance(noted, dict) and noted.get("questions") == _key(questions):
        return "" if noted.get("decides") else f"held against '{noted.get('real')}': {noted.get('verdict')}"
    return ""


def doubts_of(opened: OpenWorkspace, run: Run) -> str:
    """`doubts` of the questions that a run was asked."""
    bodies = [question_from(question.body) for question in opened.store.runs.questions(run.id)]
    return doubts(opened, run.testset, bodies) if bodies else ""


def check_apart(draft: str, real: str) -> None:
    """Raises `BadInput` where a set is held against itself."""
    if draft == real:
        raise BadInput(f"'{draft}' can't be held against itself")
