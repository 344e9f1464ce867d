"""The screen on which a person decides, one thing after another: one key a decision, undo, leave and come back."""

from __future__ import annotations

import io
import sys
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol

from rich.console import Console, Group, RenderableType
from rich.rule import Rule
from rich.table import Table
from rich.text import Text

from ...core.errors import BadInput
from ...core.visible import visible

_NARROWEST = 40


@dataclass(frozen=True)
class Choice:
    """A decision that can be made: its key, its name, and what it means; `why` are reasons that are offered with it."""

    key: str
    name: str
    means: str = ""
    why: tuple[str, ...] = ()


@dataclass(frozen=True)
class Act:
    """Something else that keys do: its name, what is to be typed for it ("" for nothing), and what it means."""

    keys: str
    name: str
    asks: str = ""
    means: str = ""


class Matter(Protocol):
    """What is decided on. Places count from 0. `judge` names what `v` shows; `blind` says whether that is hidden until a
    decision is made."""

    @property
    def choices(self) -> Sequence[Choice]: ...

    @property
    def acts(self) -> Sequence[Act]: ...

    @property
    def judge(self) -> str: ...

    @property
    def blind(self) -> bool: ...

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

    def draft(self, place: int, act: Act, key: str) -> str:
        """What stands in the line already when something is to be typed for an act."""
        ...

    def do(self, place: int, act: Act, key: str, text: str) -> str:
        """Does an act; returns what is to be told of it."""
        ...


class NoActs:
    """A matter on which one only decides, and without the judge's word before."""

    acts: Sequence[Act] = ()
    judge = "the judge's word"
    blind = True

    def draft(self, place: int, act: Act, key: str) -> str:
        """Nothing."""
        return ""

    def do(self, place: int, act: Act, key: str, text: str) -> str:
        """Nothing."""
        return ""


@dataclass
class Typing:
    """A line that is being typed: what it is for, what stands in it, where the cursor is."""

    label: str
    text: str
    done: Callable[[str], None]
    cursor: int = 0

    def press(self, key: str) -> None:
        """Edits the line; `key` is a letter, or the name of a key."""
        if key == "backspace":
            if self.cursor:
                self.text = self.text[: self.cursor - 1] + self.text[self.cursor :]
                self.cursor -= 1
        elif key == "delete":
            self.text = self.text[: self.cursor] + self.text[self.cursor + 1 :]
        elif key in ("left", "right"):
            self.cursor = min(max(0, self.cursor + (1 if key == "right" else -1)), len(self.text))
        elif key in ("home", "up"):
            self.cursor = 0
        elif key in ("end", "down"):
            self.cursor = len(self.text)
        elif key == "clear":
            self.text, self.cursor = "", 0
        elif key.isprintable():
            self.text = self.text[: self.cursor] + key + self.text[self.cursor :]
            self.cursor += len(key)


@dataclass
class Session:
    """Where one is, what was done, and what a key does; the screen only shows it."""

    matter: Matter
    place: int = 0
    done: list[int] = field(default_factory=list)  # places in the order in which they were decided here
    reveal: bool = False
    note: str = ""
    scroll: int = 0
    typing: Typing | None = None
    helping: bool = False

    def start(self) -> None:
        """Goes to the first thing that is not decided."""
        self.place = next((n for n in range(len(self.matter)) if not self.matter.decided(n)), len(self.matter) - 1)

    def press(self, key: str) -> bool:
        """Does what a key says; False when it is to leave. Keys without a letter go by their names: left, right, up, down,
        home, end, enter, escape, backspace, delete, clear (of a line)."""
        if self.typing is not None:
            self._type(key)
            return True
        self.note = ""
        if self.helping:
            self.helping = False
            return True
        choice = next((each for each in self.matter.choices if each.key == key), None)
        act = next((each for each in self.matter.acts if key in each.keys and len(key) == 1), None)
        if choice is not None:
            self._choose(choice)
        elif act is not None:
            self._act(act, key)
        elif key == "q":
            return False
        else:
            self._move(key)
        return True

    def paste(self, text: str) -> None:
        """Puts pasted text into the line that is being typed; of several lines one. Elsewhere it is no keys."""
        if self.typing is not None:
            self.typing.press(" ".join("".join(c if c.isprintable() else " " for c in text).split()))
        else:
            self.note = "pasted text is passed over: nothing is being typed"

    def _move(self, key: str) -> None:
        if key in ("right", "j"):
            self._go(self.place + 1)
        elif key in ("left", "k"):
            self._go(self.place - 1)
        elif key == "home":
            self._go(0)
        elif key == "end":
            self._go(len(self.matter) - 1)
        elif key == "down":
            self.scroll += 3
        elif key == "up":
            self.scroll = max(0, self.scroll - 3)
        elif key == "u":
            self._undo()
        elif key == "v":
            self._look()
        elif key == "r":
            if self.matter.decided(self.place):
                self._ask("reason", "", self.explain)
            else:
                self.note = "decide first, then give the reason"
        elif key == "g":
            self._ask(f"go to number (1 to {len(self.matter)})", "", self._goto)
        elif key == "?":
            self.helping = True
        elif key not in ("enter", "escape", "backspace", "delete", "clear"):
            self.note = "no such key; ? tells what each one does"

    def explain(self, reason: str) -> None:
        """Gives the decision that stands a reason."""
        decision = self.matter.decided(self.place)
        if decision:
            self.matter.decide(self.place, decision, reason)
            self.note = "reason kept"

    def _ask(self, label: str, text: str, done: Callable[[str], None]) -> None:
        self.typing = Typing(label, text, done, len(text))

    def _type(self, key: str) -> None:
        typing = self.typing
        assert typing is not None
        if key == "escape":
            self.typing, self.note = None, ""
        elif key == "enter":
            self.typing = None
            typing.done(typing.text.strip())
        else:
            typing.press(key)

    def _choose(self, choice: Choice) -> None:
        if not choice.why:
            self._decide(choice.name, "")
            return
        offered = ", ".join(f"{number} {why}" for number, why in enumerate(choice.why, 1))

        def decide(text: str) -> None:
            known = text.isdecimal() and 1 <= int(text) <= len(choice.why)
            self._decide(choice.name, choice.why[int(text) - 1] if known else text)

        self._ask(f"{choice.name}, why? {offered}, or your own words, or nothing", "", decide)

    def _act(self, act: Act, key: str) -> None:
        if act.asks:
            place = self.place
            self._ask(act.asks, self.matter.draft(place, act, key), lambda text: self._did(place, act, key, text))
        else:
            self._did(self.place, act, key, "")

    def _did(self, place: int, act: Act, key: str, text: str) -> None:
        self.note = self.matter.do(place, act, key, text)

    def _decide(self, decision: str, reason: str) -> None:
        self.matter.decide(self.place, decision, reason)
        if self.place not in self.done[-1:]:
            if self.place in self.done:
                self.done.remove(self.place)
            self.done.append(self.place)
        here, count = self.place, len(self.matter)
        self.place = next((n for n in (*range(here + 1, count), *range(here)) if not self.matter.decided(n)), here)
        if self.place == here:
            self.note = "everything is decided; q leaves"
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
        if self.matter.decided(self.place) or not self.matter.blind:
            self.reveal = not self.reveal
        else:
            self.note = f"decide first: {self.matter.judge} would lead you"

    def _go(self, place: int) -> None:
        self.place = min(max(0, place), len(self.matter) - 1)
        self.reveal = False
        self.scroll = 0

    def _goto(self, text: str) -> None:
        if text.isdecimal() and 1 <= int(text) <= len(self.matter):
            self._go(int(text) - 1)
        else:
            self.note = f"there are numbers 1 to {len(self.matter)}"

    def legend(self) -> list[tuple[str, str]]:
        """Every key with what it does."""
        rows = [(each.key, f"{each.name}{f': {each.means}' if each.means else ''}") for each in self.matter.choices]
        rows.extend((_named(each.keys), each.means or each.name) for each in self.matter.acts)
        rows.extend(
            [
                ("u", "take the last decision back"), ("r", "give the decision a reason"), ("v", self.matter.judge),
                ("← → or k j", "go back, go on"), ("home end", "the first, the last"), ("g", "go to a number"),
                ("↑ ↓", "scroll"), ("?", "this list"), ("q", "leave; what was decided is kept"),
            ]
        )  # fmt: skip
        return rows


def _named(keys: str) -> str:
    return f"{keys[0]}–{keys[-1]}" if keys.isdigit() and len(keys) > 1 else " ".join(keys)


def drawn(session: Session, width: int, height: int) -> str:
    """The screen as text with the terminal's own marks: head, what is decided on (as far as it is scrolled), foot."""
    matter, place = session.matter, session.place
    head = Text(f"{place + 1} of {len(matter)}", style="bold")
    known = sum(bool(matter.decided(n)) for n in range(len(matter)))
    head.append(f"   {known} decided", style="dim")
    decision = matter.decided(place)
    if decision:
        head.append(f"   you said: {decision}", style="bold cyan")
    if session.helping:
        grid = Table.grid(padding=(0, 2))
        grid.add_column(justify="right", style="bold cyan")
        for key, told in session.legend():
            grid.add_row(Text(visible(key)), Text(visible(told)))
        body: list[RenderableType] = [grid]
    else:
        body = [matter.shown(place, width)]
        if session.reveal and (decision or not matter.blind):
            body.append(matter.revealed(place))
    lines = _lines(Group(head, Rule(style="dim")), width)
    foot = _lines(Group(Rule(style="dim"), *_foot(session)), width)
    foot = foot[: max(4, height // 2)]
    room = max(1, height - len(lines) - len(foot) - 1)
    middle = _lines(Group(*body), width)
    session.scroll = min(session.scroll, max(0, len(middle) - room))
    part = middle[session.scroll : session.scroll + room]
    if session.scroll + room < len(middle):
        part[-1] = _lines(Text("… ↓ more", style="dim"), width)[0]
    return "\n".join([*lines, *part, *[""] * (room - len(part)), *foot])


def _foot(session: Session) -> list[RenderableType]:
    if session.typing is not None:
        typing = session.typing
        before, here, after = (
            visible(typing.text[: typing.cursor]), visible(typing.text[typing.cursor : typing.cursor + 1]) or " ",
            visible(typing.text[typing.cursor + 1 :]),
        )  # fmt: skip
        line = Text.assemble((before, "bold"), (here, "reverse"), (after, "bold"))
        return [Text(visible(typing.label), style="yellow"), line, Text("Enter keeps it, Esc drops it", style="dim")]
    keys = Text()
    for choice in session.matter.choices:
        keys.append(f" {choice.key} ", style="reverse")
        keys.append(f" {visible(choice.name)}   ")
    for act in session.matter.acts:
        keys.append(f"{_named(act.keys)} {visible(act.name)}  ", style="dim")
    keys.append(f"u undo  v {session.matter.judge}  r reason  ←→ move  ↑↓ scroll  ? keys  q leave", style="dim")
    return [keys, Text(visible(session.note), style="yellow")]


def _lines(what: RenderableType, width: int) -> list[str]:
    out = io.StringIO()
    console = Console(
        file=out, width=max(_NARROWEST, width), force_terminal=True, color_system="standard", legacy_windows=False
    )
    console.print(what)
    return out.getvalue().rstrip("\n").split("\n")


def ask(matter: Matter) -> None:
    """Opens the screen; raises `BadInput` where there is no terminal for it."""
    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        raise BadInput(
            "there is no terminal here to decide in; --to FILE writes a CSV sheet to fill in, --from FILE reads it, "
            "--agreement tells what was decided so far"
        )
    session = Session(matter)
    session.start()
    review(session)


def review(session: Session, input: Any = None, output: Any = None) -> None:
    """Shows the screen until it is left. `input` and `output` stand in for the terminal in tests."""
    from prompt_toolkit.application import Application, get_app
    from prompt_toolkit.formatted_text import ANSI
    from prompt_toolkit.key_binding import KeyBindings, KeyPressEvent
    from prompt_toolkit.keys import Keys
    from prompt_toolkit.layout import Layout, Window
    from prompt_toolkit.layout.controls import FormattedTextControl

    def text() -> ANSI:
        size = get_app().output.get_size()
        return ANSI(drawn(session, size.columns, size.rows))

    keys = KeyBindings()

    def pressed(name: str) -> Callable[[KeyPressEvent], None]:
        def handle(event: KeyPressEvent) -> None:
            if not session.press(name):
                event.app.exit()

        return handle

    for name in ("left", "right", "up", "down", "home", "end", "enter", "backspace", "delete"):
        keys.add(name)(pressed(name))
    keys.add("escape", eager=True)(pressed("escape"))
    keys.add("c-u")(pressed("clear"))

    @keys.add(Keys.Any)
    def _(event: KeyPressEvent) -> None:
        if event.data.isprintable() and not session.press(event.data):
            event.app.exit()

    @keys.add(Keys.BracketedPaste)
    def _(event: KeyPressEvent) -> None:
        session.paste(event.data)

    @keys.add("c-c")
    @keys.add("c-d")
    def _(event: KeyPressEvent) -> None:
        event.app.exit()

    window = Window(FormattedTextControl(text, focusable=True), wrap_lines=False, always_hide_cursor=True)
    application: Application[None] = Application(
        Layout(window), key_bindings=keys, full_screen=True, input=input, output=output
    )
    application.ttimeoutlen = 0.1  # seconds after which an escape is the key, and not the start of another's code
    application.run()
