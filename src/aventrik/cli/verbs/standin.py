"""`aventrik standin`: starts the simulated model server."""

from __future__ import annotations

import argparse
import os
import sys

from ..arguments import SEEDS, finite, whole
from ..screen import Screen

HELP = (
    "Starts a simulated model server on this machine. It answers this tool's prompts by the built-in rules, and can be "
    "made slow, to fail, to hang and to send broken replies, so that you can see what a real server's faults would do."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument(
        "--system", action="store_true",
        help="also play a question-answering system over the documents of the workspace, at /ask",
    )  # fmt: skip
    parser.add_argument(
        "--wrong", type=finite, default=0.3, metavar="SHARE", help="of its answers, spoilt (default 0.3)"
    )
    parser.add_argument("--host", default="127.0.0.1", help="default: this machine alone")
    parser.add_argument("--port", type=whole(0, 65_535), default=8077, help="default 8077; 0 takes a free one")
    parser.add_argument("--latency", type=finite, default=0.0, metavar="SECONDS", help="before each reply")
    parser.add_argument(
        "--limit", type=whole(0), default=0, metavar="N", help="requests a minute; more are answered 429"
    )
    for fault, told in (
        ("fail", "answered 500"),
        ("hang", "never answered"),
        ("short", "with half of the text"),
        ("broken", "with JSON that is none"),
    ):
        parser.add_argument(f"--{fault}", type=finite, default=0.0, metavar="SHARE", help=f"share of requests {told}")
    parser.add_argument("--hang-seconds", type=finite, default=3600.0, metavar="SECONDS", help="how long a hang lasts")
    parser.add_argument("--seed", type=whole(0, SEEDS), default=0, help="which requests the faults fall on")
    parser.add_argument("--key-variable", metavar="NAME", default="", help="want the key in this environment variable")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Serves until it is stopped."""
    from ...core.errors import BadInput
    from ...standin.server import Manners, make_server

    for fault in ("fail", "hang", "short", "broken", "wrong"):
        if not 0 <= getattr(options, fault) <= 1:
            raise BadInput(f"--{fault} must be from 0 to 1")
    key = os.environ.get(options.key_variable, "") if options.key_variable else ""
    if options.key_variable and not key:
        raise BadInput(f"the environment variable {options.key_variable} is not set")
    manners = Manners(
        latency=options.latency,
        limit=options.limit,
        fail=options.fail,
        hang=options.hang,
        short=options.short,
        broken=options.broken,
        hang_seconds=options.hang_seconds,
        seed=options.seed,
        key=key,
    )
    more = {}
    if options.system:
        from ... import api
        from ...standin.desk import PATH, desk_of
        from ..opening import open_workspace

        opened = open_workspace(options, screen)
        api.check_documents(opened)
        more[PATH] = desk_of(opened.folder, options.wrong, options.seed).reply
    try:
        server = make_server(manners, options.host, options.port, more)
    except OSError as error:
        raise BadInput(f"can't listen on {options.host}:{options.port} ({error.strerror})") from None
    address = f"http://{options.host}:{server.server_port}"
    if options.json:
        screen.result({"address": address})
    else:
        if options.system:
            screen.say(f"a question-answering system over these documents answers at {address}{PATH}")
        screen.say(f"the stand-in listens at {address}; {address}/log counts what it did; Ctrl-C stops it")
    sys.stdout.flush()
    try:
        server.serve_forever()
    except KeyboardInterrupt:
        return 0
    finally:
        server.server_close()
    return 0
