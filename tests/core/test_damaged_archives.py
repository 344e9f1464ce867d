"""Archives that were cut off or damaged, and names that meet: all that can be read is read, the rest is told."""

from __future__ import annotations

import bz2
import gzip
import io
import json
import lzma
import tarfile
import warnings
import zipfile
from collections import Counter
from collections.abc import Callable

import pytest

from aventrik.core.errors import Unreadable
from aventrik.core.reading import Reading, archives, read_all, read_file
from aventrik.core.reading.archives import unpacked
from aventrik.core.reading.records import Mapped

COUNT = 20


def text_of(number: int) -> str:
    return " ".join(f"word{number}x{n * 7919 % 997}" for n in range(400))


def tarred(count: int = COUNT) -> bytes:
    """A tar of so many texts."""
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w") as archive:
        for number in range(count):
            body = text_of(number).encode()
            entry = tarfile.TarInfo(f"t{number:03}.txt")
            entry.size = len(body)
            archive.addfile(entry, io.BytesIO(body))
    return buffer.getvalue()


def test_a_damaged_header_costs_that_member_alone() -> None:
    data = bytearray(tarred())
    with tarfile.open(fileobj=io.BytesIO(bytes(data))) as archive:
        at = archive.getmember("t005.txt").offset
    data[at + 150] ^= 0xFF  # in the checksum
    found = read_file("a.tar", bytes(data), Reading())
    assert [document.text for document in found.documents] == [text_of(n) for n in range(COUNT) if n != 5]
    assert found.failed == [(f"a.tar/at byte {at:,}", "the header of a member is damaged there")]


@pytest.mark.parametrize(("suffix", "pack"), [("gz", gzip.compress), ("bz2", bz2.compress), ("xz", lzma.compress)])
def test_a_tar_that_was_cut_off_gives_what_stands_before_the_cut(suffix: str, pack: Callable[[bytes], bytes]) -> None:
    packed = pack(tarred(700))
    assert len(read_file(f"a.tar.{suffix}", packed, Reading()).documents) == 700
    found = read_file(f"a.tar.{suffix}", packed[: len(packed) * 2 // 3], Reading())
    got = len(found.documents)
    assert 0 < got < 700
    assert [document.text for document in found.documents] == [text_of(n) for n in range(got)]
    reasons = [reason for _, reason in found.failed]
    assert "it is cut short: what stood behind the first" in reasons[-1]
    assert found.failed[-1][0] == f"a.tar.{suffix}"


def test_a_plain_tar_cut_within_a_member_names_it() -> None:
    data = tarred()
    between = read_file("a.tar", data[: len(data) // 2], Reading())  # which is where a member ends
    assert between.failed == [("a.tar", "its end mark is missing: it may have been cut off there")]
    found = read_file("a.tar", data[: len(data) // 2 + 600], Reading())
    name, reason = found.failed[0]
    assert name == f"a.tar/t{len(found.documents):03}.txt"
    assert reason.startswith("it is cut short")


def test_what_is_no_file_in_a_tar_is_told_and_folders_are_not_counted() -> None:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w") as archive:
        for name, kind in (
            ("d", tarfile.DIRTYPE),
            ("p.txt", tarfile.FIFOTYPE),
            ("l.txt", tarfile.LNKTYPE),
            ("z.txt", tarfile.CHRTYPE),
        ):
            entry = tarfile.TarInfo(name)
            entry.type, entry.linkname = kind, "elsewhere"
            archive.addfile(entry)
        entry = tarfile.TarInfo("line\nfeed\x1b.txt")
        entry.size = 5
        archive.addfile(entry, io.BytesIO(b"Hello"))
    found = read_file("a.tar", buffer.getvalue(), Reading())
    assert [document.name for document in found.documents] == ["a.tar/line\\x0afeed\\x1b.txt"]
    assert [reason for _, reason in found.failed] == [
        "it is no file",
        "it is a link, which is not followed",
        "it is no file",
    ]


def test_two_members_of_one_name_are_both_read() -> None:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive, warnings.catch_warnings():
        warnings.simplefilter("ignore")
        archive.writestr("a.txt", "The first.")
        archive.writestr("a.txt", "The second.")
    found = read_file("z.zip", buffer.getvalue(), Reading())
    assert {d.name: d.text for d in found.documents} == {"z.zip/a.txt": "The first.", "z.zip/a (2).txt": "The second."}
    tar = io.BytesIO()
    with tarfile.open(fileobj=tar, mode="w") as other:
        for body in (b"The first.", b"The second."):
            entry = tarfile.TarInfo("a.txt")
            entry.size = len(body)
            other.addfile(entry, io.BytesIO(body))
    found = read_file("t.tar", tar.getvalue(), Reading())
    assert [d.text for d in found.documents] == ["The first.", "The second."]


def test_a_damaged_or_encrypted_member_of_a_zip_costs_that_member_alone() -> None:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for number in range(3):
            archive.writestr(f"t{number}.txt", text_of(number))
    data = bytearray(buffer.getvalue())
    with zipfile.ZipFile(io.BytesIO(bytes(data))) as archive:
        at = archive.getinfo("t1.txt").header_offset
    data[at + 60 : at + 90] = b"\xff" * 30
    found = read_file("z.zip", bytes(data), Reading())
    assert [d.text for d in found.documents] == [text_of(0), text_of(2)]
    assert found.failed == [("z.zip/t1.txt", "it is damaged")]
    for where in (b"PK\x03\x04", b"PK\x01\x02"):
        place = data.find(where)
        data[place + (6 if where[2] == 3 else 8)] |= 1
    found = read_file("z.zip", bytes(data), Reading())
    assert ("z.zip/t0.txt", "it is encrypted") in found.failed
    assert [d.text for d in found.documents] == [text_of(2)]


def test_members_are_read_listed_or_counted_and_nothing_else() -> None:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        for name in ("a.md", "b.bin", "c.exe", "d.txt", "inner.zip", "empty.txt", "folder/"):
            archive.writestr(name, "" if name == "empty.txt" else "# Text\n\nSome.")
    found = read_file("z.zip", buffer.getvalue(), Reading())
    assert (len(found.documents), len(found.failed), found.passed_over) == (2, 2, 2)
    assert dict(found.failed)["z.zip/inner.zip"] == "it is an archive inside an archive, which is not opened"


def test_bombs_are_refused_before_they_are_unpacked_whole(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(archives, "LARGEST", 4_000_000)
    for pack in (bz2.compress, lzma.compress, gzip.compress):
        with pytest.raises(Unreadable, match="more than 4 MB"):
            unpacked(pack(b"\0" * 40_000_000))


def test_several_streams_one_behind_the_other_and_padding() -> None:
    two = gzip.compress(b"One. ") + gzip.compress(b"Two.") + b"\0" * 1024
    assert unpacked(two) == (b"One. Two.", "")
    assert unpacked(gzip.compress(b"One.") + b"rubbish") == (
        b"One.",
        "bytes stand behind its end that are not part of it",
    )


def test_made_up_ids_do_not_meet_real_ones() -> None:
    rows = [{"id": each, "body": f"Text number {n}."} for n, each in enumerate(["a", "a", "a (2)", "", ""])]
    data = "".join(json.dumps(row) + "\n" for row in rows).encode()
    names = [document.name for document in read_all("r.jsonl", data, Reading())]
    assert names == ["r.jsonl#a", "r.jsonl#a (3)", "r.jsonl#a (2)", "r.jsonl#record 4", "r.jsonl#record 5"]


def test_columns_of_one_name_and_cells_beyond_the_header_are_all_kept() -> None:
    rows = "text,text,n\n" + ",".join(["The first column.", "The second column.", "3", *["more"] * 150]) + "\n"
    [document] = read_all("r.csv", rows.encode(), Reading(mapped=Mapped(text=("text", "text (2)"))))
    assert "The first column." in document.text
    assert "The second column." in document.text
    assert Counter(document.meta.values())["more"] == 150


def test_fields_of_one_name_in_an_object_are_all_kept() -> None:
    [document] = read_all("r.jsonl", b'{"text": "One is here.", "text": "Two is here.", "n": 1}', Reading())
    assert "One is here." in document.text
    assert document.meta["text (2)"] == "Two is here."


def test_a_figure_of_thousands_of_digits_stays_text() -> None:
    long = "7" * 5000
    [document] = read_all("r.csv", f"body,number\nA sentence that is text.,{long}\n".encode(), Reading())
    assert document.meta["number"] == long
    [document] = read_all("r.json", f'{{"body": "A sentence that is text.", "number": {long}}}'.encode(), Reading())
    assert document.meta["number"] == long


@pytest.mark.parametrize("charset", ["undefined", "idna", "zlib", "no-such", "punycode"])
def test_a_charset_that_is_none_is_passed_over(charset: str) -> None:
    page = f'<html><head><meta charset="{charset}"></head><body><p>Caf\xe9 by the lock.</p></body></html>'
    [document] = read_all("p.html", page.encode("latin-1"), Reading())
    assert document.text == "Café by the lock."
