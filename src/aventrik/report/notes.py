"""What is to be known of a comparison beside its figures: what else its runs differ in, what is left out, how far judges go."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from ..core.comparing.missing import difference_bounds
from ..core.measures import measure
from ..execution.open_workspace import OpenWorkspace
from ..kept.known import faults_of, ranks_nothing, told
from ..kept.provenance import Unexplained
from ..kept.sheets import SPREAD
from ..people.question_agreement import corrected_since, rejected_since
from ..questions.likeness import doubts_of
from ..results.comparison import Comparison
from .figures import kappa_told

_MANY = 0.1  # share of claims that a judge can't tell, from which its figures decide little
_TOLD = 8  # runs that a line tells of
_APART = 5  # premises in which runs differ that are told
_RUNS = 6  # runs of each value of one that are named


@dataclass(frozen=True)
class Note:
    """A sentence; `heed` is for what may lead a reader astray."""

    text: str
    heed: bool = False


def warnings_of(found: Comparison) -> Iterator[str]:
    """What else the runs differ in, and which questions are left out."""
    if found.unexplained:
        told = "; ".join(_apart(found, each) for each in found.unexplained[:_APART])
        more = f"; and {len(found.unexplained) - _APART} more" if len(found.unexplained) > _APART else ""
        then = (
            "A difference between such runs is not one of settings alone; contributions are of the runs that are like the "
            f"baseline in all that can change {found.measure}"
            if any(each.concerns(found.measure) for each in found.unexplained)
            else f"None of that can change {found.measure}"
        )
        yield f"these runs differ in what no setting explains: {told}{more}. {then}"
    if found.documents:
        numbers = [run.id for run in found.runs]
        yield f"documents, from run {min(numbers)} to run {max(numbers)}: {found.documents.in_words()}"
    if found.evidence_gone:
        some = ", ".join(found.evidence_gone[:6]) + (", …" if len(found.evidence_gone) > 6 else "")
        yield (
            f"{len(found.evidence_gone)} questions are left out, because their evidence stands in the documents of some of these "
            f"runs alone: {some}"
        )
    if found.answers_changed:
        yield (
            "the reference answers of some questions were changed between these runs: their retrieval is compared all the same, "
            "measures of answers are of the other questions; run again to compare all"
        )
    left = [(run.id, count) for run, count in zip(found.runs, found.left_out) if count]
    if left:
        listed = ", ".join(f"run {number}: {count}" for number, count in left[:5])
        more = f" and {len(left) - 5} more runs" if len(left) > 5 else ""
        yield f"questions that not all of these runs have, or have otherwise, are left out: {listed}{more}"


def doubts_about(opened: OpenWorkspace, found: Comparison) -> Iterator[str]:
    """How far the test sets can be trusted."""
    for testset in dict.fromkeys(run.testset for run in found.runs):
        one = next(run for run in found.runs if run.testset == testset)
        if reason := doubts_of(opened, one):
            yield f"{testset}: {reason}"
        stale, changed = _corrected(opened, found, testset)
        if stale:
            some = ", ".join(map(str, stale[:_RUNS])) + (", …" if len(stale) > _RUNS else "")
            yield (
                f"{testset}: {len(changed)} questions were corrected since run{'s' if len(stale) > 1 else ''} {some} "
                f"({', '.join(changed[:5])}{', …' if len(changed) > 5 else ''}): the scores are of these questions as they were; "
                "run again"
            )
        if gone := rejected_since(opened, one):
            yield (
                f"{testset}: people have rejected {len(gone)} of these questions since ({', '.join(gone[:5])}); run again to "
                "leave them out"
            )


def _corrected(opened: OpenWorkspace, found: Comparison, testset: str) -> tuple[list[int], list[str]]:
    """The runs on a test set of which questions were corrected since, and the ids of these questions."""
    known: dict[tuple[str, ...], list[str]] = {}  # runs of the same questions are looked at once
    stale: list[int] = []
    for run, side in zip(found.runs, found.sides):
        if run.testset == testset:
            keys = (str(bool(run.made.get("outside"))), *side.sheet.keys_in_order)
            if keys not in known:
                known[keys] = corrected_since(opened, run)
            stale += [run.id] if known[keys] else []
    return stale, list(dict.fromkeys(each for some in known.values() for each in some))


def notes_of(found: Comparison) -> Iterator[Note]:
    """Of the answers: how many were declined, could not be told, or are not sound; and how judges agree."""
    counts = [_behind(found, name) for name in dict.fromkeys((found.measure, *found.measures))]
    if len({count.rpartition(" ")[2] for count in counts}) > 1 or len(found.order) <= 2:
        yield Note(f"questions behind each: {', '.join(counts)}")
    shown = found.shown_first
    if any(found.declined[place][0] for place in shown):
        told = _each(found, shown, lambda place: f"{found.declined[place][0]} of {found.declined[place][1]}")
        yield Note(
            f"declined to answer: {told}; groundedness and the like are of the other answers, "
            "grounded-answers counts a decline as 0"
        )
        yield from _bounds(found)
    yield from _unable(found)
    yield from _known(found)
    yield from _untold(found)
    for place, judges in found.judges.items():
        for first, other, each in judges:
            yield Note(
                f"judges of run {found.runs[place].id}: {other} says of {each.raw:.0%} of {each.n} claims what {first} says, "
                f"kappa {kappa_told(each)}"
            )
    for place in shown:
        times = int(found.runs[place].made.get("times", 1))
        spread = {
            name: mean for name in found.measures
            if times > 1 and (mean := found.sides[place].sheet.mean(f"{name}{SPREAD}")) is not None
        }  # fmt: skip
        if spread:
            told = ", ".join(f"{name} {mean:.2f}" for name, mean in spread.items())
            yield Note(
                f"run {found.runs[place].id} was answered {times} times a question, and a score is the mean over these; a question's "
                f"scores are apart by (standard deviation, on average) {told}, which is in the intervals"
            )
    flawed = [place for place, each in enumerate(found.health) if not each.well]
    if flawed:
        told = _each(found, flawed, lambda place: found.health[place].in_words)
        yield Note(
            f"not all went well: {told}. What has no sound answer or judgement is left out of the answer measures; "
            "--retry-failed makes what failed again",
            True,
        )


def _bounds(found: Comparison) -> Iterator[Note]:
    """How far a difference of what was answered alone could be from that over all questions."""
    known = measure(found.measure, found.own)
    if known is None or known.of != "answer" or known.kind not in ("share", "score") or found.best == found.against:
        return
    ours, theirs = (found.scored.values[place] for place in (found.best, found.against))
    if (made := difference_bounds(ours, theirs)) is None:
        return
    low, high, both, either = made
    yield Note(
        f"{found.measure} of run {found.runs[found.best].id} less that of run {found.runs[found.against].id} is of the {both} questions "
        f"that both answered; over the {either} that either did it lies between {low:+.2f} and {high:+.2f}, whatever the answers "
        "that are missing had been"
    )


def _unable(found: Comparison) -> Iterator[Note]:
    """That nothing could be shown, whatever had come out."""
    blind = [each for each in found.contrasts if each.difference.known and each.difference.smallest is None]
    if blind and len(blind) == len([each for each in found.contrasts if each.difference.known]):
        most = max(each.difference.draws for each in blind)
        yield Note(
            f"{most} questions that do not lean on each other can show nothing among {len(found.order)} runs, however far apart "
            "they were: ask more questions, or name fewer runs ('aventrik testsets --plan' says how many)",
            True,
        )
    lead = found.leading
    if lead and lead.adjusted:
        yield Note(
            f"not all runs have {found.measure} for the same questions: two are held against each other on those of both, and "
            "means of the best are fitted over all"
        )


def _each(found: Comparison, places: Sequence[int], what: Callable[[int], str]) -> str:
    """Something of several runs, in a line."""
    listed = ", ".join(f"run {found.runs[place].id}: {what(place)}" for place in places[:_TOLD])
    return listed + (f" and {len(places) - _TOLD} more" if len(places) > _TOLD else "")


def _known(found: Comparison) -> Iterator[Note]:
    """What right answers get from the judges, and what others: the ceiling and the floor of their measures."""
    names = list(dict.fromkeys((found.measure, *found.measures)))
    judges = len({each.judge for each in found.known})
    for reach in found.known:
        if line := told(reach, names, judges):
            seen, whole = reach.refusals
            refusals = f"; {seen} of {whole} refusals seen as such" if whole else ""
            yield Note(f"known answers of '{reach.testset}' to the judge {reach.judge}: {line}{refusals}")
        for fault in faults_of(reach):
            yield Note(fault, True)
        for name in names:
            means = [each.mean for row in found.means if (each := row.get(name)) is not None]
            if means and (why := ranks_nothing(reach, name, max(means) - min(means), judges)):
                yield Note(why, True)


def _untold(found: Comparison) -> Iterator[Note]:
    """Claims that the judge could not tell: they count neither for nor against groundedness."""
    shares = {place: share for place in found.order if (share := found.untold[place])}
    told = _each(found, list(shares), lambda place: f"{100 * shares[place]:.0f} %")
    most = max(shares.values(), default=0.0)
    if most > _MANY:
        yield Note(
            f"claims too far in wording for the judge to tell: {told}; groundedness and hallucination are of the others "
            "alone, so take a language model as judge ([roles] judge)",
            True,
        )
    elif most:
        yield Note(f"claims too far in wording for the judge to tell: {told}; they count for neither side")


def _apart(found: Comparison, each: Unexplained) -> str:
    """One premise, and which runs have it alike: "cover (run 1: 0.9; runs 2 and 3: 1)"."""
    groups: dict[str, list[int]] = {}
    for run, value in zip(found.runs, each.values):
        if value:
            groups.setdefault(value, []).append(run.id)
    plain = each.kind in ("judge", "measuring")
    told = []
    for value, runs in groups.items():
        some = ", ".join(map(str, runs[:_RUNS])) + (", …" if len(runs) > _RUNS else "")
        shown = value if plain else value if len(value) <= _RUNS else value[:6]
        told.append(f"run{'s' if len(runs) > 1 else ''} {some}: {shown}")
    return f"{each.what} ({'; '.join(told)})"


def _behind(found: Comparison, measure: str) -> str:
    """How many questions a measure's means are over: 'hit@5 36', or the least and most over the runs."""
    counts = sorted({row[measure].n for row in found.means if measure in row})
    return f"{measure} {'–'.join(map(str, dict.fromkeys((counts[0], counts[-1])))) if counts else 0}"
