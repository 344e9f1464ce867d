"""`aventrik new`: starts a workspace."""

from __future__ import annotations

import argparse

from ..arguments import given_path
from ..screen import Screen

HELP = "Starts a workspace: a folder with a commented aventrik.toml, one starter configuration, and limits for gate."


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("dir", metavar="DIR", type=given_path, help="the folder, made when it is missing")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Lays the workspace out."""
    from ... import api

    api.new(options.dir)
    screen.result({"workspace": str(options.dir)})
    screen.say(f"started the workspace {options.dir}: aventrik.toml, configs/starter.toml, gate.toml")
    screen.say(f"next: cd {options.dir} && aventrik gather PATH_OF_YOUR_DOCUMENTS")
    return 0
