"""Steps on a list of candidates, one after another, in any order and number. A step is one module and one line in `STEPS`.

A step reorders a list, drops items, cuts them down, splits them or widens them. What it has made of an item is always a
list of ranges of the document's canonical text, so that evidence and citations go on working behind it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from importlib import import_module
from typing import Any

from ..chunking import Chunk
from ..documents import Document
from ..documents.spans import text_of
from ..protocols import LanguageModel, Reranker

LARGEST = 1_000_000  # what a count in a step may be
OFFLINE = "offline"


@dataclass(frozen=True)
class Step:
    """What a step is.

    `settings`: its settings with their defaults. A float goes from 0 to 1, a whole number from 1 to `LARGEST`, unless
    `bounds` says otherwise; a text is one of `choices` where these name it. `model`: the kind of model that its setting
    `model` names ("" for none); without a name, or with "offline" for a step of `own_rule`, it goes by rules of its own.
    `tasks`: what a language model is asked, by the value of the setting `scale` where there is one. `rarity`: it asks how
    rare a term is. `whole`: it works on what would be served for an item, not on the chunk that was matched.
    """

    settings: Mapping[str, Any]
    model: str = ""  # "", language, reranking, embedding
    tasks: Mapping[str, str] = field(default_factory=dict)
    rarity: bool = False
    whole: bool = False
    own_rule: bool = False
    choices: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    bounds: Mapping[str, tuple[float, float]] = field(default_factory=dict)

    def task(self, settings: Mapping[str, Any]) -> str:
        """What a language model is asked with some settings."""
        return self.tasks.get(str(settings.get("scale", self.settings.get("scale", ""))), "")

    def asks(self, settings: Mapping[str, Any]) -> bool:
        """Whether it uses a model with some settings."""
        name = settings.get("model", self.settings.get("model", ""))
        return bool(self.model) and not (self.own_rule and name in ("", OFFLINE))


_ANY = (-1e9, 1e9)

STEPS: dict[str, Step] = {
    "closeness": Step({"weight": 0.5}, rarity=True),
    "relevance": Step(
        {"model": OFFLINE, "keep": 10, "scale": "yes-no"}, "language", {"yes-no": "relevance", "graded": "answered"},
        choices={"scale": ("yes-no", "graded")},
    ),
    "cross-encoder": Step({"model": "", "keep": 20}, "reranking"),
    "embedding": Step({"model": "", "keep": 40, "least": -1.0}, "embedding", bounds={"least": (-1, 1)}),
    "split": Step({"size": 300}, whole=True),
    "extract": Step(
        {"model": OFFLINE, "keep": 10, "share": 0.45, "first": 5, "least": 0.0, "around": 0}, "language", {"": "extract"},
        rarity=True, whole=True, own_rule=True, bounds={"around": (0, 100)},
    ),
    "floor": Step(
        {"least": 0.0, "of": "score", "model": "", "spare": 0}, "embedding", own_rule=True,
        choices={"of": ("score", "share", "likeness")}, bounds={"least": _ANY, "spare": (0, LARGEST)},
    ),
    "distinct": Step(
        {"way": "likeness", "above": 0.8, "balance": 0.7, "keep": 40, "model": ""}, "embedding", own_rule=True,
        choices={"way": ("likeness", "marginal")},
    ),
    "order": Step(
        {"way": "best-first", "keep": 5}, choices={"way": ("best-first", "both-ends", "document")},
    ),
    "neighbours": Step(
        {"before": 1, "after": 1, "unit": "sentences", "keep": 10}, whole=True,
        choices={"unit": ("sentences", "chunks")}, bounds={"before": (0, 100), "after": (0, 100)},
    ),
}  # fmt: skip


@dataclass(frozen=True)
class Item:
    """A candidate as a step sees it: `score` is that of the step before, `text` and `ranges` what it looks at, `source`
    the title and headings over it. `changed` says that the ranges are no longer those of its chunk, or of what would be
    served for it."""

    chunk: int
    score: float
    text: str
    source: str = ""
    doc: str = ""
    ranges: Chunk = ()
    changed: bool = False


Rarity = Callable[[str], float]
Likeness = Callable[[Sequence[str], str], Any]  # (texts, "query" or "passage") → unit vectors, shape (texts, d)
Refined = list[Item]


@dataclass(frozen=True)
class StepMeans:
    """What a step may use, each None where its entry in `STEPS` does not ask for it: how rare a term is in the corpus,
    its model, the documents by name, and the ranges of the chunks that stand at some distance from a chunk in its
    document (empty beyond its ends).

    Into `failures` a step writes, by place of the question, why it could not look at an item; into `unfound` how many
    quotes of a model occur nowhere in what it was shown.
    """

    rarity: Rarity | None = None
    language: LanguageModel | None = None
    reranker: Reranker | None = None
    vectors: Likeness | None = None
    document: Callable[[str], Document] | None = None
    beside: Callable[[int, int], Chunk] | None = None
    wording: str = ""  # the user's own prompt in place of the task's
    failures: dict[int, str] = field(default_factory=dict)
    unfound: dict[int, int] = field(default_factory=dict)


@dataclass(frozen=True)
class Ranked:
    """What a step leaves of a question's list, best first, as (chunk, score). `texts`: of each item the ranges of its
    text, none for one whose text no step has changed; empty where that holds of all. `unfound`: quotes of a model that
    occur nowhere in what it was shown, and were passed over."""

    items: tuple[tuple[int, float], ...] = ()
    failure: str = ""
    texts: tuple[Chunk, ...] = ()
    unfound: int = 0

    @property
    def pieces(self) -> list[tuple[int, float, Chunk]]:
        """(chunk, score, ranges) of each item."""
        texts = self.texts or ((),) * len(self.items)
        return [(chunk, score, ranges) for (chunk, score), ranges in zip(self.items, texts, strict=True)]


def settings_of(step: Mapping[str, Any]) -> dict[str, Any]:
    """A step's settings but for its model and prompt, defaults filled in."""
    known = STEPS[step["step"]].settings
    return {key: step.get(key, default) for key, default in known.items() if key != "model"}


def check_setting(step: str, key: str, value: Any) -> None:
    """Raises ValueError for a value of another type, or out of the range, of a setting that the step has."""
    kind = STEPS[step]
    default = kind.settings[key]
    if isinstance(default, str):
        if not isinstance(value, str):
            raise ValueError(f"step '{step}', {key}: must be text in quotes, not {value!r}")
        if key in kind.choices and value not in kind.choices[key]:
            raise ValueError(f"step '{step}', {key}: {value!r} is not one of {', '.join(kind.choices[key])}")
        return
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not abs(value) < float("inf"):
        raise ValueError(f"step '{step}', {key}: must be a number, not {value!r}")
    whole = isinstance(default, int)
    low, high = kind.bounds.get(key, (1, LARGEST) if whole else (0, 1))
    if (whole and not isinstance(value, int)) or not low <= value <= high:
        told = "a whole number from" if whole else "from"
        raise ValueError(f"step '{step}', {key}: must be {told} {low:,} to {high:,}, not {value!r}")


def apply(
    name: str,
    questions: Sequence[str],
    items: Sequence[Sequence[Item]],
    settings: Mapping[str, Any],
    means: StepMeans,
) -> list[Ranked]:
    """What one step leaves of each question's candidates."""
    module: Any = import_module(f"{__name__}.{name.replace('-', '_')}")
    rows: list[Refined] = module.apply(questions, items, means, **settings)
    made = []
    for place, row in enumerate(rows):
        changed = any(item.changed for item in row)
        texts = tuple(item.ranges if item.changed else () for item in row) if changed else ()
        found = tuple((item.chunk, round(item.score, 9)) for item in row)
        made.append(Ranked(found, means.failures.get(place, ""), texts, means.unfound.get(place, 0)))
    return made


def cut(item: Item, ranges: Chunk, text: str) -> Item:
    """An item with other ranges of its document, whose canonical text is `text`."""
    return replace(item, ranges=ranges, text=text_of(text, ranges), changed=True)
