"""The account of one question as `explain` shows it."""

from __future__ import annotations

import textwrap
from dataclasses import asdict
from typing import TYPE_CHECKING, Any

from rich.text import Text

from ...api.records import KEPT, STOP_WORDS, WORD, judge_of, last_list, stem, why
from ...report.figures import number
from ..screen import Screen, shortened
from .chains import covers_told, in_context, show_cut, show_list, show_queries, show_steps

if TYPE_CHECKING:
    from ...api.records import Explanation


MARKS = {
    "supported": ("✓", "green"), "contradicted": ("✗", "red"), "not found": ("?", "yellow"),
    "too far to tell": ("~", "blue"), "not judged": ("–", "magenta"),
}  # fmt: skip


def as_json(found: Explanation) -> dict[str, Any]:
    """The documented shape of `explain --json`."""
    return {
        "run": found.run.id if found.run else None,
        "name": found.configuration.name,
        "question": {"id": found.question.id, "text": found.question.question, "answer": found.question.answer},
        "needs": [
            {**need, "spans": [vars(span) for span in need["spans"]], "why": why(need["lost"])} for need in found.needs
        ],
        "stages": {name: asdict(record) for name, record in found.stages.items()},
        "chunks": found.chunks,
        "lists": {name: [asdict(item) for item in items] for name, items in found.lists.items()},
    }


def show(found: Explanation, screen: Screen, top: int, steps: bool = False) -> None:
    """Prints the account in the order of the stages."""
    question, stages = found.question, found.stages
    screen.title(f"{question.id} in run {found.run.id if found.run else ''}, {found.configuration.name}")
    screen.say(question.question, style="bold")
    if question.answer:
        screen.say(f"reference answer: {question.answer}")
    _needs(found, screen)
    show_stages(found, screen, top)
    if steps:
        show_lists(found, screen, top)
    scores = {
        k: v for name in ("retrieval scores", "answer scores") if name in stages for k, v in stages[name].values.items()
    }
    shown = [f"{name} {number(value)}" for name, value in scores.items() if "@" not in name or name.endswith("@5")]
    screen.title("scores")
    screen.say(", ".join(shown))


def show_stages(
    found: Explanation, screen: Screen, top: int, texts: bool = False, seconds: dict[str, float] | None = None
) -> None:
    """Queries, what each reranking step left, candidates, context (its texts too when wanted), answer, verdicts and
    grades; `seconds` are those of each stage, where they are known."""
    if found.outside:
        _brought(found, screen, top)
    else:
        show_queries(found, screen)
        show_steps(found, screen, seconds)
        _candidates(found, screen, top)
    _context(found, screen, texts)
    _answer(found.stages, screen)
    _grades(found.stages, screen)


def show_lists(found: Explanation, screen: Screen, top: int) -> None:
    """The list that search found and that behind each reranking step."""
    for name in found.lists:
        show_list(found, screen, name, top)


def _brought(found: Explanation, screen: Screen, top: int) -> None:
    """The list, or else the context, of another system."""
    again = found.stages["found again"]
    items = found.stages["served"].items
    if not items:
        screen.title("nothing is known of what the system retrieved")
        return
    there = sum(bool(item.ranges) for item in items)
    what = "ranked list" if again.ranked else "context"
    screen.title(f"{what} as it came: {len(items)} items, {there} of them found in the documents")
    if not again.ranked:
        screen.say("its own list is not known: what its model was not shown counts as not found", style="dim")
    wanted = _words(found.question.question)
    for rank, item in enumerate(items, 1):
        chunk = found.chunks[item.chunk]
        covers = [f"holds {cover:.0%} of need {n}" for n, cover in enumerate(chunk["covers"], 1) if cover > 0]
        if rank > top and not covers:
            continue
        line = Text(f"{rank:>3}. ", style="bold")
        line.append(
            shortened(": ".join([chunk["doc"], " › ".join(chunk["source"][-2:])]).rstrip(": "), 90), style="not bold"
        )
        line.append("  " + ", ".join(covers) if covers else "", style="bold green")
        if chunk["text"]:
            line.append("\n     ")
            line.append_text(_marked(_line_about(chunk["text"], wanted, screen.out.width - 6), wanted))
        screen.text(line)


def _needs(found: Explanation, screen: Screen) -> None:
    if not found.needs:
        screen.say("the documents do not answer this question: the right answer is to decline")
        return
    screen.title("what an answer needs, and where it was lost")
    for place, need in enumerate(found.needs, 1):
        line = Text(f"{place}. {shortened(need['fact'] or need['spans'][0].quote, 200)}\n")
        style = "green" if need["lost"] in KEPT else "red"
        if need["lost"]:
            line.append(f"   → {need['lost']}", style=f"bold {style}")
            line.append(f": {why(need['lost'])}")
        rank, cover = need["best"]
        if rank:
            line.append(f"\n   best in the refined list: rank {rank}, which covers {cover:.0%} of it", style="dim")
        for span in need["spans"][:3]:
            where = f"{span.doc}, {span.start:,}–{span.end:,}" if span.start >= 0 else f"{span.doc}, not found there"
            line.append(f"\n   {where}: “{shortened(span.quote, 110)}”", style="dim")
        screen.text(line)


def _candidates(found: Explanation, screen: Screen, top: int) -> None:
    candidates = {candidate.chunk: candidate for candidate in found.stages["candidates"].found}
    steps = [step["step"] for step in found.configuration.reranking]
    searched = {chunk: rank for rank, chunk in enumerate(candidates, 1)}
    many = f"{', '.join(steps[:6])}{f' and {len(steps) - 6} more' if len(steps) > 6 else ''}"
    screen.title(f"candidates: {len(candidates)} found" + (f", reranked by {many}" if steps else ""))
    if candidates and not found.ranked:
        screen.warn("the reranking steps left nothing of them; the answer can only decline")
    for rank, item in enumerate(found.lists[last_list(found.stages)], 1):
        place = item.chunk
        chunk = found.chunks[place]
        covers = covers_told(item)
        if rank > top and not covers:
            continue
        row = candidates[place]
        lists = (("keyword", row.keyword_rank, row.keyword_score), ("vector", row.vector_rank, row.vector_score))
        methods = [f"{name} {at} ({number(has, 3)})" for name, at, has in lists if at and has is not None]
        line = Text(f"{rank:>3}. ", style="bold")
        line.append(f"{item.score:.3f}  " + (", ".join(methods) or "found by a rewrite"), style="not bold")
        if steps and searched[place] != rank:
            line.append(f"  (was {searched[place]})", style="not bold")
        line.append("  in the context" if in_context(found, item) else "", style="not bold cyan")
        line.append(covers, style="bold green")
        line.append(
            f"\n     {shortened(chunk['doc'] + ': ' + ' › '.join(chunk['source'][-2:]), 100)}", style="dim not bold"
        )
        line.append("\n     ")
        wanted = _words(found.question.question)
        line.append_text(
            _marked(_line_about(item.text if item.changed else chunk["text"], wanted, screen.out.width - 6), wanted)
        )
        screen.text(line)
        if rank <= top:
            show_cut(item, screen)
    also = ", and every lower one that holds evidence" if found.needs else ""
    screen.say(f"the first {top}{also}; behind a method its rank and score", style="dim")


def _words(question: str) -> set[str]:
    """Stems of the question's own words."""
    return {stem(word) for word in WORD.findall(question.lower()) if word not in STOP_WORDS}


def _line_about(text: str, wanted: set[str], width: int) -> str:
    """The stretch of a chunk that holds most of the wanted words, on one line."""
    found = text.split()
    hits = [any(stem(word.lower()) in wanted for word in WORD.findall(piece)) for piece in found]
    size = max(4, width // 7)
    starts = range(max(1, len(found) - size + 1))
    best = max(starts, key=lambda start: (sum(hits[start : start + size]), -start))
    if best + size <= len(found) and hits[best]:
        best = max(0, best - 3)
    return shortened(("… " if best else "") + " ".join(found[best:]), width)


def _marked(text: str, wanted: set[str]) -> Text:
    """Text with the wanted words underlined."""
    marked = Text(text, style="not bold")
    for word in WORD.finditer(text):
        if stem(word[0].lower()) in wanted:
            marked.stylize("bold underline", word.start(), word.end())
    return marked


def _context(found: Explanation, screen: Screen, texts: bool) -> None:
    if "context" not in found.stages:
        return
    items = found.stages["context"].items
    settings = found.configuration.context
    tokens = sum(item.tokens for item in items)
    serve = found.configuration.chunking.serve
    how = "" if serve == "chunk" else f", a chunk serves its {serve}"
    if found.outside:
        screen.title(f"context: {len(items)} items, {tokens:,} tokens")
    else:
        screen.title(
            f"context: {len(items)} of at most {settings.keep} items, {tokens:,} of {settings.budget:,} tokens{how}"
        )
    wanted = _words(found.question.question)
    for item in items:
        screen.say(f"  [{item.number}] {shortened(item.source or item.doc, 100)} ({item.tokens} tokens)")
        if texts:
            for line in item.text.strip().split("\n"):
                if line:
                    folded = textwrap.wrap(line, max(30, screen.out.width - 6))
                    screen.text(_marked(textwrap.indent("\n".join(folded), "      "), wanted))


def _answer(stages: dict[str, Any], screen: Screen) -> None:
    if "answer" not in stages:
        return
    answer, judged = stages["answer"], stages.get("verdicts")
    screen.title("answer" + (" (declined)" if answer.declined else ""))
    screen.say(answer.text or (f"none: {answer.failure}" if answer.failure else "(empty)"))
    if judged is None:
        return
    if judged.failure:
        screen.warn(f"judging failed: {judged.failure}")
    if judged.declining in ("wholly", "in part"):
        screen.say(f"it declines {judged.declining}: “{shortened(judged.refusal, 140)}”", style="dim")
    if judged.relevance is not None and judged.reason:
        screen.say(f"relevance {judged.relevance:.2f}: {judged.reason}", style="dim")
    if not judged.verdicts:
        return
    several = {judge_of(name): each for name, each in stages.items() if judge_of(name) and name.startswith("verdicts")}
    by = f", by {' and '.join(several)}" if several else ""
    screen.title(f"verdicts on its claims, against the context alone{by}")
    for verdict in sorted(judged.verdicts, key=lambda each: each.support):
        mark, style = MARKS[verdict.verdict]
        line = Text(f"{mark} {verdict.verdict} {verdict.confidence:.2f}", style=f"bold {style}")
        line.append(f"  {verdict.claim}\n", style="default not bold")
        line.append(f"    {verdict.reason}", style="dim not bold")
        for item, quote in verdict.quotes:
            line.append(f"\n    [{item}] “{shortened(quote, 140)}”", style="dim not bold")
        place = judged.verdicts.index(verdict)
        for judge, each in several.items():
            if place < len(each.verdicts):
                own = each.verdicts[place]
                line.append(f"\n    {judge}: {own.verdict} {own.confidence:.2f}", style="dim not bold")
        screen.text(line)


def _grades(stages: dict[str, Any], screen: Screen) -> None:
    """What judges gave by criteria of the user's."""
    for name, found in stages.items():
        criterion = name.removeprefix("criterion ")
        if name == criterion or (found.level is None and not found.failure):
            continue
        screen.title(criterion)
        if found.failure:
            screen.warn(f"judging failed: {found.failure}")
            continue
        line = Text(f"level {found.level}, which counts {found.value:.2f}", style="bold")
        line.append(f"  {found.reason}", style="dim not bold")
        for quote in found.quotes:
            line.append(f"\n    “{shortened(quote, 140)}”", style="dim not bold")
        screen.text(line)
