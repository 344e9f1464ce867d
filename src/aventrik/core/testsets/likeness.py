"""How like one set of questions is to another in form and difficulty: what a classifier sees, and a subset that matches."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from ..text import STOP_WORDS, WORD, content_terms
from . import Question
from .drafting.difficulty import copied_of, level
from .drafting.styles import style_of

OPENINGS = ("how", "what", "which", "who", "when", "where", "why", "can", "is")
ENOUGH = 50  # drafted questions below which a draft decides nothing
FOLDS = 5
DRAWS = 2000
_FAR = 101  # the rank that stands for evidence which plain keyword search does not find
Matrix = npt.NDArray[np.float64]


@dataclass(frozen=True)
class SetForm:
    """What a set of questions looks like: means over its questions, shares from 0 to 1."""

    questions: int
    words: float
    terms: float
    copied: float
    openings: Mapping[str, float]
    styles: Mapping[str, float]
    levels: Mapping[str, float]
    kinds: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class ToldApart:
    """How well a classifier tells the questions of two sets apart: area under the ROC curve (0.5: not at all, 1: always),
    its interval, and the features that tell most, with their difference in standard deviations."""

    area: float
    low: float
    high: float
    by: tuple[tuple[str, float], ...]


def form_of(questions: Sequence[Question], ranks: Mapping[str, int]) -> SetForm:
    """The form of a set; `ranks` give the rank of each answerable question's evidence under plain keyword search, by id,
    0 where it is not found. Raises ValueError for an empty set."""
    if not questions:
        raise ValueError("a set without questions has no form")
    count = len(questions)
    answerable = [question for question in questions if question.needs]
    return SetForm(
        questions=count,
        words=sum(len(question.question.split()) for question in questions) / count,
        terms=sum(len(set(content_terms(question.question))) for question in questions) / count,
        copied=float(np.median([copied_of(question) for question in answerable])) if answerable else 0.0,
        openings=_shares(opening(question.question) for question in questions),
        styles=_shares(style_of(question.question) for question in questions),
        levels=_shares(level(ranks.get(question.id, 0)) for question in answerable),
        kinds=_shares(question.kind for question in questions),
    )


def opening(question: str) -> str:
    """The word that a question begins with, of the commonest; "other" for any other."""
    first = (WORD.findall(question.lower()) or [""])[0]
    if first in ("may", "could", "do", "does", "are", "must", "should", "will"):
        return "can" if first in ("may", "could", "must", "should") else "is"
    return first if first in OPENINGS else "other"


def _shares(names: Iterable[str]) -> dict[str, float]:
    found = Counter(names)
    total = sum(found.values())
    return {name: count / total for name, count in found.most_common()} if total else {}


def features(questions: Sequence[Question], ranks: Mapping[str, int]) -> tuple[Matrix, tuple[str, ...]]:
    """A row a question of what is seen of its form, shape (questions, features), and the names of the features."""
    names = (
        "words", "different terms", "share of small words", "asks", "I or my", "begins with a capital", "figures", "names",
        "copied", "rank", *(f"begins with {word}" for word in OPENINGS),
    )  # fmt: skip
    rows = []
    for question in questions:
        text = question.question
        words = WORD.findall(text)
        small = sum(word.lower() in STOP_WORDS for word in words) / max(1, len(words))
        rank = ranks.get(question.id, 0) or _FAR
        first = opening(text)
        rows.append(
            [
                float(np.log1p(len(words))), float(len(set(content_terms(text)))), small, float(text.rstrip().endswith("?")),
                float(any(word in ("I", "my", "My", "we", "our") for word in words)), float(text[:1].isupper()),
                float(any(word[0].isdigit() for word in words)), float(sum(word[:1].isupper() for word in words[1:])),
                copied_of(question) if question.needs else 0.0, float(np.log(rank)),
                *(float(first == word) for word in OPENINGS),
            ]
        )  # fmt: skip
    return np.array(rows, dtype=float).reshape(len(rows), len(names)), names


def told_apart(
    ours: Sequence[Question], theirs: Sequence[Question], ranks: Sequence[Mapping[str, int]], seed: int = 0
) -> ToldApart:
    """A logistic regression on the form of the questions, judged on folds that it has not seen; the interval by a bootstrap
    over questions. Raises ValueError where a set has fewer than ten."""
    from sklearn.linear_model import LogisticRegression
    from sklearn.metrics import roc_auc_score
    from sklearn.model_selection import StratifiedKFold, cross_val_predict
    from sklearn.pipeline import make_pipeline
    from sklearn.preprocessing import StandardScaler

    if min(len(ours), len(theirs)) < 2 * FOLDS:
        raise ValueError(f"fewer than {2 * FOLDS} questions can't be told apart from others")
    rows, names = features(ours, ranks[0])
    others, _ = features(theirs, ranks[1])
    both = np.vstack([rows, others])
    label = np.array([0] * len(rows) + [1] * len(others))
    model = make_pipeline(StandardScaler(), LogisticRegression(C=1.0, max_iter=2000, class_weight="balanced"))
    folds = StratifiedKFold(FOLDS, shuffle=True, random_state=seed)
    seen = cross_val_predict(model, both, label, cv=folds, method="predict_proba")[:, 1]
    area = float(roc_auc_score(label, seen))
    draw = np.random.default_rng(seed)
    drawn = []
    for _ in range(DRAWS):
        picked = np.concatenate(
            [draw.integers(0, len(rows), len(rows)), len(rows) + draw.integers(0, len(others), len(others))]
        )
        drawn.append(_area(seen[picked], label[picked]))
    low, high = np.quantile(drawn, [0.025, 0.975])
    spread = both.std(0)
    gap = np.where(spread > 0, (rows.mean(0) - others.mean(0)) / np.where(spread > 0, spread, 1.0), 0.0)
    most = sorted(zip(names, gap.tolist()), key=lambda pair: -abs(pair[1]))[:4]
    return ToldApart(area, float(low), float(high), tuple(most))


def _area(scores: Matrix, label: npt.NDArray[np.int64]) -> float:
    """The area under the ROC curve by ranks, ties sharing theirs (Mann and Whitney, 1947)."""
    from scipy.stats import rankdata

    ranks = rankdata(scores)
    positive = int(label.sum())
    negative = len(label) - positive
    return float((ranks[label == 1].sum() - positive * (positive + 1) / 2) / (positive * negative))


def matching(
    ours: Sequence[Question], theirs: Sequence[Question], ranks: Sequence[Mapping[str, int]]
) -> list[Question]:
    """The subset of `ours` that is most like `theirs`: to each of theirs the question of ours that is nearest in form,
    none twice, so that the sum of distances is least; of a set smaller than twice theirs half of it at the most."""
    from scipy.optimize import linear_sum_assignment

    rows, _ = features(ours, ranks[0])
    others, _ = features(theirs, ranks[1])
    spread = np.vstack([rows, others]).std(0)
    scale = np.where(spread > 0, spread, 1.0)
    gaps = (((rows[:, None, :] - others[None, :, :]) / scale) ** 2).sum(2)
    mine, yours = linear_sum_assignment(gaps)
    most = min(len(mine), max(1, len(ours) // 2))
    best = sorted(zip(gaps[mine, yours].tolist(), mine.tolist()))[:most]
    return [ours[place] for place in sorted(place for _, place in best)]
