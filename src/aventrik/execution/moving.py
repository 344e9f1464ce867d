"""A workspace's store moved to another address: from its folder to a server, and back."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from ..core.errors import BadInput
from ..pipeline.inputs import Progress
from ..storage import Address, copied, open_store
from ..workspace.changed_setting import with_setting
from ..workspace.files import write_whole
from ..workspace.settings import SETTINGS, Settings, check_database
from ..workspace.toml import load_toml, validated
from .addresses import address_of
from .open_workspace import OpenWorkspace

FOLDER = "folder"


def move(opened: OpenWorkspace, to: str, progress: Progress) -> dict[str, int]:
    """Copies all of a store to another address ("folder" for the workspace's own), looks through every key and checksum
    there, and has the settings name it; the old store stays as it is. Interrupted, it goes on where it stopped.

    Returns the rows of each table, and how many keys have arrays. Raises `BadInput` for an address that is none, that is
    the present one, or where another store stands.
    """
    if to != FOLDER:
        try:
            check_database(to)
        except ValueError as error:
            raise BadInput(f"--move: an address {error}, or '{FOLDER}'") from None
    workspace = opened.workspace
    here = address_of(workspace)
    there: Address = replace(here, server="" if to == FOLDER else to)
    if there == here:
        raise BadInput("--move: the store is there already")
    source, target = opened.store, open_store(there)
    try:
        made = copied(source, target, progress)
        if wrong := target.damaged(progress):
            raise BadInput(f"--move: {len(wrong):,} rows or arrays are not what was written, the first: {wrong[0]}")
    finally:
        target.close()
    _note(workspace.folder / SETTINGS, there.server)
    return made


def _note(path: Path, server: str) -> None:
    """Has the settings name the address."""
    _, text = load_toml(path)
    changed = with_setting(text, "store", "address", server)
    write_whole(path, changed)
    content, text = load_toml(path)
    validated(Settings, content, path, text)
