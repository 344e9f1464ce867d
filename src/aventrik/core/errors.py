"""The errors a user can cause, each one line that says what, where and what to do."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


class AventrikError(Exception):
    """Something the user can mend. `code` is the exit code of the program."""

    code = 2


class BadInput(AventrikError):
    """A file, a setting or an argument that can't be used."""


class Unreadable(BadInput):
    """A document that can't be read; the message is the reason."""


class Unavailable(AventrikError):
    """A model, a server or the store that could not be used."""

    code = 3


class Damaged(BadInput):
    """Something in the store is not what was written there."""


# What else to know before an extra is installed.
_HINTS = {
    "neural": "; without a graphics card install the CPU build of torch first (a '+cpu' wheel, 0.2 GB), or pip takes one of 6 GB"
}


class MissingExtra(BadInput):
    """A part of the program that needs an optional package."""

    def __init__(self, what: str, extra: str) -> None:
        hint = _HINTS.get(extra, "")
        super().__init__(f"{what} needs the extra '{extra}': pip install 'aventrik[{extra}]'{hint}")


@contextmanager
def disk_errors(path: Path) -> Iterator[None]:
    """Turns what a disk throws while `path` is written into one line that says what to do."""
    try:
        yield
    except PermissionError as error:
        raise BadInput(f"{error.filename or path}: no permission to write there") from None
    except OSError as error:
        raise Unavailable(
            f"{error.filename or path}: can't be written ({error.strerror}); run it again when it can"
        ) from None
