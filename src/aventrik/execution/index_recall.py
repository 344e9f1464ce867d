"""How much of the nearest an approximate index finds, measured once and kept."""

from __future__ import annotations

from dataclasses import asdict

from ..core.indexing import approximate
from ..core.keys import content_key
from ..pipeline.codec import decode, digest, encode
from ..storage.protocols import Kept
from .place import Place


def recall(place: Place) -> float | None:
    """The share of the ten nearest, of those that the filter lets pass, that the approximate index finds, 0 to 1; None where
    search is exact."""
    search = place.resolved.configuration.search
    if search.method == "keyword" or search.nearest == "exact" or place.resolved.outside is not None:
        return None
    store = place.bench.store.results
    index = "nearest" if "nearest" in place.nodes else "loaded"
    filtered = [place.condition_key] if place.condition is not None else []
    key = content_key("recall", place.keys.corpus(index), asdict(search.reach.in_use(search.nearest)), *filtered)
    known = store.values([key])
    if key in known:
        return float(decode(float, known[key]))
    if index == "loaded":
        found = place.open("server").recall()
    else:
        rows = place.open("codes").rows if "codes" in place.nodes else place.open("vectors")
        searcher = place.open("near")
        found = approximate.recall(searcher.nearest, rows, allowed=searcher.texts_allowed(place.condition))
    body = encode(found)
    store.keep([Kept(key, "recall", digest(body), body)])
    return found
