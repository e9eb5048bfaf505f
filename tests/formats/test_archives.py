"""Files whose structure lies: chains that loop, archives that overlap, hide, repeat, or ask for all the memory there is."""

from __future__ import annotations

import io
import json
import struct
import zipfile
from pathlib import Path

import numpy as np
import pytest
import tifffile

from formats.test_limits import opened
from takes_on_disk import INFO, csv_folder, pictures, raw, tiff_take, zipped

TIFF = INFO | {"data": "a.tif"}


def take_files(folder: Path) -> dict[str, bytes]:
    tiff_take(folder, raw(pictures(4)))
    return {"take.json": json.dumps(TIFF).encode(), "a.tif": (folder / "a.tif").read_bytes()}


def archive(path: Path, files: dict[str, bytes], method: int = zipfile.ZIP_DEFLATED) -> Path:
    with zipfile.ZipFile(path, "w", method) as made:
        for name, data in files.items():
            made.writestr(name, data)
    return path


# ---- TIFF: the chain of pages ----------------------------------------------------------------------------------------


def places(data: bytes) -> list[int]:
    """Where each page's link to the next one lies, in a little-endian classic TIFF."""
    at, links = struct.unpack_from("<I", data, 4)[0], []
    while at:
        links.append(at + 2 + 12 * struct.unpack_from("<H", data, at)[0])
        at = struct.unpack_from("<I", data, links[-1])[0]
    return links


@pytest.mark.parametrize(
    ("page", "to", "said"),
    [
        (3, "first", "the chain of pages loops"),
        (1, "itself", "the chain of pages loops"),
        (2, "beyond", "would begin at byte 10000000"),
        (2, "pixels", "cut off or damaged"),
        (1, "nowhere", "2 pages, where its description promises 4"),
    ],
)
def test_a_chain_that_does_not_hold_is_refused(tmp_path: Path, page: int, to: str, said: str) -> None:
    path = tiff_take(tmp_path, raw(pictures(4)))
    data = bytearray(path.read_bytes())
    first = struct.unpack_from("<I", data, 4)[0]
    links = places(bytes(data))
    own = struct.unpack_from("<I", data, links[page - 1])[0]
    target = {"first": first, "itself": own, "beyond": 10_000_000, "pixels": len(data) - 20, "nowhere": 0}[to]
    struct.pack_into("<I", data, links[page], target)
    path.write_bytes(data)
    assert said in opened(path)[0]


def test_pages_that_no_chain_leads_to_are_missed_without_a_promise(tmp_path: Path) -> None:
    """The chain ends properly after the second page, and nothing says that there were more but the bytes that are left."""
    path = tmp_path / "a.tif"
    with tifffile.TiffWriter(path) as writer:
        for _ in range(20):
            writer.write(
                np.full((60, 80), 29_000, np.uint16), photometric="minisblack", contiguous=False, description=""
            )
    (tmp_path / "a.tif.json").write_text(json.dumps(INFO))
    assert opened(path) == []
    data = bytearray(path.read_bytes())
    struct.pack_into("<I", data, places(bytes(data))[1], 0)
    path.write_bytes(data)
    [fault] = opened(path)
    assert "bytes belong to no page: as many as 18 of its pages take" in fault


@pytest.mark.parametrize("big", [False, True])
@pytest.mark.parametrize("order", ["<", ">"])
def test_chains_of_both_sorts_and_orders_are_followed(tmp_path: Path, big: bool, order: str) -> None:
    path = tiff_take(tmp_path, raw(pictures(4)))
    tifffile.imwrite(path, raw(pictures(4)), photometric="minisblack", bigtiff=big, byteorder=order)
    assert opened(path) == []
    cut = path.read_bytes()[:-30]
    path.write_bytes(cut)
    assert opened(path)


def test_pages_that_were_appended_are_pages(tmp_path: Path) -> None:
    path = tiff_take(tmp_path, raw(pictures(4)))
    tifffile.imwrite(path, raw(pictures(3)), photometric="minisblack", append=True)
    assert opened(path) == []  # more than the first page's description promises


def test_a_page_whose_pixels_lie_beyond_the_end_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "a.tif"
    with tifffile.TiffWriter(path) as writer:
        for picture in raw(pictures(3)):
            writer.write(picture, photometric="minisblack", contiguous=False, description="")
    (tmp_path / "a.tif.json").write_text(json.dumps(INFO))
    assert opened(path) == []
    data = bytearray(path.read_bytes())
    at = struct.unpack_from("<I", data, 4)[0]
    tags = struct.unpack_from("<H", data, at)[0]
    for tag in range(tags):
        if struct.unpack_from("<H", data, at + 2 + 12 * tag)[0] == 273:  # StripOffsets
            struct.pack_into("<I", data, at + 10 + 12 * tag, len(data) - 10)
    path.write_bytes(data)
    [fault] = opened(path)
    assert fault.startswith("a.tif, page 1: its pixels end beyond the file's end")


# ---- zip -------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("method", [zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA])
@pytest.mark.parametrize("top", ["", "Take 3/"])
def test_every_method_and_a_folder_around_it(tmp_path: Path, method: int, top: str) -> None:
    files = {top + name: data for name, data in take_files(tmp_path).items()}
    assert opened(archive(tmp_path / "t.zip", files, method)) == []


def test_what_nothing_names_is_refused_and_what_file_managers_leave_is_skipped(tmp_path: Path) -> None:
    from lantern.signals.takes import open_take

    files = take_files(tmp_path)
    left = {".DS_Store": b"x", "__MACOSX/._a.tif": b"x", "Thumbs.db": b"x"}
    path = archive(tmp_path / "t.zip", files | left)
    with open_take(path) as take:
        assert sorted(take.left) == sorted(left)
    assert opened(archive(path, files | {"notes/readme.txt": b"x", "b.tif": b"x"})) == [
        "t.zip/b.tif: is not read; expected only take.json and the files that it names",
        "t.zip/notes/readme.txt: is not read; expected only take.json and the files that it names",
    ]


def test_matrices_beside_others_are_refused(tmp_path: Path) -> None:
    path = zipped(csv_folder(tmp_path / "m", pictures(4)), tmp_path / "m.zip")
    (tmp_path / "m.zip.json").write_text(json.dumps(INFO))
    assert opened(path) == []
    with zipfile.ZipFile(path, "a") as made:
        made.writestr("00009.txt", "20")
        made.writestr(".DS_Store", "x")
    [fault] = opened(path)
    assert fault.startswith("m.zip/00009.txt: is no CSV matrix and would not be read")


def test_a_name_that_comes_twice_is_refused(tmp_path: Path) -> None:
    files = take_files(tmp_path)
    with pytest.warns(UserWarning, match="Duplicate"), zipfile.ZipFile(tmp_path / "t.zip", "w") as made:
        for name, data in [*files.items(), *files.items()]:
            made.writestr(name, data)
    assert "t.zip/a.tif: is in it 2 times; expected each file once" in opened(tmp_path / "t.zip")


@pytest.mark.parametrize("to", [b"m/\x00\x00\x00.csv", b"m/.DS_Store\x00", b"m/00000000/"])
def test_a_frame_whose_name_was_damaged_is_missed(tmp_path: Path, to: bytes) -> None:
    """A NUL ends a name for the library: the frame would pass for a folder, or for something left over."""
    name = f"m/{'0' * (len(to) - 6)}.csv".encode()
    frames = {f"m/{n:0{len(to) - 6}d}.csv": b"20,21\n" for n in range(3)}
    path = archive(tmp_path / "m.zip", frames)
    (tmp_path / "m.zip.json").write_text(json.dumps(INFO))
    assert opened(path) == []
    path.write_bytes(path.read_bytes().replace(name, to))
    assert "m.zip" in opened(path)[0]


@pytest.mark.parametrize("name", ["../x", "/x", "a/../../x", "C:/x", "a\\..\\x", "x" * 250, "a\x01b", "./x"])
def test_names_that_leave_the_archive_or_name_nothing(tmp_path: Path, name: str) -> None:
    faults = opened(archive(tmp_path / "t.zip", take_files(tmp_path) | {name: b"x"}))
    assert any(fault.startswith("t.zip/") for fault in faults), faults


def test_a_directory_that_would_fill_the_memory_is_not_read(tmp_path: Path) -> None:
    path = archive(tmp_path / "t.zip", take_files(tmp_path))
    data = bytearray(path.read_bytes())
    at = data.rfind(b"PK\x05\x06")
    struct.pack_into("<I", data, at + 12, 2**31)
    path.write_bytes(data)
    assert "a directory of 2147483648 bytes" in opened(path)[0]
    for broken in (b"", b"PK", bytes(data[:at]), b"\x00" * 100):
        path.write_bytes(broken)
        assert len(opened(path)) == 1


def test_a_dictionary_that_would_fill_the_memory_is_not_made(tmp_path: Path) -> None:
    path = archive(tmp_path / "t.zip", take_files(tmp_path), zipfile.ZIP_LZMA)
    data = bytearray(path.read_bytes())
    props = data.find(b"\x09\x04\x05\x00")  # version of LZMA, length of its properties; then they
    assert props > 0
    struct.pack_into("<I", data, props + 5, 2**31)
    path.write_bytes(data)
    assert "LZMA with a dictionary of 2147483648 bytes" in opened(path)[0]


def test_every_damaged_byte_of_an_archive_is_refused_or_makes_no_difference(tmp_path: Path) -> None:
    """Of deflate and of the archive's own structure, which the library reports in many ways."""
    small = {"take.json": json.dumps(TIFF).encode(), "a.tif": b""}
    out = io.BytesIO()
    tifffile.imwrite(out, np.full((2, 6, 8), 29_000, np.uint16), photometric="minisblack")
    whole = archive(tmp_path / "w.zip", small | {"a.tif": out.getvalue()}).read_bytes()
    path = tmp_path / "t.zip"
    refused = 0
    for at in range(0, len(whole), 3):
        data = bytearray(whole)
        data[at] ^= 0x55
        path.write_bytes(data)
        refused += bool(opened(path))
    assert refused > len(whole) / 3 * 0.5
