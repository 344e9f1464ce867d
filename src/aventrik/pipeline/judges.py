"""What judges an answer, as nodes: one judge, or several side by side whose word is joined; and the user's criteria."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from ..core.criteria import CONTEXT, Grade
from ..core.judging import Judgement
from .resolved import Resolved, WantedModel
from .stage import QUESTION, Node, SoFar, Stage
from .stages import answers

_NAMES = 1024  # names of nodes that are kept in mind: they are asked for with each question of each run
TASKS = ("claims", "verdict", "stated", "addressed")
_TIME = ", time "  # before the number, in the name of a node that is made another time
OF = " of "  # before the judge's name, in the name of a node that is one of several


@dataclass(frozen=True)
class Joining:
    """How the word of several judges is joined."""

    way: str = "majority"


JOINED = (
    Stage("joined verdicts", 2, QUESTION, (), answers.joined_verdicts, record=Judgement, together=1024),
    Stage("joined grades", 1, QUESTION, (), answers.joined_grades, record=Grade, together=1024),
)
_VERDICTS, _GRADES = JOINED


def verdict_nodes(stage: Stage, resolved: Resolved, before: SoFar) -> Iterator[Node]:
    """The node "verdicts"; before it, where there are several judges, a node for each, the first of which splits the
    answer into claims for all."""
    judges = resolved.judges
    inputs = {name: before.source(name) for name in stage.inputs}
    if len(judges) == 1:
        yield Node("verdicts", stage, inputs, None, _judge(judges[0], TASKS))
        return
    first = ""
    for judge in judges:
        given = dict(inputs) | ({"first": first} if first else {})
        node = Node(f"verdicts{OF}{judge}", stage, given, None, _judge(judge, TASKS))
        first = first or node.name
        yield node
    each: dict[str, str | None] = {judge: f"verdicts{OF}{judge}" for judge in judges}
    yield Node("verdicts", _VERDICTS, each, Joining(resolved.together))


def score_nodes(stage: Stage, resolved: Resolved, before: SoFar) -> Iterator[Node]:
    """The scores of an answer, and behind them those by each of several judges."""
    whole = stage.node(resolved, before)
    yield whole
    for judge in resolved.judges if len(resolved.judges) > 1 else ():
        own = whole.inputs | {"verdicts": f"verdicts{OF}{judge}"}
        yield Node(f"{whole.name}{OF}{judge}", stage, own, stage.settings(resolved))


def criterion_nodes(stage: Stage, resolved: Resolved, before: SoFar) -> Iterator[Node]:
    """A node "criterion NAME" for each criterion, and before it one for each of several judges."""
    inputs = {name: before.source(name) for name in stage.inputs}
    for criterion in resolved.criteria:
        if not resolved.answers and criterion.parts != (CONTEXT,):
            continue
        name = f"criterion {criterion.name}"
        judges = (criterion.judge,) if criterion.judge else resolved.judges
        if len(judges) == 1:
            yield Node(name, stage, inputs, criterion, _judge(judges[0], ("criterion",)))
            continue
        for judge in judges:
            yield Node(f"{name}{OF}{judge}", stage, inputs, criterion, _judge(judge, ("criterion",)))
        yield Node(name, _GRADES, {judge: f"{name}{OF}{judge}" for judge in judges}, criterion)


def replicate_name(node: str, time: int) -> str:
    """What a node is called that is made another time: "answer, time 2"."""
    return f"{node}{_TIME}{time}"


@lru_cache(maxsize=_NAMES)
def replicate_of(node: str) -> int:
    """Which time a node is of: 1 for the first, which all others have as well."""
    head, _, time = node.rpartition(_TIME)
    return int(time) if head and time.isdecimal() else 1


@lru_cache(maxsize=_NAMES)
def stage_name(node: str) -> str:
    """The name of the stage of a node, by the node's."""
    if _TIME in node and replicate_of(node) > 1:
        node = node.rpartition(_TIME)[0]
    for word in ("step", "rewrite", "alone"):  # a node each
        if node.startswith(f"{word} "):
            return word
    return "criterion" if node.startswith("criterion ") else node.partition(OF)[0] if OF in node else node


@lru_cache(maxsize=_NAMES)
def criterion_of(node: str) -> str:
    """The criterion whose grade a node holds; "" for any other node, and for the grade of one of several judges."""
    return node.removeprefix("criterion ") if node.startswith("criterion ") and OF not in node else ""


@lru_cache(maxsize=_NAMES)
def judge_of(node: str) -> str:
    """The judge whose word a node holds where there are several; "" for any other node."""
    return node.partition(OF)[2].partition(_TIME)[0]


def _judge(name: str, tasks: tuple[str, ...]) -> dict[str, WantedModel]:
    return {"judge": WantedModel("language", name, tasks)}
