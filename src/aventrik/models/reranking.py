"""A reranking model on a server that speaks the common rerank call: query and documents in, indexed scores out."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Unpack

import numpy as np

from ..core.errors import Unavailable
from ..core.keys import content_key
from ..core.text import count_tokens
from .asking import Link, Server
from .background import run
from .caller import Refused
from .calls import CUT_PASSAGE, Call
from .connection import Connection
from .language import cut_to

PATH = "/v1/rerank"


class HttpReranker(Server):
    """Scores passages against questions; one call a question, kept in the call store."""

    def __init__(self, connection: Connection, **link: Unpack[Link]) -> None:
        super().__init__(connection, **link)
        self.identity = connection.reading_key

    def score(self, pairs: Sequence[tuple[str, Sequence[str]]]) -> list[list[float]]:
        """For each (question, passages) a score a passage, higher is better; raises `Unavailable`."""
        for question, texts in pairs:
            room = self._room(question)
            if cut := sum(len(text) > room and count_tokens(text) > room for text in texts):
                self.cuts.add(question)
                self.spent.notes[CUT_PASSAGE] = self.spent.notes.get(CUT_PASSAGE, 0) + cut
        asked = [(question, list(texts)) for question, texts in pairs]
        keys = [content_key("rerank", self.connection.reading_key, *each) for each in asked]
        earlier = {key: content_key("rerank", self.connection.earlier_key, *each) for key, each in zip(keys, asked)}
        items = {key: (key, pair) for key, pair in zip(keys, pairs) if pair[1]}
        known = self._asking.all([key for key in keys if key in items], items, self._one, earlier)
        return [list(known[key].reply) if pair[1] else [] for key, pair in zip(keys, pairs)]

    async def _one(self, item: tuple[str, tuple[str, Sequence[str]]]) -> Call:
        key, (question, texts) = item
        room = self._room(question)
        shown = [text if count_tokens(text) <= room else cut_to(text, count_tokens(text) - room) for text in texts]
        tokens = sum(map(count_tokens, [question, *shown]))
        body = {"model": self.connection.model, "query": question, "documents": shown, "top_n": len(shown)}
        try:
            posted = await self.caller.post(PATH, body, tokens)
        except Refused as error:
            raise Unavailable(f"model '{self.connection.name}': {error}") from None
        scores = self._scores(posted.body, len(shown))
        return self.finished(key, "rerank", body, scores, "", (tokens, 0), [posted])

    def _room(self, question: str) -> int:
        """Tokens of a passage that the model reads beside a question."""
        return max(16, self.connection.context - count_tokens(question))

    def _scores(self, body: dict[str, Any], count: int) -> list[float]:
        who = f"model '{self.connection.name}'"
        scores = [float("nan")] * count
        try:
            found = [(row["index"], float(row.get("relevance_score", row.get("score")))) for row in body["results"]]
        except (KeyError, TypeError, ValueError, AttributeError, OverflowError):
            raise Unavailable(f"{who}: the reply holds no scores of the passages") from None
        for place, score in found:
            if isinstance(place, bool) or not isinstance(place, int) or not 0 <= place < count:
                raise Unavailable(f"{who}: a score is for passage {str(place)[:20]}, of {count} that were sent")
            scores[place] = score
        if not np.isfinite(scores).all():
            raise Unavailable(f"{who}: not every passage got a score that is a finite number")
        return scores

    def test(self) -> dict[str, Any]:
        """Scores two passages and says how long that took."""
        call = run(self._one(("test", ("Is the gate open?", ["The gate is open.", "Dogs on a lead."]))))
        return {"known": True, "seconds": call.seconds, "scores": call.reply}
