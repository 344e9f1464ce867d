"""The program's door: finds the verb, imports it alone, and turns what goes wrong into one line."""

from __future__ import annotations

import argparse
import contextlib
import os
import sys
from collections.abc import Sequence
from importlib import import_module
from typing import NoReturn, TextIO

from .. import __version__
from ..core.visible import visible

INTERNAL = 4
BROKEN_PIPE = 128 + 13  # as the shell counts a program that SIGPIPE ends

# In the order of the work. Nothing heavy is imported until a verb is chosen.
VERBS = {
    "demo": "lay out the demo workspace and run the full example on it",
    "new": "start a workspace",
    "models": "list the models of aventrik.toml and test their connections",
    "gather": "read files and folders into the corpus",
    "vet": "find documents unfit for use; leave out, take back, export",
    "cut": "show how a configuration would chunk the corpus",
    "survey": "topics of the corpus, the map, and what a test set leaves uncovered",
    "draft": "write a test set from the corpus",
    "locate": "turn a log of real questions into a test set; what people ask and no document holds",
    "review": "look through questions, passages or verdicts and decide; how far judges agree with people",
    "testsets": "list, export, split, merge, sample, remove test sets; how like real questions one is",
    "ask": "one question through configurations, now: every stage's output",
    "run": "apply configurations to a test set",
    "score": "judge what another system answered, from a file or live",
    "runs": "list, label, note or remove runs",
    "compare": "runs side by side: which is better, and is that real",
    "explain": "one question of a run: what was found and lost where",
    "report": "a page for colleagues; CSV, JSONL, Parquet and TREC files",
    "gate": "pass or fail a run against limits or a baseline, for CI",
    "store": "what is stored; back up, restore, clean",
    "standin": "start the simulated model server",
}
EPILOG = """
The order of the work: new, gather, vet, cut, survey, draft, locate, review, testsets, run, score, compare, explain,
report, gate.
Start with 'aventrik demo'; 'aventrik VERB --help' tells the rest.
"""


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs the program; returns its exit code: 0 done, 1 a check failed, 2 bad input, 3 unavailable, 4 a fault of the
    program's own, 141 nobody reads its output any more. (`aventrik.__main__` ends it on signals.)"""
    given = _verb_first(list(sys.argv[1:] if arguments is None else arguments))
    verb = given[0] if given and given[0] in VERBS else ""
    try:
        code = _begin(given)
        if sys.stdout is not None:
            sys.stdout.flush()
        return code
    except BrokenPipeError:
        _let_go(sys.stdout)
        return BROKEN_PIPE
    except OSError as error:
        _let_go(sys.stdout)
        return _print_error(verb, f"the output can't be written ({error.strerror or error})", 3, False)


def standard_streams() -> None:
    """Makes standard input, output and error fit for any use: one that is closed is opened on nothing, lest a file
    takes its number, and a letter that an encoding lacks becomes a question mark."""
    for number, mode in enumerate((os.O_RDONLY, os.O_WRONLY, os.O_WRONLY)):
        try:
            os.fstat(number)
        except OSError:
            os.open(os.devnull, mode)  # takes the lowest number that is free, which is this one
    for name in ("stdout", "stderr"):
        stream = getattr(sys, name)
        if stream is None:
            setattr(sys, name, open(os.devnull, "w", encoding="utf-8"))  # noqa: SIM115  (stays open to the end)
        elif hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="replace")


def _let_go(stream: TextIO | None) -> None:
    """Lets what is left in a stream's buffer go nowhere, so that the end of the process does not trip over it."""
    with contextlib.suppress(OSError, ValueError, AttributeError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), stream.fileno())  # type: ignore[union-attr]


def _begin(given: list[str]) -> int:
    if not given or given[0] in ("-h", "--help", "help"):
        print(_overview())
        return 0
    if given[0] == "--version":
        print(f"aventrik {__version__}")
        return 0
    if given[0] not in VERBS:
        import difflib

        near = difflib.get_close_matches(given[0], VERBS, n=1)
        hint = f"did you mean '{near[0]}'?" if near else "'aventrik --help' lists the verbs"
        return _print_error("", f"'{given[0]}' is not a verb; {hint}", 2, "--json" in given)
    return _run(given[0], given[1:])


def _verb_first(given: list[str]) -> list[str]:
    """Options that hold everywhere may stand before the verb; they are put behind it."""
    before: list[str] = []
    rest = list(given)
    while rest and rest[0].startswith("-"):
        name = rest[0].partition("=")[0]
        if name in ("-w", "--workspace"):
            count = 1 if "=" in rest[0] or (name == "-w" and rest[0] != "-w") else 2
        elif (name.startswith("-w") and not name.startswith("--")) or name in ("--json", "--quiet", "--debug"):
            count = 1
        else:
            return given
        before.extend(rest[:count])
        rest = rest[count:]
    return [rest[0], *before, *rest[1:]] if rest else given


def _print_error(verb: str, text: str, code: int, as_json: bool) -> int:
    """An error on standard error, and with --json on standard output too."""
    with contextlib.suppress(OSError):
        print(f"aventrik{' ' if verb else ''}{verb}: {visible(text)}", file=sys.stderr, flush=True)
    if as_json:
        print(_error_body(verb, code, text))
    return code


def _error_body(verb: str, code: int, text: str) -> str:
    import json

    return json.dumps({"verb": verb, "error": {"code": code, "message": visible(text)}})


def _overview() -> str:
    lines = [f"  {verb:<9} {told}" for verb, told in VERBS.items()]
    head = "usage: aventrik VERB [options]\n\nWhich retrieval configuration is better on your own documents, is that"
    return f"{head} real, why,\nand what does it cost?\n\nverbs:\n" + "\n".join(lines) + "\n" + EPILOG.rstrip()


class _VerbParser(argparse.ArgumentParser):
    """A parser whose errors are JSON too when that was asked for."""

    as_json = False

    def error(self, message: str) -> NoReturn:
        """Usage and the error, as argparse has it; JSON beside it."""
        if self.as_json:
            print(_error_body(self.prog.removeprefix("aventrik "), 2, message))
        super().error(visible(message))


def _run(verb: str, rest: list[str]) -> int:
    module = import_module(f"{__package__}.verbs.{verb}")
    parser = _VerbParser(prog=f"aventrik {verb}", description=module.HELP)
    parser.as_json = "--json" in rest
    module.arguments(parser)
    common = parser.add_argument_group("everywhere, before the verb too")
    common.add_argument("-w", "--workspace", metavar="DIR", default=".", help="the workspace (default: here or above)")
    common.add_argument("--json", action="store_true", help="print the result, or the error, as JSON")
    common.add_argument("--quiet", action="store_true", help="no progress")
    common.add_argument("--debug", action="store_true", help="show the traceback of an error")
    options = parser.parse_args(rest)

    from ..core.errors import AventrikError
    from .screen import Screen

    screen = Screen(verb, as_json=options.json, quiet=options.quiet)
    try:
        code: int = module.run(options, screen)
        return code
    except AventrikError as error:
        _traced(options.debug)
        screen.error(str(error), error.code)
        return error.code
    except KeyboardInterrupt:
        screen.error("interrupted; what was finished is kept, and the same command goes on", 130)
        return 130
    except MemoryError:
        _traced(options.debug)
        screen.error("out of memory; a smaller corpus or a smaller batch may fit", 3)
        return 3
    except OSError as error:
        _traced(options.debug)
        if not error.filename:  # what has no name is the output
            raise
        screen.error(f"{error.filename}: {error.strerror}", 3)
        return 3
    except Exception as error:
        _traced(options.debug)
        screen.error(f"this should not have happened: {_reported(error, verb, options.workspace)}", INTERNAL)
        return INTERNAL


def _traced(wanted: bool) -> None:
    if wanted:
        import traceback

        print(visible(traceback.format_exc()), file=sys.stderr)


def _reported(error: Exception, verb: str, workspace: str) -> str:
    """What went wrong inside the program, on one line, and where its report was written. The report holds the
    traceback and the versions: no text of a document, no setting, no variable of the environment."""
    import platform
    import tempfile
    import traceback

    told = f"{type(error).__name__}: {' '.join(str(error).split())[:200]}"
    stack = "".join(traceback.format_tb(error.__traceback__))
    body = (
        f"aventrik {__version__}, Python {platform.python_version()}, {platform.platform()}\nverb: {verb}\n\n{stack}\n"
    )
    store = os.path.join(workspace, ".aventrik")
    for folder in (store if os.path.isdir(store) else None, None):
        try:
            number, path = tempfile.mkstemp(".txt", "fault-", folder)
            with open(number, "w", encoding="utf-8", errors="backslashreplace") as file:
                file.write(f"{body}{type(error).__name__}\n")
            return f"{told} (a report is in {path}; --debug shows it here)"
        except OSError:
            continue
    return f"{told} (--debug shows where)"
