"""The models of a workspace by name, made when they are first wanted."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, cast

from ..core import embedding
from ..core.embedding import Embedder
from ..core.offline import OfflineModel
from ..core.reranking import Reranker
from ..core.tasks import LanguageModel
from ..models.calls import Spent
from ..models.connection import Connection
from ..workspace.calls import KeptCalls
from ..workspace.configuration import Embedding
from ..workspace.workspace import Model, Workspace


class Models:
    """Language, embedding and reranking models; `fresh` goes round the call store."""

    def __init__(
        self,
        workspace: Workspace,
        fresh: bool = False,
        progress: Callable[[str, int, int], None] = lambda stage, done, total: None,
    ) -> None:
        self.workspace = workspace
        self._fresh = fresh
        self._progress = progress
        self._made: dict[str, Any] = {}

    def language(self, name: str) -> LanguageModel:
        """A language model; "offline" is the built-in one."""
        return cast(LanguageModel, self._get(name, self._language))

    def role(self, role: str, override: str = "") -> LanguageModel:
        """The model of a role (writer, rewriter, answerer, judge), or the one that a configuration names instead."""
        return self.language(override or getattr(self.workspace.settings.roles, role))

    def embedder(self, settings: Embedding) -> Embedder:
        """An embedding model: one that ships with the tool, or a configured one."""
        if settings.model in embedding.MODELS:
            return embedding.embedder(settings.model, settings.dimensions)
        return cast(Embedder, self._get(settings.model, self._embedder))

    def embedder_identity(self, settings: Embedding) -> str:
        """What an embedding model's vectors hang on beside their texts."""
        if settings.model == "lsa":
            return f"lsa {settings.dimensions}"
        if settings.model in (*embedding.MODELS, "none"):
            return settings.model
        return str(self._get(settings.model, self._embedder).identity)

    def reranker(self, name: str) -> Reranker:
        """A configured reranking model."""
        return cast(Reranker, self._get(name, self._reranker))

    def identity(self, name: str) -> str:
        """What a configured reranking or language model's replies hang on, for content keys."""
        if name in self.workspace.settings.able("reranking"):
            return str(self._get(name, self._reranker).identity)
        return self.language(name).identity("relevance")

    def spent(self) -> Spent:
        """What all models together have cost in this process."""
        total = Spent()
        for model in self._made.values():
            one = getattr(model, "spent", None)
            if isinstance(one, Spent):
                for field in ("calls", "kept", "failed", "tokens_in", "tokens_out", "money"):
                    setattr(total, field, getattr(total, field) + getattr(one, field))
                for note, count in one.notes.items():
                    total.notes[note] = total.notes.get(note, 0) + count
        return total

    def prompts(self) -> dict[str, str]:
        """The wording of every prompt that was used, by task; empty when only built-in models were."""
        found: dict[str, str] = {}
        for model in self._made.values():
            if hasattr(model, "wordings"):
                found.update(model.wordings())
        return found

    def tester(self, name: str) -> Any:
        """The configured model itself, which has `test()`."""
        makers = {"language": self._language, "embedding": self._embedder, "reranking": self._reranker}
        return self._get(name, makers[self.workspace.settings.models[name].does])

    def _get(self, name: str, make: Callable[[str], Any]) -> Any:
        if name not in self._made:
            self._made[name] = make(name)
        return self._made[name]

    def _language(self, name: str) -> Any:
        if name == "offline":
            return OfflineModel()
        from ..models.language import HttpLanguageModel

        return HttpLanguageModel(
            connection(name, self.workspace.settings.models[name]),
            self.workspace.folder / "prompts",
            KeptCalls(self.workspace.store),
            self._fresh,
            progress=lambda done, total: self._progress(f"asking {name}", done, total),
        )

    def _embedder(self, name: str) -> Any:
        model = self.workspace.settings.models[name]
        if model.kind == "local":
            from ..models.local import LocalEmbedder

            return LocalEmbedder(name, self.workspace.folder / model.path, model.query_prefix, model.passage_prefix)
        from ..models.vectors import HttpEmbedder

        calls = KeptCalls(self.workspace.store)
        return HttpEmbedder(connection(name, model), model.query_prefix, model.passage_prefix, calls)

    def _reranker(self, name: str) -> Any:
        model = self.workspace.settings.models[name]
        if model.kind == "local":
            from ..models.local import LocalReranker

            return LocalReranker(name, self.workspace.folder / model.path)
        from ..models.reranking import HttpReranker

        return HttpReranker(connection(name, model), KeptCalls(self.workspace.store))


def connection(name: str, model: Model) -> Connection:
    """The connection that a model's settings describe."""
    wanted = set(Connection.__dataclass_fields__) - {"name"}
    return Connection(name=name, **{key: value for key, value in model.model_dump().items() if key in wanted})
