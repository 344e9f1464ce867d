"""Ends the program when it is told to, whatever it is doing: in a long computation, in a model's call, while it loads.

Nothing is unwound, which could wait for something that never comes: what the store has finished is safe at any moment,
and what it has not is made again. Only what is light is imported here.
"""

from __future__ import annotations

import os
import signal
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from types import FrameType

_NAMES = ("SIGINT", "SIGTERM", "SIGHUP")
_PATIENCE = 1.5  # seconds until the end comes though its line can't be written
_told = threading.Lock()
_home = 0  # the process that ends itself; those forked from it leave that to it


@contextmanager
def ending_when_told(arguments: list[str]) -> Iterator[None]:
    """Ends the program on Ctrl-C, SIGTERM and SIGHUP, with one line and exit code 128 and the signal's number.

    Python runs its own handlers between two steps of the main thread, which may be a long way off in a library; so a
    thread of its own waits for the signal's number at the other end of a pipe. A signal that whoever started the
    program had it ignore stays ignored. Other processes that were forked from this one ignore Ctrl-C.
    """
    global _home
    wanted = [found for name in _NAMES if (found := getattr(signal, name, None)) is not None]
    before = {number: signal.getsignal(number) for number in wanted}
    caught = [number for number in wanted if before[number] is not signal.SIG_IGN]
    reading, writing = os.pipe()
    os.set_blocking(writing, False)
    _home = os.getpid()

    def handle(number: int, frame: FrameType | None) -> None:
        _end(number, arguments)

    def wait() -> None:
        while number := os.read(reading, 1):
            if number[0] in caught:
                _end(number[0], arguments)

    threading.Thread(target=wait, name="aventrik-ending", daemon=True).start()
    earlier = signal.set_wakeup_fd(writing, warn_on_full_buffer=False)
    for each in caught:
        signal.signal(each, handle)
    if hasattr(os, "register_at_fork"):
        os.register_at_fork(after_in_child=_as_child)
    try:
        yield
    finally:
        _home = 0
        signal.set_wakeup_fd(earlier)
        for each in caught:
            signal.signal(each, before[each])
        os.close(writing)


def _as_child() -> None:
    if _home and os.getpid() != _home:
        signal.set_wakeup_fd(-1)
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        signal.signal(signal.SIGTERM, signal.SIG_DFL)


def _end(number: int, arguments: list[str]) -> None:
    if os.getpid() != _home:
        return
    if not _told.acquire(blocking=False):
        time.sleep(2 * _PATIENCE)  # another thread is at it, and ends this one too
        return
    code = 128 + number
    late = threading.Timer(_PATIENCE, os._exit, (code,))
    late.daemon = True
    late.start()
    with suppress(Exception):  # there may be nobody left to tell
        _end_children()
        what = "interrupted" if number == signal.SIGINT else f"stopped by {signal.Signals(number).name}"
        told = f"{what}; what was finished is kept, and the same command goes on"
        verb = next((each for each in arguments if each.isalpha()), "")
        if "--json" in arguments:
            body = f'{{"verb": "{verb}", "error": {{"code": {code}, "message": "{told}"}}}}\n'
            os.write(1, body.encode())
        shown = "\x1b[?25h\r\x1b[K" if os.isatty(2) else ""  # a meter may have hidden the cursor
        os.write(2, f"{shown}aventrik{' ' if verb else ''}{verb}: {told}\n".encode())
    os._exit(code)


def _end_children() -> None:
    """Kills the processes that read files: they ignore Ctrl-C, and nobody would take what they still make."""
    module = sys.modules.get("multiprocessing")
    for child in module.active_children() if module is not None else ():
        child.kill()
