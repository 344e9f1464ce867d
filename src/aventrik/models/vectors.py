"""An embedding model on a server that speaks `/v1/embeddings`."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, Unpack

import numpy as np
import numpy.typing as npt

from ..core.embedding import unit
from ..core.errors import Unavailable
from ..core.keys import content_key
from ..core.protocols import State
from ..core.text import count_tokens
from .asking import Link, Server, found_of
from .background import as_done, run
from .caller import Refused
from .calls import CUT, POOLED, Call, turns
from .connection import Connection
from .language import cut_to
from .replies import used_tokens

PATH = "/v1/embeddings"
_AT_ONCE = 32


class HttpEmbedder(Server):
    """An `Embedder` that asks a server, some texts at a time; vectors are kept in the call store, a text each."""

    def __init__(
        self, connection: Connection, query_prefix: str = "", passage_prefix: str = "", **link: Unpack[Link]
    ) -> None:
        super().__init__(connection, **link)
        self._made: set[str] = set()
        self._prefixes = {"query": query_prefix, "passage": passage_prefix}
        self._length = 0

    def identity(self, use: str) -> str:
        """What the vectors of passages, or of queries, depend on: a prefix of the other kind is no part of it."""
        return content_key(self.connection.reading_key, self._prefixes[use])

    def fit(self, texts: Callable[[], Iterable[str]]) -> State:
        """Nothing to learn."""
        return {}

    def embed(self, texts: Sequence[str], state: State, kind: str = "passage") -> npt.NDArray[np.float32]:
        """Unit vectors; raises `Unavailable` for a vector that is not finite or of another length than those before."""
        whole = [self._fitting(self._prefixes[kind] + text) for text in texts]
        self.cuts.update(
            text for text, shown in zip(texts, whole) if len(shown) < len(self._prefixes[kind]) + len(text)
        )
        keys = [content_key("vector", self.connection.reading_key, text) for text in whole]
        earlier = {key: content_key("vector", self.connection.earlier_key, text) for key, text in zip(keys, whole)}
        wanted = [key for key in dict.fromkeys(keys) if not self._fresh or key in self._made]
        known = found_of(self._kept, wanted, {} if self._fresh else earlier)
        self.spent.kept += sum(key in known for key in keys)
        waiting = {key: text for key, text in zip(keys, whole) if key not in known}
        together = _AT_ONCE * max(8, 2 * self.connection.concurrency)
        todo = list(waiting)
        parts = iter([(todo, {})] if todo else []) if self._fresh else turns(self._kept, todo, together)
        for mine, found in parts:
            known.update(found)  # another process was quicker
            self.spent.kept += len(found)
            pairs = [(key, waiting[key]) for key in mine]
            blocks = [pairs[place : place + _AT_ONCE] for place in range(0, len(pairs), _AT_ONCE)]
            for finished in as_done(self._block, blocks, self.connection.concurrency) if blocks else ():
                calls = [call for block in finished for call in block]
                self._kept.keep(calls)
                known.update({call.key: call for call in calls})
                for call in calls:
                    self.spent.add(call)
                    self._made.add(call.key)
                self.spent.calls += len(finished) - len(calls)  # a request is one call, however many texts it holds
        for key in keys:
            self.spent.used(known[key], 1 / _AT_ONCE)
        rows = [self._checked(np.frombuffer(known[key].reply, dtype=np.float32)) for key in keys]
        return unit(np.stack(rows)) if rows else np.zeros((0, max(1, self._length)), np.float32)

    def cut_count(self, texts: Iterable[str]) -> int:
        """How many passages are longer than the model's context."""
        prefix, room = self._prefixes["passage"], self.connection.context
        return sum(len(prefix) + len(text) > room and count_tokens(prefix + text) > room for text in texts)

    def _fitting(self, text: str) -> str:
        over = count_tokens(text) - self.connection.context
        if over <= 0:
            return text or " "
        self.spent.notes[CUT] = self.spent.notes.get(CUT, 0) + 1
        return cut_to(text, over)

    async def _block(self, block: Sequence[tuple[str, str]]) -> list[Call]:
        texts = [text for _, text in block]
        tokens = sum(map(count_tokens, texts))
        try:
            posted = await self.caller.post(PATH, {"model": self.connection.model, "input": texts}, tokens)
        except Refused as error:
            raise Unavailable(f"model '{self.connection.name}': {error}") from None
        vectors = self._vectors(posted.body, len(texts))
        share = used_tokens(posted.body, "prompt_tokens", tokens) / len(texts)
        return [
            Call(
                key,
                self.connection.name,
                "vector",
                text,
                vector.tobytes(),
                tokens_in=round(share),
                money=self.connection.price(round(share), 0),
                seconds=posted.seconds / len(texts),
                attempts=posted.attempts,
            )
            for (key, text), vector in zip(block, vectors)
        ]

    def _vectors(self, body: dict[str, Any], count: int) -> list[npt.NDArray[np.float32]]:
        who = f"model '{self.connection.name}'"
        try:
            rows = list(body["data"])
            places = [row.get("index", place) for place, row in enumerate(rows)]
            with np.errstate(over="ignore"):  # what is too large is told below
                vectors = [self._pooled(np.asarray(row["embedding"], dtype=np.float32)) for row in rows]
        except (KeyError, TypeError, ValueError, AttributeError, OverflowError):
            raise Unavailable(f"{who}: the reply holds no embeddings") from None
        if len(vectors) != count:
            raise Unavailable(f"{who}: {len(vectors)} embeddings came for {count} texts")
        if any(isinstance(place, bool) or not isinstance(place, int) for place in places) or sorted(places) != [
            *range(count)
        ]:
            raise Unavailable(f"{who}: the embeddings' indices are not the numbers from 0 to {count - 1}, each once")
        return [self._checked(vectors[places.index(place)]) for place in range(count)]

    def _pooled(self, found: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
        """One vector a text; some servers give one a token, whose mean is taken."""
        if found.ndim != 2 or not len(found):
            return found
        self.spent.notes[POOLED] = self.spent.notes.get(POOLED, 0) + 1
        return np.asarray(found.mean(axis=0), dtype=np.float32)

    def _checked(self, vector: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
        who = f"model '{self.connection.name}'"
        if vector.ndim != 1 or not len(vector) or not np.isfinite(vector).all():
            raise Unavailable(f"{who}: an embedding holds something that is not a finite number")
        self._length = self._length or len(vector)
        if len(vector) != self._length:
            raise Unavailable(
                f"{who}: an embedding has {len(vector)} numbers, those before had {self._length}; is it another model now?"
            )
        return vector

    def test(self) -> dict[str, Any]:
        """Embeds something small and says how long that took and how many numbers came."""
        [call] = run(self._block([("test", "Is the gate open?")]))
        return {"known": True, "seconds": call.seconds, "dimensions": self._length}
