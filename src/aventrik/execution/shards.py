"""Indexes in shards, for workers that hold one each: made by shard with the figures of the whole, searched by shard, and
the lists merged. What is found is what one index finds, byte for byte.

Of words each shard has postings of its own, weighed by the figures of all texts. Vectors are searched by shard where all
of them are looked at, and by part where the configuration has an approximate index in `parts`, which are then the
shards; vectors that are kept in fewer bits are searched whole.
"""

from __future__ import annotations

import shutil
import time
from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from ..core.indexing import keyword
from ..core.indexing.vectors import merged
from ..core.searching import Hits
from ..pipeline.stages.corpus import open_arrays, shard_terms, write_arrays

if TYPE_CHECKING:
    from ..pipeline.stage import Node
    from .executors import Work
    from .place import Place

SHARDED = ("keyword", "words", "near", "nearest")
FIGURES, INDEX = "figures", "index"


def shards_of(place: Place, node: Node) -> int:
    """In how many shards a stage of questions is done whose lists are merged; 0 for one that is done whole."""
    count = place.bench.shards if place.bench.shards > 1 else 0
    if node.stage.name == "keyword hits":
        return count if node.inputs["words"] == "words" and not searched_whole(node) else 0
    if node.stage.name == "vector hits" and node.inputs["near"] == "near" and place.bench.executor.remote:
        if "nearest" in place.nodes:
            parts = int(place.nodes["nearest"].settings.parts)
            return parts if parts > 1 else 0
        return count if place.nodes["near"].inputs["codes"] is None else 0
    return 0


def searched_whole(node: Node) -> bool:
    """Whether a stage of questions takes the whole index of words though there are shards: feedback goes by the best of all
    texts."""
    return node.stage.name == "keyword hits" and node.inputs["words"] == "words" and bool(node.settings.how.feedback)


def joined_hits(lists: Sequence[Hits], top: int) -> Hits:
    """What a question's queries find in all shards."""
    return Hits(tuple(tuple(merged(found, top)) for found in zip(*(each.lists for each in lists))))


def make_shards(place: Place) -> None:
    """Has the index of words made: first the figures of each shard, then, with those of all, each shard's postings."""
    if "keyword" not in place.nodes:
        return
    bench, node = place.bench, place.nodes["keyword"]
    key, arrays = place.keys.corpus("keyword"), bench.store.arrays
    names = [_name(key, INDEX, shard, bench.shards) for shard in range(bench.shards)]
    if all(_there(arrays, name) for name in (*names, _name(key, FIGURES, -1, bench.shards))):
        return
    for source in ("chunks", "written", *(each for each in node.inputs.values() if each)):
        if source in place.nodes:
            place.collection(source)
    began = time.perf_counter()
    for step in (FIGURES, INDEX):
        work = [place.work(node, shard=shard, step=step) for shard in range(bench.shards)]
        for done, _ in enumerate(bench.executor.map(work)):
            bench.progress(f"keyword, {step}{bench.executor.label}", done, bench.shards)
        if step == FIGURES:
            parts = [
                keyword.Figures.from_arrays(open_arrays(arrays.folder(_name(key, FIGURES, shard, bench.shards))))
                for shard in range(bench.shards)
            ]
            whole = keyword.joined(parts).arrays()
            arrays.keep(_name(key, FIGURES, -1, bench.shards), partial(write_arrays, whole))
    bench.timed("keyword", 1, began)


def make_parts(place: Place) -> None:
    """Has an approximate index made part by part, each by a worker; the whole is put together of them."""
    bench, node = place.bench, place.nodes["nearest"]
    key, arrays, count = place.keys.corpus("nearest"), bench.store.arrays, int(node.settings.parts)
    if _there(arrays, key):
        return
    for source in node.inputs.values():
        if source:
            place.open(source)
    began = time.perf_counter()
    work = [replace(place.work(node, shard=shard, step=INDEX), shards=count) for shard in range(count)]
    for done, _ in enumerate(bench.executor.map(work)):
        bench.progress(f"nearest{bench.executor.label}", done, count)
    parts = [arrays.folder(_name(key, INDEX, shard, count)) for shard in range(count)]

    def together(draft: Path) -> None:
        for number, folder in enumerate(parts):
            for file in folder.glob("0.*"):
                shutil.copy(file, draft / f"{number}{file.name.removeprefix('0')}")

    arrays.keep(key, together)
    bench.timed("nearest", 1, began)


def make_shard(place: Place, node: Node, step: str, shard: int) -> None:
    """Makes the figures of a shard, or its postings, and keeps them."""
    key, arrays, count = place.keys.corpus(node.name), place.bench.store.arrays, place.bench.shards
    name = _name(key, step, shard, count)
    if _there(arrays, name):  # made before a command was stopped
        return
    inputs = {each: None if source is None else place.open(source) for each, source in node.inputs.items()}
    if node.name == "nearest":
        made = node.stage.function(place.given(node, inputs, key, shard))
        arrays.keep(name, partial(node.stage.write, made))
        return
    inputs["chunks"] = place.open("chunks")
    inputs["written"] = place.open("written") if "written" in place.nodes else None
    body, titles = shard_terms(place.given(node, inputs, key, shard))
    if step == FIGURES:
        made = keyword.figures(body, node.settings, titles).arrays()
    else:
        whole = keyword.Figures.from_arrays(open_arrays(arrays.folder(_name(key, FIGURES, -1, count))))
        made = keyword.merge(body, node.settings, titles, whole).arrays()
    arrays.keep(name, partial(write_arrays, made))


def opened_shard(place: Place, key: str, shard: int) -> keyword.KeywordIndex:
    """The index of one shard; of none (−1) one without postings, which knows how often terms occur."""
    bench = place.bench
    name = _name(key, INDEX, shard, bench.shards)
    if bench.holds(name):
        found: keyword.KeywordIndex = bench.held(name)
        return found
    arrays = bench.store.arrays
    if not bench.elsewhere:
        make_shards(place)
    whole = keyword.Figures.from_arrays(open_arrays(_folder(place, _name(key, FIGURES, -1, bench.shards))))
    if shard < 0:
        found = keyword.KeywordIndex(
            0, np.zeros(0, np.uint64), np.zeros(1, np.int64), np.zeros(0, np.int32), np.zeros(0, np.float32),
            languages=whole.spoken, whole=whole,
        )  # fmt: skip
    else:
        found = keyword.KeywordIndex.from_arrays(open_arrays(arrays.folder(name)), whole)
    bench.hold(name, found)
    return found


def work_by_shard(work: Work, count: int) -> list[Work]:
    """Work on questions, a piece for each shard; what each comes to stands under names of its own."""
    return [
        replace(work, shard=n, shards=count, names=tuple(_name(name, "shard", n, count) for name in work.names))
        for n in range(count)
    ]


def _name(key: str, what: str, shard: int, count: int) -> str:
    return f"{key} {what} {shard} of {count}" if shard >= 0 else f"{key} {what} of {count}"


def _there(arrays: Any, name: str) -> bool:
    try:
        arrays.folder(name)
    except KeyError:
        return False
    return True


def _folder(place: Place, name: str) -> Any:
    try:
        return place.bench.store.arrays.folder(name)
    except KeyError:
        place._check_here(place.nodes["keyword"])
        raise
