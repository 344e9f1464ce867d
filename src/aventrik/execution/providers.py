"""The models of a workspace by name, made when they are first wanted."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

from ..core import embedding
from ..core.errors import BadInput, MissingExtra
from ..core.protocols import LanguageModel
from ..english import OfflineModel
from ..models.calls import COUNTED, WHOLE, CallStore, Spent
from ..models.connection import Connection
from ..models.limits import Shared
from ..pipeline.resolved import WantedModel
from ..workspace.settings import Model
from ..workspace.workspace import Workspace

if TYPE_CHECKING:
    from ..models.asking import Link


class Models:
    """Language, embedding and reranking models; `fresh` goes round the call store."""

    def __init__(
        self,
        workspace: Workspace,
        calls: CallStore,
        fresh: bool = False,
        progress: Callable[[str, int, int], None] = lambda stage, done, total: None,
        limits: Shared | None = None,
        requests: Mapping[str, int] | None = None,
    ) -> None:
        self.workspace = workspace
        self._calls = calls
        self._fresh = fresh
        self._progress = progress
        self._limits = limits
        self._requests = requests or {}  # how many at a time, where that is a share of what the settings say
        self._made: dict[str, Any] = {}
        self.transports: dict[str, Any] = {}  # by the name of a system: what stands in for the network

    def get(self, wanted: WantedModel) -> Any:
        """The model that a stage wants; of a tokenizer its name, or the path of its file."""
        if wanted.kind == "tokenizer":
            return wanted.name
        if wanted.kind == "database":
            return self._get("the database", lambda name: search_database(self.workspace))
        if wanted.kind == "embedding" and wanted.name in embedding.MODELS:
            return embedding.embedder(wanted.name, wanted.dimensions)
        return self._get(wanted.name, self._makers[wanted.kind])

    def identity(self, wanted: WantedModel) -> str:
        """What the replies of a model depend on beside what it is asked, for content keys."""
        if wanted.kind == "tokenizer":
            return tokenizer_identity(wanted.name)
        if wanted.kind == "embedding":
            if wanted.name in embedding.MODELS:
                return f"{wanted.name} {wanted.dimensions}"
            return str(self.get(wanted).identity(wanted.use[0]))
        if wanted.kind == "database":
            return str(self.get(wanted).identity)
        if wanted.kind == "language":
            return " ".join(dict.fromkeys(self.get(wanted).identity(task) for task in wanted.use))
        return str(self.get(wanted).identity)

    def pieces(self, wanted: WantedModel) -> dict[tuple[str, str], str]:
        """The identity of a model taken apart: (kind, name) → value, of the model itself and of each of its prompts. Of a
        built-in embedding model nothing: all of it is settings and program."""
        if wanted.kind == "tokenizer":
            path = Path(wanted.name)
            return {("models", f"the tokenizer '{wanted.name}'"): self.identity(wanted)} if path.is_file() else {}
        if wanted.kind == "database" or (wanted.kind == "embedding" and wanted.name in embedding.MODELS):
            return {}
        if wanted.kind != "language":
            use = f" ({wanted.use[0]})" if wanted.kind == "embedding" else ""
            return {("models", f"the model '{wanted.name}'{use}"): self.identity(wanted)}
        model = self.get(wanted)
        if hasattr(model, "prompt"):
            found = {("models", f"the model '{wanted.name}'"): str(model.connection.writing_key)}
            return found | {("prompts", f"the prompt '{task}'"): model.prompt(task).key for task in wanted.use}
        return {("models", f"the model '{wanted.name}' ({task})"): str(model.identity(task)) for task in wanted.use}

    def description(self, wanted: WantedModel) -> dict[str, Any]:
        """What a run keeps of a model: its name and kind, where it is and what it is called there, never a key."""
        found: dict[str, Any] = {"name": wanted.name, "kind": wanted.kind, "identity": self.identity(wanted)}
        settings = self.workspace.settings.models.get(wanted.name)
        if settings is not None and wanted.kind not in ("tokenizer", "database"):
            found.update({key: value for key in ("address", "model", "path") if (value := getattr(settings, key))})
        return found

    def language(self, name: str) -> LanguageModel:
        """A language model by name; "offline" is the built-in one."""
        return cast(LanguageModel, self._get(name, self._language))

    def role(self, role: str, override: str = "") -> LanguageModel:
        """The language model of a role (writer, rewriter, answerer, the first judge), or the one that is named instead."""
        return self.language(override or dict(reversed(self.workspace.settings.roles.named))[role])

    def concurrency(self, wanted: WantedModel) -> int:
        """Requests that a model takes at a time; 0 for one that is no server."""
        settings = self.workspace.settings.models.get(wanted.name)
        return settings.concurrency if settings is not None and settings.kind == "http" else 0

    def spent(self) -> Spent:
        """What all models together have cost in this process."""
        total = Spent()
        for model in self._made.values():
            one = getattr(model, "spent", None)
            if isinstance(one, Spent):
                for field in (*COUNTED, *WHOLE):
                    setattr(total, field, getattr(total, field) + getattr(one, field))
                for note, count in one.notes.items():
                    total.notes[note] = total.notes.get(note, 0) + count
        return total

    def whole(self, wanted: Iterable[WantedModel]) -> list[float]:
        """What all replies of some models have cost so far: calls, tokens in and out, money."""
        spent = [getattr(self.get(each), "spent", None) for each in wanted]
        return [sum(float(getattr(each, name)) for each in spent if each is not None) for name in WHOLE]

    def accounts(self) -> dict[str, Spent]:
        """What each model has cost so far, by its name; copies."""
        found = {name: getattr(model, "spent", None) for name, model in self._made.items()}
        return {name: replace(one, notes=dict(one.notes)) for name, one in found.items() if isinstance(one, Spent)}

    def absorb(self, spent: Mapping[str, Spent]) -> None:
        """Adds what models cost in another process."""
        for name, one in spent.items():
            own = getattr(self._made.get(name), "spent", None)
            if isinstance(own, Spent):
                for each in (*COUNTED, *WHOLE):
                    setattr(own, each, getattr(own, each) + getattr(one, each))
                for note, count in one.notes.items():
                    own.notes[note] = own.notes.get(note, 0) + count

    def wordings(self, wanted: Iterable[WantedModel]) -> dict[str, str]:
        """The wording of the prompt of each task that the wanted models do; empty for built-in ones."""
        return {
            task: model.prompt(task).text
            for each in wanted
            if each.kind == "language" and hasattr(model := self.get(each), "prompt")
            for task in each.use
        }

    def tester(self, name: str) -> Any:
        """The configured model itself, which has `test()`."""
        return self._get(name, self._makers[self.workspace.settings.models[name].does])

    @property
    def _makers(self) -> dict[str, Callable[[str], Any]]:
        return {
            "language": self._language, "embedding": self._embedder, "reranking": self._reranker, "system": self._system,
            "entailment": self._language,
        }  # fmt: skip

    def _get(self, name: str, make: Callable[[str], Any]) -> Any:
        if name not in self._made:
            self._made[name] = make(name)
        return self._made[name]

    def _language(self, name: str) -> Any:
        if name == "offline":
            return OfflineModel()
        model = self.workspace.settings.models[name]
        if model.does == "entailment":
            from ..models.entailment import EntailmentJudge

            return EntailmentJudge(name, self.workspace.folder / model.path)
        if model.kind == "built-in":
            from ..english import ReadingModel

            wanted = WantedModel("embedding", model.reads_with, ("query", "passage"))
            return ReadingModel(name, self.get(wanted), lambda: self._reads_by(model.reads_with))
        from ..models.language import HttpLanguageModel

        return HttpLanguageModel(self._connection(name, model), self.workspace.prompts, **self._link(name))

    def _link(self, name: str) -> Link:
        """What a model on a server is asked with in this process."""
        return {
            "calls": self._calls,
            "fresh": self._fresh,
            "transport": self.transports.get(name),
            "progress": lambda done, total: self._progress(f"asking {name}", done, total),
            "waiting": self._waiting(name),
            "limits": self._limits,
        }

    def _reads_by(self, name: str) -> str:
        return " ".join(self.identity(WantedModel("embedding", name, (use,))) for use in ("query", "passage"))

    def _embedder(self, name: str) -> Any:
        model = self.workspace.settings.models[name]
        if model.kind == "local":
            from ..models.local import LocalEmbedder

            return LocalEmbedder(name, self.workspace.folder / model.path, model.query_prefix, model.passage_prefix)
        from ..models.vectors import HttpEmbedder

        return HttpEmbedder(self._connection(name, model), model.query_prefix, model.passage_prefix, **self._link(name))

    def _reranker(self, name: str) -> Any:
        model = self.workspace.settings.models[name]
        if model.kind == "local":
            from ..models.local import LocalReranker

            return LocalReranker(name, self.workspace.folder / model.path)
        from ..models.reranking import HttpReranker

        return HttpReranker(self._connection(name, model), **self._link(name))

    def _system(self, name: str) -> Any:
        from ..models.system import HttpSystem, SystemForm

        model = self.workspace.settings.models[name]
        form = SystemForm(**model.pointers.model_dump(), request=model.request)
        return HttpSystem(self._connection(name, model), form, **self._link(name))

    def _connection(self, name: str, model: Model) -> Connection:
        found = connection(name, model)
        return replace(found, concurrency=self._requests.get(name, found.concurrency))

    def _waiting(self, name: str) -> Callable[[float, float], None]:
        return lambda passed, whole: self._progress(f"{name} asks to wait, seconds", round(passed), round(whole))


def search_database(workspace: Workspace) -> Any:
    """The database in which configurations search that are to search there; raises `BadInput` where none is named."""
    settings = workspace.settings
    address = settings.database.address or settings.store.address
    if not address:
        raise BadInput("search.place 'postgres' needs a database: name one in aventrik.toml, as [database] address")
    try:
        from ..storage.server.searching import SearchDatabase
    except ImportError:
        raise MissingExtra("search.place 'postgres'", "postgres") from None
    return SearchDatabase(address, settings.database.schema_, settings.store.patience, settings.database.megabytes)


def connection(name: str, model: Model) -> Connection:
    """The connection that a model's settings describe."""
    wanted = set(Connection.__dataclass_fields__) - {"name"}
    return Connection(name=name, **{key: value for key, value in model.model_dump().items() if key in wanted})


def tokenizer_identity(name: str) -> str:
    """A tokenizer by what stands in its file; one that ships with a package by its name."""
    path = Path(name)
    return hashlib.sha256(path.read_bytes()).hexdigest()[:40] if path.is_file() else name
