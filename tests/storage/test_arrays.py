"""Arrays in the store: whole or not there, known by a checksum, made once by whoever is first; collections by document."""

from __future__ import annotations

import json
import multiprocessing
import threading
from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np
import pytest

from aventrik.core.errors import BadInput
from aventrik.storage.embedded import EmbeddedStore
from aventrik.storage.growing import places
from aventrik.storage.protocols import Columns, Made


@pytest.fixture
def store(tmp_path: Path) -> EmbeddedStore:
    return EmbeddedStore(tmp_path / ".aventrik")


def rows_of(document: str) -> np.ndarray:
    """What a stage would make of a document: as many rows as its name says, each of its letter."""
    return np.full((int(document[1:]), 4), ord(document[0]), dtype=np.float32)


class Stage:
    """Makes rows of documents, two at a time, and remembers of which."""

    def __init__(self, documents: Sequence[str], stop: int = 99) -> None:
        self.documents, self.stop = documents, stop
        self.asked: list[str] = []

    def __call__(self, places: Sequence[int]) -> Iterator[list[Columns]]:
        for first in range(0, len(places), 2):
            some = [self.documents[place] for place in places[first : first + 2]]
            if len(self.asked) >= self.stop:
                raise KeyboardInterrupt
            self.asked.extend(some)
            yield [{"rows": rows_of(name), "count": np.array([int(name[1:])])} for name in some]


DOCUMENTS = ["a3", "b0", "c2", "d5", "e1"]


def whole(store: EmbeddedStore, key: str, documents: Sequence[str]) -> None:
    found = store.arrays.collection(key)
    wanted = np.concatenate([rows_of(name) for name in documents])
    assert np.array_equal(found.columns["rows"], wanted)
    for place, name in enumerate(documents):
        assert np.array_equal(found.of(place)["rows"], rows_of(name))
        assert found.of(place)["count"].tolist() == [int(name[1:])]


def test_one_changed_document_is_made_again_and_the_others_are_copied(store: EmbeddedStore) -> None:
    first = Stage(DOCUMENTS)
    assert store.arrays.collect("one", "family", DOCUMENTS, first) == 5
    whole(store, "one", DOCUMENTS)
    changed = ["a3", "b0", "x4", "d5", "e1", "f2"]
    second = Stage(changed)
    assert store.arrays.collect("two", "family", changed, second) == 2
    assert second.asked == ["x4", "f2"]
    whole(store, "two", changed)
    other = Stage(changed)  # of another stage or other settings nothing can be copied
    assert store.arrays.collect("three", "other family", changed, other) == 6
    back = Stage(DOCUMENTS)
    assert store.arrays.collect("four", "family", DOCUMENTS, back) == 0  # c2 stands in an earlier collection still
    whole(store, "four", DOCUMENTS)


def test_documents_with_the_same_content_are_copied_in_one_stretch(store: EmbeddedStore) -> None:
    same = ["a3", "a3", "c2", "a3", "a3", "d5"]
    store.arrays.collect("one", "family", same, Stage(same))
    changed = ["a3", "a3", "x1", "a3", "a3", "d5"]
    origin, place = places(changed, [store.arrays.collection("one")])
    assert origin.tolist() == [0, 0, -1, 0, 0, 0]
    assert [place[n] for n in (0, 1, 3, 4, 5)] == [0, 1, 3, 4, 5]
    _, moved = places(["x1", *same], [store.arrays.collection("one")])  # all one place further on
    assert moved[3:].tolist() == [2, 3, 4, 5]
    store.arrays.collect("two", "family", changed, Stage(changed))
    whole(store, "two", changed)


def test_what_failed_is_made_again_and_the_rest_taken_from_another_family(store: EmbeddedStore) -> None:
    store.arrays.collect("one", "family", DOCUMENTS, Stage(DOCUMENTS))
    again = Stage(DOCUMENTS)
    made = store.arrays.collect(
        "two", "family.1", DOCUMENTS, again, earlier="family", again=lambda columns: columns["count"][0] == 5
    )
    assert (made, again.asked) == (1, ["d5"])
    whole(store, "two", DOCUMENTS)
    whole(store, "one", DOCUMENTS)  # what stood before stands still


def test_an_interrupted_making_goes_on_behind_its_last_whole_batch(store: EmbeddedStore) -> None:
    stopped = Stage(DOCUMENTS, stop=4)
    with pytest.raises(KeyboardInterrupt):
        store.arrays.collect("one", "family", DOCUMENTS, stopped)
    with pytest.raises(KeyError):
        store.arrays.collection("one")
    further = Stage(DOCUMENTS)
    assert store.arrays.collect("one", "family", DOCUMENTS, further) == 1
    assert further.asked == ["e1"]
    whole(store, "one", DOCUMENTS)


def test_a_journal_that_does_not_fit_its_files_begins_anew(store: EmbeddedStore) -> None:
    with pytest.raises(KeyboardInterrupt):
        store.arrays.collect("one", "family", DOCUMENTS, Stage(DOCUMENTS, stop=4))
    draft = store.address / "arrays" / ".one.growing"
    (draft / "rows.bin").write_bytes(b"")
    assert store.arrays.collect("one", "family", DOCUMENTS, Stage(DOCUMENTS)) == 5
    whole(store, "one", DOCUMENTS)


def test_what_does_not_fit_the_other_documents_is_refused(store: EmbeddedStore) -> None:
    def wider(places: Sequence[int]) -> Iterator[list[Columns]]:
        for place in places:
            yield [{"rows": np.ones((2, 3 + place), np.float32)}]

    with pytest.raises(BadInput, match="does not fit the others"):
        store.arrays.collect("one", "family", ["a", "b"], wider)


def test_nothing_but_empty_documents(store: EmbeddedStore) -> None:
    assert store.arrays.collect("none", "family", [], Stage([])) == 0
    assert store.arrays.collect("bare", "family", ["a0", "b0"], Stage(["a0", "b0"])) == 2
    assert len(store.arrays.collection("bare").columns["rows"]) == 0


def write(folder: Path) -> None:
    np.save(folder / "a.npy", np.random.default_rng(1).normal(size=(400, 512)).astype(np.float32))


@pytest.mark.parametrize("harm", ["shorter", "longer", "zeros at the end", "gone", "no manifest", "half a manifest"])
def test_a_harmed_folder_is_as_one_that_is_missing(store: EmbeddedStore, harm: str) -> None:
    folder = store.arrays.keep("key", write)
    path, manifest = folder / "a.npy", folder / "manifest.json"
    body = path.read_bytes()
    if harm == "shorter":
        path.write_bytes(body[:-1])
    elif harm == "longer":
        path.write_bytes(body + b"x")
    elif harm == "zeros at the end":
        path.write_bytes(body[:-2000] + b"\x00" * 2000)
    elif harm == "gone":
        path.unlink()
    elif harm == "no manifest":
        manifest.unlink()
    else:
        manifest.write_text(manifest.read_text()[:10])
    with pytest.raises(KeyError):
        store.arrays.folder("key")
    store.arrays.keep("key", write)
    assert (store.arrays.folder("key") / "a.npy").read_bytes() == body


@pytest.mark.parametrize("place", [0, 300, -1])
def test_a_changed_byte_of_a_small_file_is_noticed(store: EmbeddedStore, place: int) -> None:
    folder = store.arrays.keep("key", lambda draft: np.save(draft / "a.npy", np.arange(100)))
    body = bytearray((folder / "a.npy").read_bytes())
    body[place] ^= 0xFF
    (folder / "a.npy").write_bytes(bytes(body))
    with pytest.raises(KeyError):
        store.arrays.folder("key")


def make(folder: str) -> int:
    found = EmbeddedStore(Path(folder))
    for number in range(6):
        found.arrays.collect(f"key{number}", "family", DOCUMENTS, Stage(DOCUMENTS))
        found.arrays.keep(f"other{number}", write)
    return sum(int(found.arrays.collection(f"key{n}").columns["rows"].sum()) for n in range(6))


def test_processes_that_make_the_same_at_once_do_not_harm_one_another(store: EmbeddedStore) -> None:
    context = multiprocessing.get_context("spawn")
    with context.Pool(3) as pool:
        sums = pool.map(make, [str(store.address)] * 6)
    assert set(sums) == {6 * sum(int(rows_of(name).sum()) for name in DOCUMENTS)}


def test_a_folder_of_files_appears_only_when_it_is_whole(store: EmbeddedStore) -> None:
    def half(folder: Path) -> None:
        (folder / "one").write_text("x")
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        store.arrays.keep("key", half)
    with pytest.raises(KeyError):
        store.arrays.folder("key")
    assert not [path for path in (store.address / "arrays").iterdir() if path.is_dir()]
    made = store.arrays.keep("key", lambda folder: (folder / "one").write_text("x") and None)
    assert list(json.loads((made / "manifest.json").read_text())) == ["one"]


def test_what_another_process_put_there_in_the_meantime_is_not_taken_away(
    store: EmbeddedStore, monkeypatch: pytest.MonkeyPatch
) -> None:
    """One looks and finds nothing; before it puts its own there, another one does."""
    arrays = store.arrays
    seen: list[int] = []

    def other() -> None:
        folder = arrays.keep("k", lambda draft: np.save(draft / "a.npy", np.zeros(3)))
        seen.append(folder.stat().st_ino)

    thread = threading.Thread(target=other)
    looked = type(arrays)._sound
    first = threading.current_thread()

    def sound(self: object, key: str) -> bool:
        found = looked(arrays, key)
        if threading.current_thread() is first and not thread.ident:
            thread.start()
            thread.join(0.5)  # time enough, unless it has to wait
        return found

    monkeypatch.setattr(type(arrays), "_sound", sound)
    arrays.keep("k", lambda draft: np.save(draft / "a.npy", np.zeros(3)))
    thread.join(10)
    assert seen == [arrays.folder("k").stat().st_ino]  # what the other one was told is there is still there


def part_of(names: Sequence[str], kind: type = np.int64) -> list[Columns]:
    return [{"rows": rows_of(name), "count": np.array([int(name[1:])], dtype=kind)} for name in names]


def test_parts_that_workers_made_come_into_a_collection_as_if_made_here(store: EmbeddedStore) -> None:
    arrays = store.arrays
    groups = [DOCUMENTS[:2], ["b0"], DOCUMENTS[2:]]  # the second has no rows at all

    def make(places: Sequence[int]) -> Iterator[Made]:
        for number, names in enumerate(groups):
            arrays.keep_part(f"part {number}", part_of(names))
            found = arrays.part(f"part {number}")
            assert found is not None
            assert found.documents == len(names)
            yield found

    everything = [name for names in groups for name in names]
    members = [f"{name} {n}" for n, name in enumerate(everything)]
    assert arrays.collect("one", "family", members, make) == 6
    whole(store, "one", everything)
    arrays.drop_parts(["part 0", "part 1", "part 2"])
    assert not arrays.has_part("part 1")
    assert arrays.part("part 1") is None
    whole(store, "one", everything)


def test_a_part_of_another_type_of_number_is_taken_in_as_the_first_one_has_it(store: EmbeddedStore) -> None:
    def make(places: Sequence[int]) -> Iterator[Made]:
        yield part_of(DOCUMENTS[:2])
        store.arrays.keep_part("part", part_of(DOCUMENTS[2:], np.int16))
        found = store.arrays.part("part")
        assert found is not None
        yield found

    store.arrays.collect("one", "family", DOCUMENTS, make)
    whole(store, "one", DOCUMENTS)
    assert store.arrays.collection("one").columns["count"].dtype == np.int64


@pytest.mark.parametrize("broken", ["half", "longer", "not a part", "empty"])
def test_a_broken_part_counts_as_none(broken: str, store: EmbeddedStore, tmp_path: Path) -> None:
    store.arrays.keep_part("part", part_of(DOCUMENTS))
    [path] = [path for path in (tmp_path / ".aventrik").rglob("part") if path.is_file()]
    body = path.read_bytes()
    path.write_bytes(
        {"half": body[: len(body) // 2], "longer": body + b"x", "not a part": b"[]\n" + body, "empty": b""}[broken]
    )
    assert store.arrays.part("part") is None


def test_a_part_with_a_number_that_is_not_finite_is_refused(store: EmbeddedStore) -> None:
    with pytest.raises(BadInput, match="not finite"):
        store.arrays.keep_part("part", [{"rows": np.array([[1.0, np.nan]], np.float32)}])
    assert not store.arrays.has_part("part")
