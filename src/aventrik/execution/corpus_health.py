"""How much of an index rests on something that failed or was cut: counted once for a corpus, and kept."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..core.keys import content_key
from ..pipeline.codec import decode, digest, encode
from ..storage.protocols import Kept
from .place import Place


@dataclass(frozen=True)
class IndexHealth:
    """Of the texts that are matched: how many there are, how many were to be written by a model and are not, for which the
    chunk's own text stands in, and how many were cut to fit the embedding model."""

    texts: int = 0
    failed: int = 0
    cut: int = 0


def index_health(place: Place) -> IndexHealth:
    """The health of a configuration's index; all is well where nothing was written, and nothing can be cut."""
    if place.resolved.outside is not None:
        return IndexHealth()
    failed = place.open("written").failed if "written" in place.nodes else 0
    cut, texts = 0, 0
    node = place.nodes.get("vectors")
    model: Any = place.bench.models.get(node.models["embedder"]) if node is not None and node.models else None
    if hasattr(model, "cut_count") and "matched" in place.nodes:
        store = place.bench.store.results
        key = content_key("cut texts", place.keys.corpus("vectors"))
        known = store.values([key])
        if key in known:
            cut = int(decode(int, known[key]))
        else:
            cut = int(model.cut_count(place.open("matched")))
            body = encode(cut)
            store.keep([Kept(key, "cut texts", digest(body), body)])
    if failed or cut:
        texts = len(place.open("matched"))
    return IndexHealth(texts, failed, cut)
