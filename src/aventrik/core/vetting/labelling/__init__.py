"""Suggests labels for documents from a handful that a person gave."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
import numpy.typing as npt

from ...text import content_terms

FEWEST = 2  # labels of a value that are needed before it is suggested
_FOLDS = 5
_TERMS = 1500
_DOUBT = 0.6
_SEED = 7


@dataclass(frozen=True)
class Suggestion:
    """A label for one document; `confidence` is calibrated, 0 to 1."""

    document: str
    label: str
    confidence: float


@dataclass(frozen=True)
class Suggested:
    """What a handful of labels teaches.

    `suggestions`: for each document without a label. `next`: those whose label would teach most, first to last.
    `doubtful`: given labels that the others speak against, with what they say instead. `error`: expected
    calibration error of the confidences on the given labels, each predicted without itself (NaN with too few).
    """

    suggestions: list[Suggestion]
    next: list[str]
    doubtful: list[tuple[str, str, Suggestion]]
    error: float


def suggest(names: Sequence[str], texts: Sequence[str], given: Mapping[str, str]) -> Suggested:
    """Suggestions from `given` labels by document; raises ValueError with fewer than two of each of two values.

    Logistic regression on TF-IDF of the documents, and of their latent directions; confidences are scaled by one
    temperature (Guo and others, 2017) fitted on out-of-fold predictions.
    """
    counts = Counter(given.values())
    known = sorted(label for label, count in counts.items() if count >= FEWEST)
    if len(known) < 2:
        raise ValueError(f"label at least {FEWEST} documents of each of two values first")
    rows = _features(texts)
    places = [n for n, name in enumerate(names) if given.get(name) in known]
    labels = np.array([known.index(given[names[n]]) for n in places])
    outside = _out_of_fold(rows[places], labels, len(known))
    temperature = _temperature(outside, labels)
    error = calibration_error(_soft(outside / temperature), labels)
    rest = [n for n, name in enumerate(names) if name not in given]
    doubtful = []
    for n, chances in zip(places, _soft(outside / temperature)):
        best = int(chances.argmax())
        if known[best] != given[names[n]] and chances[best] >= _DOUBT:
            doubtful.append((names[n], given[names[n]], Suggestion(names[n], known[best], float(chances[best]))))
    if not rest:
        return Suggested([], [], doubtful, error)
    chances = _soft(_fitted(rows[places], labels).decision(rows[rest]) / temperature)
    suggestions = [Suggestion(names[n], known[int(row.argmax())], float(row.max())) for n, row in zip(rest, chances)]
    return Suggested(suggestions, _teaching(rows[rest], chances, [names[n] for n in rest]), doubtful, error)


def _features(texts: Sequence[str]) -> npt.NDArray[np.float64]:
    """Latent directions of the TF-IDF table, rows of length 1."""
    from sklearn.decomposition import TruncatedSVD
    from sklearn.feature_extraction.text import TfidfVectorizer

    def analyse(text: str) -> list[str]:
        terms = content_terms(text)[:_TERMS]
        return [*terms, *(f"{a} {b}" for a, b in pairwise(terms))]

    table = TfidfVectorizer(analyzer=analyse, sublinear_tf=True, min_df=2 if len(texts) > 20 else 1).fit_transform(
        texts
    )
    rank = max(1, min(100, min(table.shape) - 1))
    rows = TruncatedSVD(n_components=rank, random_state=_SEED).fit_transform(table)
    lengths = np.linalg.norm(rows, axis=1, keepdims=True)
    return np.asarray(rows / np.where(lengths > 0, lengths, 1))


class _Fitted:
    """A fitted classifier that gives one column of logits a class."""

    def __init__(self, model: Any, classes: int) -> None:
        self._model = model
        self._classes = classes

    def decision(self, rows: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        """Logits, shape (rows, classes); a class that was not seen gets a very low one."""
        found = np.log(np.clip(self._model.predict_proba(rows), 1e-12, 1))
        logits = np.full((len(rows), self._classes), -25.0)
        logits[:, self._model.classes_] = found
        return logits


def _fitted(rows: npt.NDArray[np.float64], labels: npt.NDArray[np.int_]) -> _Fitted:
    from sklearn.linear_model import LogisticRegression

    model = LogisticRegression(C=10.0, class_weight="balanced", max_iter=2000)
    return _Fitted(model.fit(rows, labels), int(labels.max()) + 1)


def _out_of_fold(rows: npt.NDArray[np.float64], labels: npt.NDArray[np.int_], classes: int) -> npt.NDArray[np.float64]:
    """Logits of each labelled document from a model that has not seen it."""
    from sklearn.model_selection import StratifiedKFold

    folds = min(_FOLDS, int(np.bincount(labels).min()))
    logits = np.zeros((len(labels), classes))
    for seen, held in StratifiedKFold(max(2, folds), shuffle=True, random_state=_SEED).split(rows, labels):
        logits[held, :] = _fitted(rows[seen], labels[seen]).decision(rows[held])
    return logits


def _temperature(logits: npt.NDArray[np.float64], labels: npt.NDArray[np.int_]) -> float:
    """The temperature with the least negative log-likelihood, from 0.2 to 5."""
    grid = np.geomspace(0.2, 5.0, 60)
    losses = [-np.log(np.clip(_soft(logits / t)[np.arange(len(labels)), labels], 1e-12, 1)).mean() for t in grid]
    return float(grid[int(np.argmin(losses))])


def _soft(logits: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    shifted = np.exp(logits - logits.max(axis=1, keepdims=True))
    return np.asarray(shifted / shifted.sum(axis=1, keepdims=True))


def calibration_error(chances: npt.NDArray[np.float64], labels: npt.NDArray[np.int_], bins: int = 10) -> float:
    """Expected calibration error: the gap of confidence and share right, over ten bins by confidence (Naeini and
    others, 2015); NaN for no label."""
    if not len(labels):
        return float("nan")
    sure = chances.max(axis=1)
    right = chances.argmax(axis=1) == labels
    place = np.minimum((sure * bins).astype(int), bins - 1)
    gaps = [abs(sure[place == b].mean() - right[place == b].mean()) * (place == b).mean() for b in set(place.tolist())]
    return float(sum(gaps))


def _teaching(rows: npt.NDArray[np.float64], chances: npt.NDArray[np.float64], names: list[str]) -> list[str]:
    """Up to ten documents: least sure first, each unlike those before it."""
    ordered = np.sort(chances, axis=1)
    margin = ordered[:, -1] - (ordered[:, -2] if chances.shape[1] > 1 else 0)
    chosen: list[int] = []
    for place in np.argsort(margin, kind="stable"):
        if all(float(rows[place] @ rows[other]) < 0.9 for other in chosen):
            chosen.append(int(place))
        if len(chosen) == 10:
            break
    return [names[place] for place in chosen]
