"""The screen on which a person decides, one thing after another: one key a decision, undo, leave and come back."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol

from rich.console import Console, Group, RenderableType
from rich.rule import Rule
from rich.text import Text

from ..core.visible import visible


@dataclass(frozen=True)
class Choice:
    """A decision that can be made: its key, its name, and what it means."""

    key: str
    name: str
    means: str = ""


class Matter(Protocol):
    """What is decided on. Places count from 0."""

    @property
    def choices(self) -> Sequence[Choice]: ...

    def __len__(self) -> int: ...

    def shown(self, place: int, width: int) -> RenderableType:
        """What a person looks at before the decision."""
        ...

    def revealed(self, place: int) -> RenderableType:
        """What is shown once a decision is made: the judge's word."""
        ...

    def decided(self, place: int) -> str:
        """The decision that stands; "" for none."""
        ...

    def decide(self, place: int, decision: str, reason: str) -> None:
        """Writes a decision down, at once."""
        ...

    def undo(self, place: int) -> None:
        """Takes a decision back."""
        ...


@dataclass
class Session:
    """Where one is, what was done, and what a key does; the screen only shows it."""

    matter: Matter
    place: int = 0
    done: list[int] = field(default_factory=list)  # places in the order in which they were decided here
    reveal: bool = False
    note: str = ""
    scroll: int = 0

    def start(self) -> None:
        """Goes to the first thing that is not decided."""
        self.place = next((n for n in range(len(self.matter)) if not self.matter.decided(n)), len(self.matter) - 1)

    def press(self, key: str) -> bool:
        """Does what a key says; False when it is to leave."""
        self.note = ""
        choice = next((each for each in self.matter.choices if each.key == key), None)
        if choice is not None:
            self._decide(choice.name)
        elif key in ("right", "j"):
            self._go(self.place + 1)
        elif key in ("left", "k"):
            self._go(self.place - 1)
        elif key == "u":
            self._undo()
        elif key == "v":
            self._look()
        elif key == "down":
            self.scroll += 3
        elif key == "up":
            self.scroll = max(0, self.scroll - 3)
        elif key == "q":
            return False
        else:
            keys = ", ".join(f"{each.key} {each.name}" for each in self.matter.choices)
            self.note = f"no such key; {keys}, u undo, v the judge's word, ← → to move, r reason, q leave"
        return True

    def explain(self, reason: str) -> None:
        """Gives the decision that stands a reason."""
        decision = self.matter.decided(self.place)
        if decision:
            self.matter.decide(self.place, decision, reason)
            self.note = "reason kept"

    def _decide(self, decision: str) -> None:
        self.matter.decide(self.place, decision, "")
        if self.place not in self.done:
            self.done.append(self.place)
        here = self.place
        nothing_left = all(self.matter.decided(n) for n in range(len(self.matter)))
        if nothing_left:
            self.note = "everything is decided; q leaves"
        else:
            self.place = next(
                (n for n in (*range(here + 1, len(self.matter)), *range(here)) if not self.matter.decided(n)), here
            )
        self.reveal = self.place == here
        self.scroll = 0

    def _undo(self) -> None:
        if self.done:
            self.place = self.done.pop()
        elif not self.matter.decided(self.place):
            self.note = "nothing to take back here"
            return
        self.matter.undo(self.place)
        self.reveal = False
        self.note = "taken back"

    def _look(self) -> None:
        if self.matter.decided(self.place):
            self.reveal = not self.reveal
        else:
            self.note = "decide first: the judge's word would lead you"

    def _go(self, place: int) -> None:
        self.place = min(max(0, place), len(self.matter) - 1)
        self.reveal = False
        self.scroll = 0


def drawn(session: Session, width: int, height: int) -> str:
    """The screen as text with the terminal's own marks: head, what is decided on (as far as it is scrolled), foot."""
    matter, place = session.matter, session.place
    known = sum(bool(matter.decided(n)) for n in range(len(matter)))
    head = Text(f"{place + 1} of {len(matter)}", style="bold")
    head.append(f"   {known} decided", style="dim")
    decision = matter.decided(place)
    if decision:
        head.append(f"   you said: {decision}", style="bold cyan")
    body: list[RenderableType] = [matter.shown(place, width)]
    if session.reveal and decision:
        body.append(matter.revealed(place))
    keys = Text()
    for choice in matter.choices:
        keys.append(f" {choice.key} ", style="reverse")
        keys.append(f" {choice.name}   ")
    keys.append("u undo  v judge's word  r reason  ←→ move  ↑↓ scroll  q leave", style="dim")
    lines = _lines(Group(head, Rule(style="dim")), width)
    foot = _lines(Group(Rule(style="dim"), keys, Text(visible(session.note), style="yellow")), width)
    room = max(3, height - len(lines) - len(foot) - 1)
    middle = _lines(Group(*body), width)
    session.scroll = min(session.scroll, max(0, len(middle) - room))
    part = middle[session.scroll : session.scroll + room]
    if session.scroll + room < len(middle):
        part[-1] = _lines(Text("… ↓ more", style="dim"), width)[0]
    return "\n".join([*lines, *part, *[""] * (room - len(part)), *foot])


def _lines(what: RenderableType, width: int) -> list[str]:
    out = io.StringIO()
    console = Console(
        file=out, width=max(40, width), force_terminal=True, color_system="standard", legacy_windows=False
    )
    console.print(what)
    return out.getvalue().rstrip("\n").split("\n")


def review(session: Session, input: Any = None, output: Any = None) -> None:
    """Shows the screen until it is left. `input` and `output` stand in for the terminal in tests."""
    from prompt_toolkit.application import Application, get_app
    from prompt_toolkit.formatted_text import ANSI
    from prompt_toolkit.key_binding import KeyBindings, KeyPressEvent
    from prompt_toolkit.keys import Keys
    from prompt_toolkit.layout import Layout, Window
    from prompt_toolkit.layout.controls import FormattedTextControl

    typing: list[str] | None = None  # a reason that is being written

    def text() -> ANSI:
        size = get_app().output.get_size()
        if typing is not None:
            session.note = "reason (Enter keeps it, Esc drops it): " + "".join(typing)
        return ANSI(drawn(session, size.columns, size.rows))

    keys = KeyBindings()

    def pressed(name: str) -> Callable[[KeyPressEvent], None]:
        def handle(event: KeyPressEvent) -> None:
            nonlocal typing
            if typing is not None:
                return
            if not session.press(name):
                event.app.exit()

        return handle

    for name in ("left", "right", "up", "down"):
        keys.add(name)(pressed(name))

    @keys.add(Keys.Any)
    def _(event: KeyPressEvent) -> None:
        nonlocal typing
        key = event.data
        if typing is not None:
            if key.isprintable():
                typing.append(key)
        elif key == "r":
            if session.matter.decided(session.place):
                typing = []
            else:
                session.note = "decide first, then give the reason"
        elif key.isprintable() and not session.press(key):
            event.app.exit()

    @keys.add("enter")
    def _(event: KeyPressEvent) -> None:
        nonlocal typing
        if typing is not None:
            reason, typing = "".join(typing).strip(), None
            session.explain(reason)

    @keys.add("backspace")
    def _(event: KeyPressEvent) -> None:
        if typing:
            typing.pop()

    @keys.add("escape", eager=True)
    def _(event: KeyPressEvent) -> None:
        nonlocal typing
        typing = None
        session.note = ""

    @keys.add("c-c")
    @keys.add("c-d")
    def _(event: KeyPressEvent) -> None:
        event.app.exit()

    window = Window(FormattedTextControl(text, focusable=True), wrap_lines=False, always_hide_cursor=True)
    Application(Layout(window), key_bindings=keys, full_screen=True, input=input, output=output).run()
