"""What the stand-in answers to each kind of request."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any

from ..core.protocols import Reply, Task
from ..core.text import content_terms, count_tokens
from ..english import OfflineModel
from ..models.prompts import taken_apart

DIMENSIONS = 128
MODELS = ("standin", "standin-vectors", "standin-reranker")
_MODEL = OfflineModel()


class NotUnderstood(ValueError):
    """A request body that lacks what its path needs."""


def chat(body: Mapping[str, Any]) -> dict[str, Any]:
    """A chat completion: the offline model's record as JSON, or a plain sentence for a chat that is no task."""
    messages = body.get("messages")
    if not isinstance(messages, list) or not all(isinstance(message, dict) for message in messages):
        raise NotUnderstood("messages must be a list of objects")
    task = taken_apart(messages[:2])
    if task is None:
        text = "I am a stand-in and do only the tasks of the tool that I came with."
    else:
        [reply] = _MODEL.perform([task])
        if task.name == "criterion":  # the patterns of a scale are not told to a server
            reply = Reply(_middle(task))
        text = json.dumps(_as_written(task.name, reply.value or {}), ensure_ascii=False)
    used = sum(count_tokens(str(message.get("content", ""))) + 4 for message in messages)
    wrote = count_tokens(text)
    return {
        "object": "chat.completion",
        "model": body.get("model", MODELS[0]),
        "choices": [{"index": 0, "message": {"role": "assistant", "content": text}, "finish_reason": "stop"}],
        "usage": {"prompt_tokens": used, "completion_tokens": wrote, "total_tokens": used + wrote},
    }


def _as_written(name: str, value: dict[str, Any]) -> dict[str, Any]:
    """A record in the form that a model's prompt asks for."""
    if name == "stated":
        return {"stated": [{"fact": n, "words": "", "stated": said} for n, said in enumerate(value["stated"], 1)]}
    return value


def _middle(task: Task) -> dict[str, Any]:
    levels = [line.partition(":")[0] for line in str(task.fields["levels"]).split("\n")]
    return {"quotes": [], "reason": "a stand-in can't judge", "level": int(levels[len(levels) // 2])}


def embeddings(body: Mapping[str, Any]) -> dict[str, Any]:
    """A vector a text: its stems, each hashed to one of 128 places with a sign."""
    texts = body.get("input")
    texts = [texts] if isinstance(texts, str) else texts
    if not isinstance(texts, list) or not texts or not all(isinstance(text, str) for text in texts):
        raise NotUnderstood("input must be a text or a list of texts")
    used = sum(map(count_tokens, texts))
    data = [{"object": "embedding", "index": n, "embedding": _vector(text)} for n, text in enumerate(texts)]
    return {"object": "list", "data": data, "usage": {"prompt_tokens": used, "total_tokens": used}}


def _vector(text: str) -> list[float]:
    vector = [0.0] * DIMENSIONS
    for term in content_terms(text):
        digest = hashlib.blake2b(term.encode(), digest_size=4).digest()
        vector[digest[0] % DIMENSIONS] += 1.0 if digest[1] & 1 else -1.0
    if not any(vector):
        vector[0] = 1.0
    return vector


def rerank(body: Mapping[str, Any]) -> dict[str, Any]:
    """A score a document: the share of the query's content words that it holds."""
    query, documents = body.get("query"), body.get("documents")
    if not isinstance(query, str) or not isinstance(documents, list):
        raise NotUnderstood("query must be a text and documents a list")
    wanted = set(content_terms(query))
    scores = [len(wanted & set(content_terms(str(text)))) / (len(wanted) or 1) for text in documents]
    ranked = sorted(enumerate(scores), key=lambda pair: (-pair[1], pair[0]))
    return {"results": [{"index": n, "relevance_score": score} for n, score in ranked]}


def models() -> dict[str, Any]:
    """The list of models."""
    return {"object": "list", "data": [{"id": name, "object": "model"} for name in MODELS]}
