"""Arrays in the store: whole or not there, known by a checksum, made once by whoever is first."""

from __future__ import annotations

import json
import multiprocessing
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from aventrik.storage.embedded.store import Store

ROWS = np.arange(3000, dtype=np.float32).reshape(300, 10)


@pytest.fixture
def store(tmp_path: Path) -> Store:
    return Store(tmp_path / ".aventrik")


def batches(done: int) -> Iterator[np.ndarray]:
    for first in range(done, len(ROWS), 64):
        yield ROWS[first : first + 64]


def test_arrays_come_back_as_they_were_empty_ones_too(store: Store) -> None:
    store.keep_arrays("key", {"a": ROWS, "none": np.zeros(0, dtype=np.int64)})
    found = store.arrays("key")
    assert np.array_equal(found["a"], ROWS)
    assert len(found["none"]) == 0
    with pytest.raises(KeyError):
        store.arrays("other")


@pytest.mark.parametrize("place", [0, 300, -1])
def test_a_changed_byte_of_a_small_file_is_noticed(store: Store, place: int) -> None:
    store.keep_arrays("key", {"a": ROWS})
    path = store.folder / "arrays" / "key" / "a.npy"
    body = bytearray(path.read_bytes())
    body[place] ^= 0xFF
    path.write_bytes(bytes(body))
    with pytest.raises(KeyError):
        store.arrays("key")


@pytest.mark.parametrize("harm", ["shorter", "longer", "zeros at the end", "gone", "no manifest", "half a manifest"])
def test_a_harmed_folder_is_as_one_that_is_missing(store: Store, harm: str) -> None:
    large = np.random.default_rng(1).normal(size=(400, 512)).astype(np.float32)  # larger than what is read whole
    store.keep_arrays("key", {"a": large})
    folder = store.folder / "arrays" / "key"
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
        store.arrays("key")
    store.keep_arrays("key", {"a": large})
    assert np.array_equal(store.arrays("key")["a"], large)


def test_a_growing_array_is_written_whole(store: Store) -> None:
    store.grown_array("key", "vectors", len(ROWS), batches)
    assert np.array_equal(store.arrays("key")["vectors"], ROWS)
    assert [path.name for path in (store.folder / "arrays").iterdir() if path.is_dir()] == ["key"]


def test_a_journal_that_does_not_fit_its_array_begins_anew(store: Store) -> None:
    draft = store.folder / "arrays" / ".key.growing"
    draft.mkdir(parents=True)
    np.save(draft / "vectors.npy", np.ones((7, 10), dtype=np.float32))
    (draft / "rows written").write_text("7")
    store.grown_array("key", "vectors", len(ROWS), batches)
    assert np.array_equal(store.arrays("key")["vectors"], ROWS)


def test_what_stands_is_not_made_again(store: Store) -> None:
    store.grown_array("key", "vectors", len(ROWS), batches)

    def never(done: int) -> Iterator[np.ndarray]:
        raise AssertionError("made again")
        yield ROWS

    store.grown_array("key", "vectors", len(ROWS), never)


def make(folder: str) -> int:
    found = Store(Path(folder))
    for number in range(6):
        found.grown_array(f"key{number}", "vectors", len(ROWS), batches)
        found.keep_arrays(f"other{number}", {"a": ROWS})
    return sum(int(found.arrays(f"key{n}")["vectors"].sum() + found.arrays(f"other{n}")["a"].sum()) for n in range(6))


def test_processes_that_make_the_same_at_once_do_not_harm_one_another(store: Store) -> None:
    context = multiprocessing.get_context("spawn")
    with context.Pool(3) as pool:
        sums = pool.map(make, [str(store.folder)] * 6)
    assert set(sums) == {int(ROWS.sum()) * 12}


def test_a_folder_of_files_appears_only_when_it_is_whole(store: Store) -> None:
    def half(folder: Path) -> None:
        (folder / "one").write_text("x")
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        store.keep_folder("key", half)
    with pytest.raises(KeyError):
        store.folder_of("key")
    assert not [path for path in (store.folder / "arrays").iterdir() if path.is_dir()]
    made = store.keep_folder("key", lambda folder: (folder / "one").write_text("x") and None)
    assert store.folder_of("key") == made
    assert list(json.loads((made / "manifest.json").read_text())) == ["one"]
