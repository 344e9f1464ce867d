"""What stages make of documents, in other forms: the folder of one file a column that the store uses, an Arrow file
(`pyarrow`), and a zarr group where `zarr` is installed. Written in batches, opened, read document by document, and as one matrix.

`python benchmarks/array_forms.py [DOCUMENTS [WIDTH]]`; all in one run, on one machine. What an interrupted writing leaves is told too:
how many documents need not be made again after the process was killed in the middle.
"""

from __future__ import annotations

import os
import signal
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import numpy as np

from aventrik.storage.arrays import opened
from aventrik.storage.growing import Growing

BATCH, READ = 256, 2000


def batches(documents: int, width: int) -> Iterator[list[dict[str, np.ndarray]]]:
    """What a stage gives: some rows of vectors a document."""
    lot = np.random.default_rng(3)
    for first in range(0, documents, BATCH):
        yield [
            {"rows": lot.standard_normal((int(lot.integers(2, 11)), width), dtype=np.float32)}
            for _ in range(min(BATCH, documents - first))
        ]


class Folder:
    """The store's own form."""

    def write(self, path: Path, documents: int, width: int, stop: int = 0) -> None:
        growing = Growing(path, documents)
        for number, batch in enumerate(batches(documents, width)):
            if number * BATCH >= growing.done:
                growing.add(batch)
            if stop and number == stop:
                os.kill(os.getpid(), signal.SIGKILL)
        growing.close([f"{n:040d}" for n in range(documents)])

    def left(self, path: Path, documents: int) -> int:
        return Growing(path, documents).done

    def open(self, path: Path) -> Any:
        return opened(path)

    def read(self, held: Any, place: int) -> np.ndarray:
        return np.asarray(held.of(place)["rows"])

    def whole(self, held: Any) -> np.ndarray:
        return np.asarray(held.columns["rows"])


class Arrow:
    """A file of record batches, a batch each: a list of fixed-size lists a document."""

    def write(self, path: Path, documents: int, width: int, stop: int = 0) -> None:
        import pyarrow as pa

        kind = pa.list_(pa.list_(pa.float32(), width))
        with pa.OSFile(str(path), "wb") as sink, pa.ipc.new_file(sink, pa.schema([("rows", kind)])) as writer:
            for number, batch in enumerate(batches(documents, width)):
                sizes = np.cumsum([0, *(len(each["rows"]) for each in batch)]).astype(np.int32)
                flat = pa.array(np.concatenate([each["rows"] for each in batch]).ravel())
                rows = pa.ListArray.from_arrays(pa.array(sizes), pa.FixedSizeListArray.from_arrays(flat, width))
                writer.write_batch(pa.record_batch([rows.cast(kind)], names=["rows"]))
                if stop and number == stop:
                    os.kill(os.getpid(), signal.SIGKILL)

    def left(self, path: Path, documents: int) -> int:
        try:
            return int(self.open(path)[0].num_record_batches) * BATCH
        except Exception:  # without its footer it can't be opened
            return 0

    def open(self, path: Path) -> Any:
        import pyarrow as pa

        reader = pa.ipc.open_file(pa.memory_map(str(path)))
        return reader, [reader.get_batch(n).column(0) for n in range(reader.num_record_batches)]

    def read(self, held: Any, place: int) -> np.ndarray:
        column = held[1][place // BATCH]
        start, end = (column.offsets[place % BATCH + n].as_py() for n in (0, 1))
        rows = column.values.slice(start, end - start)
        return np.asarray(rows.flatten().to_numpy(zero_copy_only=True).reshape(end - start, -1))

    def whole(self, held: Any) -> np.ndarray:
        width = held[1][0].type.value_type.list_size
        return np.concatenate([each.values.flatten().to_numpy().reshape(-1, width) for each in held[1]])


class Zarr:
    """A group with the rows of all documents, and where those of each end."""

    def write(self, path: Path, documents: int, width: int, stop: int = 0) -> None:
        import zarr

        group = zarr.open_group(str(path), mode="w")
        rows = group.create_dataset("rows", shape=(0, width), chunks=(1024, width), dtype="f4", compressor=None)
        ends = group.create_dataset("ends", shape=(0,), chunks=(4096,), dtype="i8", compressor=None)
        total = 0
        for number, batch in enumerate(batches(documents, width)):
            counts = np.cumsum([len(each["rows"]) for each in batch]) + total
            rows.append(np.concatenate([each["rows"] for each in batch]))
            ends.append(counts)
            total = int(counts[-1])
            if stop and number == stop:
                os.kill(os.getpid(), signal.SIGKILL)

    def left(self, path: Path, documents: int) -> int:
        import zarr

        return int(zarr.open_group(str(path), mode="r")["ends"].shape[0])

    def open(self, path: Path) -> Any:
        import zarr

        group = zarr.open_group(str(path), mode="r")
        return group["rows"], np.concatenate([[0], group["ends"][:]])

    def read(self, held: Any, place: int) -> np.ndarray:
        return np.asarray(held[0][held[1][place] : held[1][place + 1]])

    def whole(self, held: Any) -> np.ndarray:
        return np.asarray(held[0][:])


def timed(work: Callable[[], Any]) -> tuple[float, Any]:
    began = time.perf_counter()
    made = work()
    return time.perf_counter() - began, made


def killed(form: Any, path: Path, documents: int, width: int) -> None:
    form.write(path, documents, width, stop=documents // BATCH // 2)


def main(documents: int, width: int) -> None:
    """Prints a row a form."""
    lot = np.random.default_rng(5)
    places = lot.integers(documents, size=READ).tolist()
    print(f"{documents:,} documents, vectors of {width}")
    print(
        f"{'form':8} {'write s':>8} {'open ms':>8} {f'{READ:,} documents ms':>18} {'matrix ms':>10} {'left after kill -9':>19}"
    )
    for form in (Folder(), Arrow(), Zarr()):
        name = type(form).__name__
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "whole"
            try:
                write, _ = timed(lambda form=form, path=path: form.write(path, documents, width))
            except ImportError as error:
                print(f"{name:8} {error}")
                continue
            held_s, held = timed(lambda form=form, path=path: form.open(path))
            read, _ = timed(lambda form=form, held=held: [float(form.read(held, place).sum()) for place in places])
            whole, _ = timed(lambda form=form, held=held: float(form.whole(held)[:, 0].sum()))
            half = Path(folder) / "half"
            one = get_context("fork").Process(target=killed, args=(form, half, documents, width))
            one.start()
            one.join()
            left = form.left(half, documents)
            print(f"{name:8} {write:8.2f} {held_s * 1e3:8.1f} {read * 1e3:18.1f} {whole * 1e3:10.1f} {left:19,}")


if __name__ == "__main__":
    main(*(int(each) for each in (sys.argv[1:] + ["20000", "256"][len(sys.argv) - 1 :])))
