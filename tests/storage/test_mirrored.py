"""Arrays where an fsspec address leads: an object store, or anything else that fsspec knows."""

from __future__ import annotations

import json
import shutil
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from aventrik.core.errors import BadInput, Unavailable
from aventrik.storage import Address, open_store
from aventrik.storage.mirrored import MirroredArrays

from ..conftest import Program


@pytest.fixture
def bucket(object_store: str, request: pytest.FixtureRequest) -> str:
    """The address of a new bucket of the object store."""
    import boto3

    name = f"b{abs(hash(request.node.nodeid)) % 10**9}"
    boto3.client("s3", endpoint_url=object_store).create_bucket(Bucket=name)
    return f"s3://{name}/arrays"


def two(folder: Path, address: str) -> tuple[MirroredArrays, MirroredArrays]:
    """Two machines on one address."""
    return MirroredArrays(folder / "one", address), MirroredArrays(folder / "two", address)


def write(text: str) -> Any:
    def into(folder: Path) -> None:
        (folder / "a.txt").write_text(text)
        np.save(folder / "b.npy", np.arange(10_000))

    return into


def test_what_one_machine_keeps_another_opens_whole_or_not_at_all(bucket: str, tmp_path: Path) -> None:
    one, other = two(tmp_path, bucket)
    with pytest.raises(KeyError):
        other.folder("k")
    one.keep("k", write("made by one"))
    assert (other.folder("k") / "a.txt").read_text() == "made by one"
    assert np.load(other.folder("k") / "b.npy").sum() == 49_995_000
    assert other.keys() == ["k"]
    assert other.holds()[0] == 1
    other.keep("k", write("made by one"))  # the same again is not sent again
    assert one.damaged() == []


def test_a_copy_that_is_damaged_is_fetched_again_and_damage_there_is_found(bucket: str, tmp_path: Path) -> None:
    one, other = two(tmp_path, bucket)
    one.keep("k", write("x" * 100))
    (other.folder("k") / "a.txt").write_text("y" * 100)
    with pytest.raises(KeyError):
        other.folder("k")
    shutil.rmtree(tmp_path / "two")
    assert (other.folder("k") / "a.txt").read_text() == "x" * 100
    listed = json.loads(one._files.cat_file(f"{one._base}/k/files.json"))
    one._files.pipe_file(f"{one._base}/k/{listed['at']}/a.txt", b"z" * 100)
    one._files.rm_file(f"{one._base}/k/{listed['at']}/b.npy")
    assert [line.rsplit("/", 1)[1] for line in one.damaged()] == ["a.txt", "b.npy: is missing"]
    shutil.rmtree(tmp_path / "two")
    one._files.invalidate_cache()
    with pytest.raises(KeyError):
        other.folder("k")


def test_parts_come_by_and_all_can_be_dropped(bucket: str, tmp_path: Path) -> None:
    one, other = two(tmp_path, bucket)
    rows = [
        {"v": np.ones((2, 3), np.float32), "n": np.array([1])},
        {"v": np.zeros((0, 3), np.float32), "n": np.array([2, 3])},
    ]
    one.keep_part("p 0 1", rows)
    assert other.has_part("p 0 1")
    found = other.part("p 0 1")
    assert found is not None
    assert found.documents == 2
    assert all(np.array_equal(found.of(place)[name], row[name]) for place, row in enumerate(rows) for name in row)
    assert found.of(1)["v"].shape == (0, 3)
    other.drop_parts(["p 0 1"])
    one._files.invalidate_cache()
    assert one.part("p 0 1") is None
    one.keep("k", write("x"))
    assert one.clear() == 1
    assert not (tmp_path / "one" / "k").exists()


@pytest.mark.parametrize("kind", ["memory", "local"])
def test_any_address_that_the_package_knows_will_do(kind: str, tmp_path: Path) -> None:
    address = f"memory://{tmp_path.name}" if kind == "memory" else f"file://{tmp_path}/there"
    one, other = two(tmp_path, address)
    one.keep("k", write("x"))
    assert (other.folder("k") / "a.txt").read_text() == "x"


def test_an_address_that_can_not_be_used_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(BadInput, match=r"not a known protocol|nosuch"):
        MirroredArrays(tmp_path, "nosuch://a/b")
    import fsspec

    def missing(*_: object) -> object:
        raise ImportError("Install s3fs to access S3")

    monkeypatch.setattr(fsspec.core, "url_to_fs", missing)
    with pytest.raises(BadInput, match=r"needs a package that is not installed \(Install s3fs"):
        MirroredArrays(tmp_path, "s3://b/a")
    monkeypatch.undo()
    broken = MirroredArrays(tmp_path / "x", f"memory://{tmp_path.name}")

    def refused(*_: object, **__: object) -> object:
        raise RuntimeError("the service\nis down")

    monkeypatch.setattr(broken._files, "pipe_file", refused)
    with pytest.raises(Unavailable, match=r"can't be reached or written \(the service is down"):
        broken.keep("k", write("x"))


def test_a_workspace_with_arrays_in_an_object_store_comes_to_the_same(
    workspace: Program, bucket: str, tmp_path: Path
) -> None:
    with open(workspace.folder / "aventrik.toml", "a") as file:
        file.write(f'\n[store]\narrays = "{bucket}"\n')
    workspace("run")
    before = workspace.json("compare")["runs"][0]["measures"]
    count = workspace.json("store")["counts"]["arrays"]
    assert count > 0
    assert workspace.json("store", "--check") == {"damaged": []}
    shutil.rmtree(workspace.folder / ".aventrik" / "arrays")  # the copies of another machine
    workspace("explain", "starter", "a1")
    assert workspace.json("compare")["runs"][0]["measures"] == before
    store = open_store(Address(workspace.folder / ".aventrik", arrays=bucket))
    assert len(store.arrays.keys()) == count
    assert workspace.json("store", "--clean")["done"]["arrays"] == count
    text = (workspace.folder / "aventrik.toml").read_text()
    (workspace.folder / "aventrik.toml").write_text(text.replace(bucket, "s3://user:secret@host/x"))
    line = workspace.fails("store")
    assert "must hold no user or password" in line
    assert "secret" not in line
