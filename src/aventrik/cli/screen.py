"""All that is shown: tables and text on standard output, progress and errors on standard error, or JSON."""

from __future__ import annotations

import json
import math
import sys
import time
from collections.abc import Iterable, Sequence
from contextlib import suppress
from itertools import pairwise
from typing import Any, Literal

from rich import box
from rich.console import Console, ConsoleOptions, RenderableType
from rich.markup import escape
from rich.progress import BarColumn, Progress, TaskID, TextColumn, TimeRemainingColumn
from rich.segment import Segment
from rich.table import Table
from rich.text import Span, Text

from ..core.visible import hidden, visible, visible_json

JSON_FORMAT = 2
_EVERY = 5.0  # seconds between plain progress lines


class _Console(Console):
    """A console that lets no control character through that is not its own, whatever is put on it."""

    def render(self, renderable: RenderableType, options: ConsoleOptions | None = None) -> Iterable[Segment]:
        """The segments of what is shown."""
        for segment in super().render(renderable, options):
            yield segment if segment.control else Segment(visible(segment.text), segment.style)

    def on_broken_pipe(self) -> None:
        """Leaves it to the program's door."""
        raise BrokenPipeError


class Screen:
    """Prints for one verb; `as_json` holds back everything but the result. What is shown goes through `visible`: most
    of it comes from documents, models and files."""

    def __init__(self, verb: str, as_json: bool = False, quiet: bool = False) -> None:
        self.verb = verb
        self.as_json = as_json
        self.quiet = quiet
        self.out: Console = _Console(highlight=False, soft_wrap=False, quiet=as_json)
        self.err: Console = _Console(stderr=True, highlight=False)

    def result(self, value: Any) -> None:
        """The verb's result as JSON, when that was asked for: {"verb", "format", "result"}."""
        if self.as_json:
            _put({"verb": self.verb, "format": JSON_FORMAT, "result": value}, indent=1)

    def say(self, text: str = "", style: str = "") -> None:
        """A line or paragraph of plain text."""
        self.out.print(Text(visible(text)), style=style or None)

    def title(self, text: str) -> None:
        """A headline."""
        self.out.print()
        self.out.print(Text(visible(text), style="bold"))

    def text(self, text: Text) -> None:
        """Text with styles of its own."""
        self.out.print(_seen(text))

    def show(self, thing: RenderableType) -> None:
        """Something laid out already."""
        self.out.print(thing)

    def warn(self, text: str) -> None:
        """Something to heed, on standard error."""
        self.err.print(Text(f"note: {visible(text)}"), style="yellow", soft_wrap=not self.err.is_terminal)

    def error(self, text: str, code: int = 2) -> None:
        """What went wrong, on standard error; with `as_json` on standard output too: {"verb", "error"}."""
        if self.as_json:
            _put({"verb": self.verb, "error": {"code": code, "message": text}})
        with suppress(OSError):
            self.err.print(
                Text(f"aventrik {self.verb}: {visible(text)}"), style="red", soft_wrap=not self.err.is_terminal
            )

    def table(
        self,
        columns: Sequence[str],
        rows: Iterable[Sequence[str | Text]],
        right: Sequence[int] = (),
        whole: Sequence[int] = (),
    ) -> None:
        """A table; `right` are the columns set flush right. The widest columns wrap when the terminal is narrow, but
        for those in `whole`."""
        table = Table(box=box.SIMPLE_HEAD, pad_edge=False, padding=(0, 1), header_style="bold", show_edge=False)
        for place, name in enumerate(columns):
            wrap: dict[str, Any] = {"no_wrap": True} if place in whole else {"overflow": "fold"}
            justify: Literal["left", "right"] = "right" if place in right else "left"
            table.add_column(Text(visible(name)), justify=justify, **wrap)
        for row in rows:
            table.add_row(*(_seen(cell if isinstance(cell, Text) else Text(str(cell))) for cell in row))
        self.out.print(table)

    def progress(self) -> Meter:
        """A progress meter, used as a context manager and called with (stage, done, total)."""
        return Meter(self)


class Meter:
    """Progress on standard error: a bar in a terminal, a plain line now and then elsewhere."""

    def __init__(self, screen: Screen) -> None:
        self._screen = screen
        self._bar: Progress | None = None
        self._task: TaskID | None = None
        self._stage = ""
        self._done = 0
        self._began = 0.0
        self._told = 0.0

    def __enter__(self) -> Meter:
        if not self._screen.quiet and self._screen.err.is_terminal:
            self._bar = Progress(
                TextColumn("{task.description}"),
                BarColumn(bar_width=24, complete_style="cyan"),
                TextColumn("{task.completed:,}/{task.total:,}"),
                TextColumn("{task.fields[rate]}"),
                TimeRemainingColumn(),
                console=self._screen.err,
                transient=True,
            )
            self._bar.start()
        return self

    def __exit__(self, *caught: object) -> None:
        if self._bar is not None:
            self._bar.stop()

    def __call__(self, stage: str, done: int, total: int) -> None:
        now = time.monotonic()
        if stage != self._stage or done < self._done:  # another stage, or the same once more
            self._stage, self._began, self._told = stage, now, now if stage != self._stage else self._told
            if self._bar is not None:
                if self._task is not None:
                    self._bar.remove_task(self._task)
                self._task = self._bar.add_task(escape(visible(stage)), total=total, rate="")
        self._done = done
        rate = done / (now - self._began) if now - self._began > 0.2 else 0.0
        if self._bar is not None and self._task is not None:
            self._bar.update(self._task, completed=done, total=total, rate=f"{rate:,.0f}/s" if rate else "")
        elif not self._screen.quiet and now - self._told > _EVERY:
            self._told = now
            left = f", {(total - done) / rate:,.0f} s left" if rate else ""
            pace = f"{rate:,.0f}/s" if rate >= 1 else f"{60 * rate:,.0f} a minute"
            print(f"{visible(stage)}: {done:,} of {total:,} ({pace}{left})", file=sys.stderr, flush=True)


def _put(body: dict[str, Any], indent: int | None = None) -> None:
    """JSON on standard output, in plain ASCII where its encoding has nothing more."""
    plain = not (sys.stdout.encoding or "").lower().replace("-", "").startswith("utf")
    print(visible_json(json.dumps(_sound(body), ensure_ascii=plain, indent=indent, default=str, allow_nan=False)))


def _seen(text: Text) -> Text:
    """A text with all its characters visible, each stretch of it in its style."""
    places = hidden(text.plain)
    if not places:
        return text
    made = Text(style=text.style, justify=text.justify, overflow=text.overflow, no_wrap=text.no_wrap, end=text.end)
    cuts = sorted({0, len(text), *places, *(place + 1 for place in places)})
    for start, end in pairwise(cuts):
        part = text[start:end]
        if start in places:
            part = Text(
                visible(part.plain), spans=[Span(0, len(visible(part.plain)), span.style) for span in part.spans]
            )
        made.append_text(part)
    return made


def _sound(value: Any) -> Any:
    """A value that JSON can hold: what is no finite number is absent (null), never NaN."""
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, dict):
        return {key: _sound(each) for key, each in value.items()}
    if isinstance(value, (list, tuple)):
        return [_sound(each) for each in value]
    return value


def shortened(text: str, width: int) -> str:
    """Text on one line, cut to a width with an ellipsis."""
    text = " ".join(text.split())
    return text if len(text) <= width else text[: max(1, width - 1)].rstrip() + "…"
