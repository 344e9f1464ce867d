"""A comparison as one self-contained page: what colleagues see who were not there."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from markupsafe import Markup

from ..core.comparing.sides import less_is_better
from ..core.errors import BadInput
from ..core.measures.loss import STAGES
from ..core.visible import visible
from ..execution.open_workspace import OpenWorkspace
from ..kept.accounts import questions_of
from ..questions.gaps import Gaps, find_gaps
from ..results.comparison import Comparison
from ..results.comparison_json import comparison_json
from ..results.crossing import crossed_by
from ..workspace.files import write_whole
from .comparison import panel_svg
from .decision import decision, population_told
from .details import Details, details_of
from .map import embedded, policy
from .notes import Note, doubts_about, notes_of, warnings_of
from .packing import json_of
from .page_tables import (
    beaten_told,
    contributions_table,
    corrected_table,
    groups_table,
    interactions_told,
    legend,
    losses_table,
    option_of,
    runs_table,
    settings_table,
)
from .run_names import by_weight

_PICTURES = {
    "intervals": "Means with their 95 % intervals",
    "cost": "Quality against cost",
    "settings": "Two settings crossed",
    "lost": "Where needed facts were lost",
    "time": "Over time",
}
_GAPS = 12


@dataclass(frozen=True)
class WrittenPage:
    """The page: its size in bytes, and of how many items the text was left out so that it is no larger."""

    path: Path
    runs: int
    questions: int
    size: int
    cut: int

    def as_json(self) -> dict[str, Any]:
        """The documented shape of `report --json`."""
        return asdict(self) | {"path": str(self.path)}


def write_report(
    path: Path, opened: OpenWorkspace, found: Comparison, title: str, most: int, progress: Callable[[str, int, int], None],
    calls: bool = False,
) -> WrittenPage:  # fmt: skip
    """Writes the page in one step, of at most about `most` bytes as far as that is a matter of texts; with `calls`, what model
    servers were sent for the best run, the baseline and the one that the best is held against. The same comparison gives
    the same bytes. Raises `BadInput` for a file in a place where none can be."""
    from jinja2 import Environment, PackageLoader

    if path.is_dir():
        raise BadInput(f"{path}: is a folder; name a file")
    if path.suffix.lower() not in (".html", ".htm"):
        raise BadInput(f"{path}: a page's name ends in .html")
    environment = Environment(
        loader=PackageLoader(__package__), autoescape=True, trim_blocks=True, lstrip_blocks=True, finalize=_seen
    )
    script = environment.get_template("report.js").render()
    made = _Page(opened, found, progress)
    shown = made.context(title)
    fixed = len(environment.get_template("report.html").render(**shown, policy="", script=script, blocks={}, data=""))
    called = [
        place
        for place in dict.fromkeys((found.best, found.against, found.baseline))
        if found.runs[place].made.get("format")
    ]
    details = details_of(opened, found, max(1_000_000, most - fixed), progress, called if calls else ())
    data = embedded(json_of(made.data(details, called if calls else ())))
    page = environment.get_template("report.html").render(
        **shown, policy=policy([script], builds=False), script=script, blocks=details.blocks, data=data
    )
    body = page.encode("utf-8", "replace")
    write_whole(path, body)
    return WrittenPage(path, len(found.runs), found.shared, len(body), details.cut)


class _Page:
    """What the page shows, ready for its template."""

    def __init__(self, opened: OpenWorkspace, found: Comparison, progress: Callable[[str, int, int], None]) -> None:
        self.opened, self.found, self.progress = opened, found, progress

    def context(self, title: str) -> dict[str, Any]:
        """All that the template is handed, but for the blocks."""
        found = self.found
        sets = ", ".join(sorted({run.testset for run in found.runs}))
        what = (
            f"{len(found.runs)} configuration{'s' if len(found.runs) > 1 else ''} on {found.shared} questions of {sets}"
        )
        heed = [*doubts_about(self.opened, found), *warnings_of(found)]
        notes = [*(Note(told, True) for told in heed), *notes_of(found), *self._cut_notes()]
        return {
            "title": title or what,
            "subtitle": f"{what}, by {found.measure}" if title else f"by {found.measure}",
            "facts": self._facts(),
            "decision": [{"label": label, "text": text} for label, text in decision(found)],
            "notes": [asdict(note) for note in notes],
            "runs": runs_table(found),
            "legend": legend(found),
            "pictures": self._pictures(),
            "contributions": contributions_table(found),
            "interactions": interactions_told(found),
            "groups": groups_table(found),
            "beaten": beaten_told(found),
            "losses": losses_table(found),
            "corrected": corrected_table(found),
            "options": [{"place": place, "text": option_of(found, place)} for place in range(len(found.runs))],
            "measures": self._measures(),
            "chosen": self._pair(),
            "gaps": self._gaps(),
            "settings": settings_table(found),
            "made": self._made(),
            "prompts": self._prompts(),
        }

    def data(self, details: Details, called: Sequence[int]) -> dict[str, Any]:
        """What the page's script works with."""
        found = self.found
        return {
            "comparison": comparison_json(found),
            "questions": details.questions,
            "documents": details.documents,
            "stages": list(STAGES),
            "measures": self._measures(),
            "less": [name for name in self._measures() if less_is_better(name, found.own)],
            "measure": found.measure,
            "called": list(called),
            "names": [option_of(found, place) for place in range(len(found.runs))],
        }

    def _cut_notes(self) -> list[Note]:
        early = [run.id for run in self.found.runs if not run.made.get("format")]
        return (
            [Note(f"of runs {early} an earlier version kept scores alone: no lists and answers", True)] if early else []
        )

    def _measures(self) -> list[str]:
        """The measures that questions can be looked at by: those that are shown, and what every run has."""
        found = self.found
        known = {name for side in found.sides for name in side.sheet.columns}
        first = [name for name in dict.fromkeys([found.measure, *found.measures]) if name in known]
        return [*first, *sorted(name for name in known if name not in first)]

    def _facts(self) -> list[tuple[str, str]]:
        found = self.found
        runs = found.runs
        judges = list(dict.fromkeys(str(run.made.get("judge") or "none") for run in runs))
        documents = list(dict.fromkeys(str(run.made.get("documents", "–")) for run in runs))
        days = sorted(run.finished[:10] for run in runs if run.finished)
        facts = [
            ("made", days[0] if days and days[0] == days[-1] else f"{days[0]} to {days[-1]}" if days else "–"),
            ("test set", ", ".join(dict.fromkeys(run.testset for run in runs)) + f", {found.shared} questions that all runs share"),
            ("documents", " / ".join(documents)),
            ("judged by", ", ".join("nobody: no answers" if judge == "none" else judge for judge in judges)),
            ("a need is met", f"when {float(runs[0].made.get('cover', 0.9)):.0%} of its evidence is served"),
            ("inferred to", population_told(found).removeprefix("inferred to: ")),
            ("baseline", option_of(found, found.baseline)),
        ]  # fmt: skip
        kinds = {label: 0 for labels in found.facets.get("kind", {}).values() for label in labels}
        for labels in found.facets.get("kind", {}).values():
            for label in labels:
                kinds[label] += 1
        if kinds:
            facts.insert(2, ("kinds of questions", ", ".join(f"{label} {count}" for label, count in kinds.items())))
        return facts

    def _pictures(self) -> list[dict[str, str]]:
        found = self.found
        names = by_weight(found)[:2]
        crossed = crossed_by(self.opened, found, names)[0] if len(names) > 1 else None
        made = []
        for place, (panel, caption) in enumerate(_PICTURES.items()):
            self.progress("drawing", place, len(_PICTURES))
            if panel == "settings" and crossed is None:
                continue
            if panel == "time" and len({run.name for run in found.runs}) == len(found.runs):
                continue  # each configuration once: nothing went on over time
            try:
                made.append(
                    {
                        "name": panel,
                        "caption": caption,
                        "svg": _inline(panel_svg(found, panel, crossed), panel, caption),
                    }
                )
            except BadInput:  # nothing to draw
                continue
        return made

    def _pair(self) -> tuple[int, int]:
        """The two runs that questions are first shown for: what the best is held against, and the best."""
        return self.found.against, self.found.best

    def _gaps(self) -> list[dict[str, Any]]:
        found = self.found
        run = found.runs[found.best]
        if not run.made.get("format") or found.scored.kind not in ("share", "score"):
            return []
        questions = [question for question in questions_of(self.opened.store, run) if question.key in found.bodies]
        try:
            made: Gaps = find_gaps(self.opened, questions, run, found.measure, "none")
        except BadInput:
            return []
        return [
            {
                "words": ", ".join(group.words[:5]) or "no words of their own", "asked": group.asked,
                "members": [{"id": each.id, "question": each.question, "why": each.why} for each in group.members],
            }
            for group in made.groups[:_GAPS]
        ]  # fmt: skip

    def _made(self) -> list[tuple[str, str]]:
        """Versions and models, each with the runs that it is of."""
        told: dict[tuple[str, str], list[int]] = {}
        for run in self.found.runs:
            made = run.made
            facts = [("program", str(made.get("program", "an earlier version"))), ("seed", str(made.get("seed", "–")))]
            facts.append(("documents (key)", run.corpus[:12]))
            facts.append(
                (
                    "versions of the stages",
                    ", ".join(f"{name} {version}" for name, version in made.get("stages", {}).items()),
                )
            )
            facts += [
                (f"model of {slot}", str(each.get("identity", each) if isinstance(each, dict) else each))
                for slot, each in made.get("models", {}).items()
            ]
            source = made.get("source")
            facts += [("brought from", str(source))] if source else []
            for fact in facts:
                told.setdefault(fact, []).append(run.id)
        every = len(self.found.runs)
        return [
            (name if len(ids) == every else f"{name} (runs {_ranges(ids)})", value)
            for (name, value), ids in told.items() if value
        ]  # fmt: skip

    def _prompts(self) -> list[dict[str, str]]:
        told: dict[tuple[str, str], list[int]] = {}
        for run in self.found.runs:
            for task, wording in run.made.get("prompts", {}).items():
                told.setdefault((str(task), str(wording)), []).append(run.id)
        return [
            {"name": f"{task}, runs {_ranges(ids)}", "text": wording} for (task, wording), ids in told.items()
        ]  # fmt: skip


def _ranges(numbers: Sequence[int]) -> str:
    """'3–7, 9'."""
    parts: list[list[int]] = []
    for each in sorted(numbers):
        if parts and each == parts[-1][-1] + 1:
            parts[-1] = [parts[-1][0], each]
        else:
            parts.append([each])
    return ", ".join("–".join(map(str, dict.fromkeys(part))) for part in parts)


def _seen(value: Any) -> Any:
    """What the template puts out, all of it visible; what is markup already was made here."""
    return visible(value) if isinstance(value, str) and not isinstance(value, Markup) else value


def _inline(svg: str, name: str, told: str) -> str:
    """An SVG to stand in the page: ids of its own, a size that follows the page, and what it is called."""
    body = svg[svg.index("<svg") :]
    body = re.sub(r"<metadata>.*?</metadata>", "", body, flags=re.DOTALL)
    body = re.sub(r'\bid="', f'id="{name}-', body)
    body = re.sub(r"url\(#", f"url(#{name}-", body)
    body = re.sub(r'href="#', f'href="#{name}-', body)
    body = re.sub(r'^<svg([^>]*?) width="[^"]*"', r"<svg\1", body, count=1)
    body = re.sub(r'^<svg([^>]*?) height="[^"]*"', r"<svg\1", body, count=1)
    return body.replace("<svg", f'<svg role="img" aria-label="{told}"', 1)
