"""A workspace opened for work: its store, its corpus, its models, and a bench."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..core.errors import BadInput
from ..core.keys import content_key
from ..core.testsets import Question
from ..storage import open_store
from ..storage.protocols import Run, Snapshot, Store
from ..workspace.configuration import Configuration
from ..workspace.deciding import Settled, settled
from ..workspace.testsets import Moved, load_testset, located
from ..workspace.toml import nearest
from ..workspace.workspace import Workspace
from .before import take_out_before
from .corpus import Corpus
from .given import Progress, nothing
from .hiding import without_hidden
from .own_prompts import with_prompts
from .resolved import Resolved, resolve
from .sharing import share
from .stores import address_of

if TYPE_CHECKING:  # all stages with all that they stand on, which a verb that only looks need not load
    from .bench import Bench, Place
    from .providers import Models
    from .stage import Chain


class Opened:
    """What most verbs need. With `fresh`, models are asked anew whatever the call store has."""

    def __init__(self, folder: Path, progress: Progress = nothing, fresh: bool = False) -> None:
        self.workspace = Workspace.around(folder)
        self.progress: Progress = progress
        self.fresh = fresh
        self.judges: tuple[str, ...] = ()
        self.tell: Callable[[str], None] = lambda note: None
        self._conditions: dict[str, tuple[str, frozenset[str] | None]] = {}
        self._tables: dict[Any, str] = {}
        self._searched: tuple[Sequence[Question], Snapshot] | None = None

    @cached_property
    def store(self) -> Store:
        """The workspace's store."""
        found = open_store(address_of(self.workspace))
        take_out_before(found, self.workspace)
        if found.decided is not None:
            decided = found.decided
            self.workspace.written = lambda: share(self.workspace, decided, self.tell)
            share(self.workspace, decided, self.tell)
        return found

    @cached_property
    def corpus(self) -> Corpus:
        """The documents."""
        return Corpus(self.workspace, self.store)

    @cached_property
    def models(self) -> Models:
        """The models by name."""
        from .providers import Models

        return Models(
            self.workspace, self.store.calls, self.fresh, lambda *told: self.progress(*told), self.store.limits
        )

    @cached_property
    def bench(self) -> Bench:
        """Where work is done."""
        from .bench import Bench

        return Bench(self.workspace, self.store, self.models, lambda *told: self.progress(*told), self.fresh)

    @cached_property
    def snapshot(self) -> Snapshot:
        """The documents that take part, as they were when this was first asked for: a document that changes while
        something goes on changes nothing of it."""
        return self.corpus.snapshot()

    def changed(self) -> bool:
        """Whether the documents that take part are others now than when they were first asked for."""
        return self.corpus.snapshot().key != self.snapshot.key

    def resolve(self, configuration: Configuration) -> Resolved:
        """The configuration with its roles filled in."""
        own = with_prompts(configuration, self.workspace.prompts)
        found = resolve(own, self.workspace.settings, tuple(self.workspace.criteria))
        if found.configuration.search.place != "here":
            found = self._searched_elsewhere(found)
        return replace(found, judges=self.judges) if self.judges else found

    def _searched_elsewhere(self, resolved: Resolved) -> Resolved:
        """What else counts where a database searches: what its filter looks at, or the state of a user's table."""
        from .resolved import Outside, Wanted

        search = resolved.configuration.search
        if search.table.name:
            database = self.models.get(Wanted("database", "postgres"))
            return replace(resolved, outside=Outside("", False, self._table_state(database, resolved)))
        if not search.where:
            return resolved
        from .filtering import fields_of

        return replace(resolved, metadata=content_key(sorted(fields_of(self.corpus).items())))

    def _table_state(self, database: Any, resolved: Resolved) -> str:
        """What tells a user's table from what it will be when it has changed; looked at once for each table."""
        from ..core.embedding import MODELS
        from ..storage.server.user_table import TableOf, UserTable

        search, model = resolved.configuration.search, resolved.configuration.embedding.model
        if search.method != "keyword" and MODELS.get(model):
            raise BadInput(
                f"configuration '{resolved.configuration.name}': embedding.model '{model}' learns from the documents, and can't "
                "be the one by which a table was made; name that one"
            )
        table = TableOf(**search.table.model_dump())
        if table not in self._tables:
            self._tables[table] = UserTable(database, table).state()
        return self._tables[table]

    def check_language(self, option: str, name: str) -> None:
        """Raises `BadInput` for a name that no language model has."""
        known = ["offline", *self.workspace.settings.able("language")]
        if name not in known:
            raise BadInput(f"{option}: no language model is named '{name}'{nearest(name, known)}")

    def judge_by(self, names: Sequence[str]) -> None:
        """Has other models judge than those of the settings; raises `BadInput` for one that there is not."""
        for place, name in enumerate(names):
            self.check_language("--judge", name)
            if name in names[:place]:
                raise BadInput(f"--judge: names '{name}' twice")
        self.judges = tuple(names)

    def place(
        self,
        configuration: Configuration,
        until: str = "",
        nodes: Chain | None = None,
        snapshot: Snapshot | None = None,
    ) -> Place:
        """A configuration over the corpus, or over another `snapshot` of it (see `searched`)."""
        return self.placed(self.resolve(configuration), until, nodes, snapshot)

    def placed(
        self, resolved: Resolved, until: str = "", nodes: Chain | None = None, snapshot: Snapshot | None = None
    ) -> Place:
        """What is resolved already over the corpus, or over another `snapshot` of it."""
        from .bench import Place
        from .graph import chain

        # A table of the user's is filtered by its own columns.
        where = "" if resolved.outside is not None else resolved.configuration.search.where
        key, names = self.condition(where)
        return Place(self.bench, resolved, nodes or chain(resolved, until), snapshot or self.snapshot, names, key)

    def searched(self, questions: Sequence[Question]) -> Snapshot:
        """The corpus as it is searched for questions of a test set: without what they hide."""
        if self._searched is None or self._searched[0] is not questions:
            self._searched = (questions, without_hidden(self.store.documents, self.snapshot, questions))
        return self._searched[1]

    def condition(self, where: str) -> tuple[str, frozenset[str] | None]:
        """The documents that a filter lets pass, with their content key; ("", None) without a filter.

        Raises `BadInput` for a field that no document has, or a value of another type than the field's.
        """
        if not where:
            return "", None
        if where not in self._conditions:
            from .filtering import passed

            may = passed(self.corpus, where)
            self._conditions[where] = (content_key("allowed", sorted(may)), may)
        return self._conditions[where]

    def standing(self, name: str) -> str:
        """Of a document whether it is "in" the corpus, "left out", or "gone"."""
        if name in self._names:
            return "in"
        return "left out" if name in self.workspace.decisions.reasons and name in self._all else "gone"

    @cached_property
    def _names(self) -> set[str]:
        return set(self.snapshot.names)

    @cached_property
    def _all(self) -> set[str]:
        return set(self.store.documents.names())

    def questions(self, testset: str) -> tuple[list[Question], Moved]:
        """The questions of a test set that are not rejected, their evidence at its present place, and what moved."""
        questions = [question for question in self.testset(testset).questions if question.status != "rejected"]
        if not questions:
            raise BadInput(f"{self.workspace.testset_path(testset)}: every question in it is rejected")
        return self.located(questions)

    def testset(self, name: str) -> Settled:
        """A test set as people left it: its file, with what they decided laid over it."""
        return settled(load_testset(self.workspace.testset_path(name)), self.workspace.reviews)

    def located(self, questions: list[Question]) -> tuple[list[Question], Moved]:
        """Questions with their evidence at its present place in the documents."""
        return located(questions, self.corpus.text)

    def run(self, reference: str) -> Run:
        """A run by number, label or name (of several with that name the latest); raises `BadInput`."""
        return find_run(self.store.runs.all(), reference)


def find_run(runs: list[Run], reference: str) -> Run:
    """A run by number, label, tag or name (of several with that name the latest); raises `BadInput`."""
    for run in reversed(runs):
        if reference in (str(run.id), run.label, run.name, *run.tags):
            return run
    raise unknown_run(runs, reference)


def unknown_run(runs: list[Run], reference: str) -> BadInput:
    """What is said of a name that no run has: the five nearest."""
    if not runs:
        return BadInput("there is no run yet; 'aventrik run' makes one")
    names = list(dict.fromkeys([*(run.name for run in reversed(runs)), *(run.label for run in runs if run.label)]))
    names += list(dict.fromkeys(name.partition("/")[0] for name in names if "/" in name))
    near = [shown(name) for name in difflib.get_close_matches(reference, names, n=5, cutoff=0.4)]
    told = f"; the nearest: {', '.join(near)}" if near else "; 'aventrik runs' lists them"
    return BadInput(f"no run is numbered, labelled or named '{shown(reference)}'{told}")


def shown(name: str) -> str:
    """A name for a message, cut where it is very long."""
    return name if len(name) <= 60 else f"{name[:59]}…"
