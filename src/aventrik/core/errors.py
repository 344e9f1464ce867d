"""The errors a user can cause, each one line that says what, where and what to do."""


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


class MissingExtra(BadInput):
    """A part of the program that needs an optional package."""

    def __init__(self, what: str, extra: str) -> None:
        super().__init__(f"{what} needs the extra '{extra}': pip install 'aventrik[{extra}]'")
