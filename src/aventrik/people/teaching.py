"""Puts cases that people decided into the judge's prompt, and measures on others whether that helps."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from ..core.errors import BadInput
from ..core.protocols import Task
from ..execution.open_workspace import OpenWorkspace
from ..models.prompts import fenced, load_prompt
from ..workspace.files import write_whole
from ..workspace.reviews import Reviews
from .verdicts import CANT_TELL, VERDICT, ReviewItem, Sample, labelled

_HELD = 4  # held-out claims below which nothing can be said
_BEGIN, _END = "Decided by people before:", "So much for what was decided. Now this one:"


@dataclass(frozen=True)
class Taught:
    """Where the wording was written, how many cases stand in it, on how many others it was tried, and the share of those
    on which the judge says what people say, before and after."""

    path: Path
    examples: int
    held_out: int
    before: float
    after: float

    def as_json(self) -> dict[str, Any]:
        """The documented shape of `review --teach --json`."""
        return asdict(self) | {"path": str(self.path)}


def teach(opened: OpenWorkspace, sample: Sample, reviews: Reviews, count: int) -> Taught:
    """Writes prompts/verdict.txt with up to `count` decided cases, at most half of those that there are, those that the
    judge has otherwise first and every verdict among them; asks the judge about the others in both wordings. Raises
    `BadInput` for a judge without a prompt, and for too few cases."""
    name = opened.workspace.settings.roles.judges[0]
    judge = opened.models.language(name)
    if not hasattr(judge, "prompt"):
        raise BadInput(
            f"the judge '{name}' has no prompt that examples could stand in; name a model that reads as judge"
        )
    if sample.what != VERDICT:
        raise BadInput("--teach puts verdicts on claims into the prompt; a criterion has its [[cases]]")
    labels = labelled(sample, reviews)
    decided = []
    for item in labels.items:
        said = {each.decision for each in labels.said.get(item.id, {}).values()} - {CANT_TELL}
        if len(said) == 1:
            decided.append((item, said.pop()))
    chosen = _chosen(decided, min(count, len(decided) // 2))
    used = {item.question.id for item, _ in chosen}
    held = [(item, said) for item, said in decided if item.question.id not in used]
    if not chosen or len(held) < _HELD:
        raise BadInput(f"{len(decided)} claims are decided: too few to give some as examples and try it on others")
    own = opened.workspace.prompts / "verdict.txt"
    plain = without_cases(load_prompt("verdict", opened.workspace.prompts).text)
    text = with_cases(plain, "\n".join(_case(number, *each) for number, each in enumerate(chosen, 1)))
    before, after = (_agreeing(judge, held, wording) for wording in (plain, text))
    write_whole(own, text)
    return Taught(own, len(chosen), len(held), before, after)


def without_cases(text: str) -> str:
    """A wording without the cases that stand in it."""
    return re.sub(f"{re.escape(_BEGIN)}\n.*?\n{re.escape(_END)}\n+", "", text, flags=re.DOTALL)


def with_cases(text: str, cases: str, material: str = r"\$\{?(claims|context|question)\b") -> str:
    """A wording with cases before the first line that holds material, which `material`, a pattern, tells."""
    lines = text.split("\n")
    first = next(n for n, line in enumerate(lines) if re.search(material, line))
    block = [_BEGIN, cases.replace("$", "$$"), _END, ""]
    return "\n".join([*lines[:first], *block, *lines[first:]])


def _chosen(decided: Sequence[tuple[ReviewItem, str]], count: int) -> list[tuple[ReviewItem, str]]:
    """Cases from different questions, those that the judge has otherwise first, the verdicts in turn."""
    ordered = sorted(decided, key=lambda pair: (pair[0].judge == pair[1], -pair[0].confidence))
    found: list[tuple[ReviewItem, str]] = []
    questions: set[str] = set()
    while len(found) < count:
        kinds = [said for _, said in found]
        left = [pair for pair in ordered if pair[0].question.id not in questions]
        if not left:
            break
        chosen = min(left, key=lambda pair: (kinds.count(pair[1]), ordered.index(pair)))
        found.append(chosen)
        questions.add(chosen[0].question.id)
    return found


def _case(number: int, item: ReviewItem, said: str) -> str:
    context = " / ".join(" ".join(served.text.split()) for served in item.context)
    return fenced(
        f"case {number}",
        f"question: {item.question.question}\nclaim: {item.claim}\ncontext: {context}\nverdict: {said}",
    )


def _agreeing(judge: Any, held: Sequence[tuple[ReviewItem, str]], wording: str) -> float:
    tasks = [
        Task(
            "verdict",
            {
                "context": [each.fields for each in item.context],
                "question": item.question.question,
                "claims": [item.claim],
            },
            wording,
        )
        for item, _ in held
    ]
    replies = judge.perform(tasks)
    right = sum(bool(r.value) and r.value["verdicts"][0]["verdict"] == said for r, (_, said) in zip(replies, held))
    return right / len(held)
