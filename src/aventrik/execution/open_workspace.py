"""A workspace opened for work: its store, its corpus, its models, and a bench."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..core.errors import BadInput
from ..core.keys import content_key
from ..core.testsets import Question
from ..pipeline.inputs import Progress, nothing
from ..pipeline.keys import condition_key
from ..pipeline.prompts import with_prompts
from ..pipeline.resolved import Resolved, resolve
from ..storage import open_store
from ..storage.protocols import Snapshot, Store
from ..workspace.configuration import Configuration
from ..workspace.deciding import Settled, settled
from ..workspace.testsets import MovedEvidence, load_testset, located
from ..workspace.toml import nearest
from ..workspace.workspace import Workspace
from .addresses import address_of
from .corpus import Corpus, without_hidden
from .earlier_formats import take_out_before
from .sharing import share

if TYPE_CHECKING:  # all stages with all that they stand on, which a verb that only looks need not load
    from ..pipeline.stage import Chain
    from .bench import Bench
    from .place import Place
    from .providers import Models


class OpenWorkspace:
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
        self._temporary: tempfile.TemporaryDirectory[str] | None = None

    def __enter__(self) -> OpenWorkspace:
        return self

    def __exit__(self, *error: object) -> None:
        self.close()

    def close(self) -> None:
        """Closes the store, and removes the folder of a temporary workspace; nothing can be done with it afterwards."""
        if "store" in self.__dict__:
            self.store.close()
        if self._temporary is not None:
            self._temporary.cleanup()

    def keep_until_closed(self, folder: tempfile.TemporaryDirectory[str]) -> None:
        """Hands over the folder of a temporary workspace."""
        self._temporary = folder

    @contextmanager
    def reporting(self, progress: Progress | None) -> Iterator[None]:
        """Tells how far long work is by another callback while it lasts; by the same as before where that is None."""
        before = self.progress
        if progress is not None:
            self.progress = progress
        try:
            yield
        finally:
            self.progress = before

    @property
    def folder(self) -> Path:
        """The workspace's folder."""
        return self.workspace.folder

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
        from .executors import Home
        from .performing import work_here

        home = Home(address_of(self.workspace))
        return work_here(
            Bench(self.workspace, self.store, self.models, home, lambda *told: self.progress(*told), self.fresh)
        )

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
        from ..pipeline.resolved import Outside, WantedModel

        search = resolved.configuration.search
        if search.table.name:
            database = self.models.get(WantedModel("database", "postgres"))
            return replace(resolved, outside=Outside("", False, self._table_state(database, resolved)))
        if not search.where:
            return resolved
        from .corpus import fields_of

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
            known = self.workspace.settings.judging_models
            if name not in known:
                raise BadInput(f"--judge: no language or entailment model is named '{name}'{nearest(name, known)}")
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
        from ..pipeline.registry import chain
        from .place import Place

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
            from .corpus import passed

            may = passed(self.corpus, where)
            self._conditions[where] = (condition_key(may), may)
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

    def questions(self, testset: str) -> tuple[list[Question], MovedEvidence]:
        """The questions of a test set that are not rejected, their evidence at its present place, and what moved. One that asks
        the very same as another before it is left out: results are of what is asked, whatever it is called."""
        questions = [question for question in self.testset(testset).questions if question.status != "rejected"]
        if not questions:
            raise BadInput(f"{self.workspace.testset_path(testset)}: every question in it is rejected")
        found, moved = self.located(questions)
        first: dict[str, Question] = {}
        for question in found:
            if first.setdefault(question.key, question) is not question:
                moved.repeated.append((question.id, first[question.key].id))
        return list(first.values()), moved

    def testset(self, name: str) -> Settled:
        """A test set as people left it: its file, with what they decided laid over it."""
        return settled(load_testset(self.workspace.testset_path(name)), self.workspace.reviews)

    def located(self, questions: list[Question]) -> tuple[list[Question], MovedEvidence]:
        """Questions with their evidence at its present place in the documents."""
        return located(questions, self.corpus.known, self.corpus.copies())
