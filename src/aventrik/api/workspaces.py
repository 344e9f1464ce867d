"""Workspaces: started, opened, kept for a moment; their models and their store."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..core.errors import BadInput
from .rows import Rows

if TYPE_CHECKING:
    from ..execution.open_workspace import OpenWorkspace
    from ..pipeline.inputs import Progress
    from ..results.auditing import Audited


def open(
    folder: str | Path = ".",
    *,
    progress: Progress | None = None,
    tell: Callable[[str], None] | None = None,
    fresh: bool = False,
) -> OpenWorkspace:
    """Opens the workspace that a folder is, or lies in. Close it, or use it in a `with` statement.

    `progress(stage, done, total)` is called while something long goes on; `tell(note)` with what a user should know and
    that is no error. With `fresh`, models are asked anew whatever the call store has. Raises `BadInput` for a folder that
    is no workspace, or whose settings are wrong (with file, line and key).

    >>> with aventrik.open(folder) as opened:
    ...     aventrik.corpus_size(opened).documents
    3
    """
    from ..execution.open_workspace import OpenWorkspace

    opened = OpenWorkspace(Path(folder), fresh=fresh)
    if progress is not None:
        opened.progress = progress
    if tell is not None:
        opened.tell = tell
    return opened


def new(folder: str | Path) -> None:
    """Starts a workspace: a folder with commented settings, one starter configuration and limits for a gate. Raises
    `BadInput` where one is already.

    >>> aventrik.new(elsewhere)
    >>> (elsewhere / "aventrik.toml").is_file()
    True
    """
    from ..workspace.starter import create

    create(Path(folder))


def temporary(*, progress: Progress | None = None) -> OpenWorkspace:
    """A workspace of its own in a temporary folder, which is removed when it is closed: for a notebook, or a test.

    >>> with aventrik.temporary() as opened:
    ...     aventrik.gather(opened, texts={"fees.md": "# Fees\\n\\nA bridge key costs 12 pounds."}).added
    ['fees.md']
    """
    import tempfile

    from ..workspace.starter import create

    folder = tempfile.TemporaryDirectory(prefix="aventrik-")
    try:
        create(Path(folder.name) / "workspace")
        opened = open(Path(folder.name) / "workspace", progress=progress)
    except BaseException:
        folder.cleanup()
        raise
    opened.keep_until_closed(folder)
    return opened


def check_documents(opened: OpenWorkspace, left_out: bool = False) -> None:
    """Raises `BadInput` where a workspace holds no documents; with `left_out`, those that were left out count too."""
    if not opened.corpus.names(left_out):
        raise BadInput(f"{opened.folder}: no documents yet; 'aventrik gather PATH' reads them in")


@dataclass(frozen=True)
class ModelLine:
    """A model of the settings: its kind (http, local, built-in), what it does, where it is, the roles that it has; and what
    a test of it came to, None where none was made: what the model tells of itself, or `error`."""

    model: str
    kind: str
    does: str
    where: str
    roles: tuple[str, ...]
    test: dict[str, Any] | None = None

    @property
    def fails(self) -> bool:
        """Whether a test of it failed."""
        return bool(self.test and self.test.get("error"))


def list_models(opened: OpenWorkspace, names: Sequence[str] = (), *, test: bool = False) -> Rows[ModelLine]:
    """The models of the settings, all or those that are named; with `test`, each is asked something small. Raises `BadInput`
    for a name that no model has.

    >>> aventrik.list_models(opened)
    Rows()
    """
    from ..workspace.toml import nearest

    settings = opened.workspace.settings
    for name in names:
        if name not in settings.models:
            raise BadInput(f"no model is named '{name}'{nearest(name, list(settings.models))}")
    found = []
    for name in names or settings.models:
        model = settings.models[name]
        where = model.address or model.path or model.reads_with
        roles = tuple(role for role, who in settings.roles.named if who == name)
        found.append(ModelLine(name, model.kind, model.does, where, roles, _tested(opened, name) if test else None))
    return Rows(found)


def _tested(opened: OpenWorkspace, name: str) -> dict[str, Any]:
    from ..core.errors import AventrikError
    from ..models.caller import Refused

    try:
        return dict(opened.models.tester(name).test())
    except (AventrikError, Refused) as error:
        return {"error": str(error)}


def list_roles(opened: OpenWorkspace) -> list[tuple[str, str]]:
    """Which model has which role: (role, model), a judge after another where there are several.

    >>> aventrik.list_roles(opened)[0]
    ('writer', 'offline')
    """
    return list(opened.workspace.settings.roles.named)


@dataclass(frozen=True)
class StoreHoldings:
    """What a store holds: rows by table, bytes by part, and where it is."""

    counts: dict[str, int]
    bytes: dict[str, int]
    address: str


def store_holdings(opened: OpenWorkspace) -> StoreHoldings:
    """What the store of a workspace holds.

    >>> aventrik.store_holdings(opened).counts["documents"]
    3
    """
    found = opened.store.holds()
    return StoreHoldings(dict(found.counts), dict(found.bytes), str(opened.store.address))


def back_up(opened: OpenWorkspace, file: str | Path) -> dict[str, int]:
    """Writes runs and finished model calls into a new file; returns how many of each. Raises `BadInput` where a file is."""
    return opened.store.back_up(Path(file))


def restore(opened: OpenWorkspace, file: str | Path) -> dict[str, int]:
    """Takes in runs and model calls from such a file; returns how many of each were new."""
    return opened.store.restore(Path(file))


def clean_store(opened: OpenWorkspace) -> dict[str, int]:
    """Drops what no run and no document refers to, and all arrays; returns how many of each."""
    return opened.store.clean()


def damage(opened: OpenWorkspace, progress: Progress | None = None) -> list[str]:
    """Reads every byte of the store; a line for each row or array that is not what was written, and for each run whose
    results do not fit together.

    >>> aventrik.damage(opened)
    []
    """
    from ..kept.chains import broken_chains
    from ..pipeline.inputs import nothing

    told = progress or nothing
    found = opened.store.damaged(told)
    return found or list(broken_chains(opened.store, told))


def audit(
    opened: OpenWorkspace, run: str = "", *, on: str = "", threads: int = 1, progress: Progress | None = None
) -> Audited:
    """Makes a run (the latest, unless one is named) anew in a store of its own, from documents taken in in reverse order, with
    so many `threads` in numerical libraries, `on` workers where they are named; says how many results come out otherwise, and
    from which stage on. Models are not asked: their replies are those of then. Raises `BadInput` for a run that is not
    finished, or was brought.

    >>> made = aventrik.audit(opened, "starter")
    >>> (made.other, made.first, made.sound)
    (0, '', True)
    """
    from ..kept.run_names import latest_run, run_named
    from ..pipeline.inputs import nothing
    from ..results.auditing import audited

    if threads < 1:
        raise BadInput("--threads: must be 1 or more")
    found = run_named(opened.store, run) if run else latest_run(opened.store.runs.all())
    return audited(opened, found, on, threads, progress or nothing)


def move_store(opened: OpenWorkspace, to: str, progress: Progress | None = None) -> dict[str, int]:
    """Copies the store to another address (`postgresql://…`, or "folder" for the workspace's own), checks it there and has
    the settings name it; the old one stays. Returns how many rows of each table, and arrays, there are. Raises `BadInput`
    for an address that is none, or where another store stands."""
    from ..execution.moving import move
    from ..pipeline.inputs import nothing

    return move(opened, to, progress or nothing)


@dataclass(frozen=True)
class ModelTotals:
    """What models were asked since a workspace was opened: calls, tokens in and out, and money."""

    calls: int = 0
    tokens_in: int = 0
    tokens_out: int = 0
    money: float = 0.0


def spent(opened: OpenWorkspace) -> ModelTotals:
    """What models were asked since a workspace was opened.

    >>> aventrik.spent(opened).calls
    0
    """
    found = opened.models.spent()
    return ModelTotals(found.calls, found.tokens_in, found.tokens_out, found.money)


def play_system(opened: OpenWorkspace, name: str, transport: Any) -> None:
    """Has a system of the settings played in this process: `transport` (of httpx) stands in for the network."""
    opened.models.transports[name] = transport
