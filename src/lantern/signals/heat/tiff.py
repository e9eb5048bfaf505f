"""Multi-page TIFF to frames: `uint16` or `float32`, one page a frame, read a block of pages at a time.

The chain of pages is followed here, before any page is decoded: it must end, stay in the file and hold as many pages as it
promises. Sources: TIFF Revision 6.0, section 2; BigTIFF proposal (both from memory).
"""

from __future__ import annotations

import json
import logging
import struct
from array import array
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
import tifffile

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.signals import Pixels
from lantern.formats.border import border, words_of
from lantern.formats.limits import MIB, Limits
from lantern.formats.progress import beat

BLOCK_BYTES = 8 * MIB
DTYPES = ("uint16", "float32")
PLAIN = 1
PADDING_BYTES = 256  # that a page may take beside what its tags tell: alignment, room that a writer kept
LARGEST_CLASSIC = 3 * 2**30  # bytes of pixels; the classic layout counts 4 GiB
BRANCHES = (330, 34665, 34853)  # tags that lead to directories beside the chain
COMPRESSIONS = {PLAIN, 5, 8, 32773, 32946, 34925, 50000}  # none, LZW, deflate (two numbers), PackBits, LZMA, zstd
MOST_TAGS = 1000  # of a page
MOST_TAG_BYTES = 4 * MIB
TYPE_BYTES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4, 16: 8, 17: 8, 18: 8}
WHOLE = "a multi-page TIFF, whole"
logging.getLogger("tifffile").setLevel(logging.CRITICAL)  # what it finds odd is refused here, or does not matter


@dataclass(slots=True)
class Chain:
    """`places`: where each page's directory begins in the file; `bytes`: of directories and what their tags hold; `branches`:
    some tag leads to directories beside the chain.
    """

    places: array[int]
    bytes: int
    branches: bool = False


@dataclass(frozen=True, slots=True)
class TiffShape:
    """`places`: where each page's directory begins in the file."""

    places: array[int]
    width: int
    height: int
    dtype: str

    @property
    def pages(self) -> int:
        return len(self.places)


def check_tiff(path: Path, limits: Limits) -> TiffShape:
    """Follow the chain of pages and look at every page's header without decoding; refuse what is cut, what loops, pages of
    another size or type, and bombs.
    """
    faults = FaultList()
    where = path.name
    with border(where, WHOLE):
        with path.open("rb") as stream:
            chain = _chain(stream, where, limits)
        places, pixel_bytes = chain.places, 0
        with tifffile.TiffFile(path) as tif:
            first = _page(tif, places, 0)
            shape, dtype = first.shape, str(first.dtype)
            if len(shape) != 2 or 0 in shape:
                faults.add(f"{where}, page 1", f"shape {shape}", "one grey picture a page: height x width")
            elif shape[0] * shape[1] > limits.pixels:
                drawn = f"{shape[1]} x {shape[0]} pixels"
                faults.add(f"{where}, page 1", drawn, f"at most {limits.pixels} in all (a setting)")
            if dtype not in DTYPES:
                faults.add(f"{where}, page 1", f"pixels of type {dtype}", " or ".join(DTYPES))
            faults.refuse_if_any()
            promised = _promised(first, shape)
            if promised > len(places):
                what = f"{len(places)} pages, where its description promises {promised}"
                faults.add(where, what, "a file that was written to its end")
            size = path.stat().st_size
            for at in range(len(places)):
                beat()
                page = _page(tif, places, at)
                _check_page(page, shape, dtype, size, faults, f"{where}, page {at + 1}")
                pixel_bytes += sum(page.databytecounts)
                if faults.full():
                    break
            page_bytes = (chain.bytes + pixel_bytes) / len(places)
            left = size - chain.bytes - pixel_bytes - len(places) * PADDING_BYTES
            if left >= page_bytes and not chain.branches:
                what = f"{left} bytes belong to no page: as many as {left / page_bytes:.0f} of its pages take"
                faults.add(where, what, "a file whose pages are all in its chain")
            unpacked = len(places) * shape[0] * shape[1] * np.dtype(dtype).itemsize
            limits.check(faults, where=where, packed=size, unpacked=unpacked)
    faults.refuse_if_any()
    return TiffShape(places, shape[1], shape[0], dtype)


def _check_page(page: Any, shape: tuple[int, ...], dtype: str, size: int, faults: FaultList, where: str) -> None:
    if page.shape != shape:
        is_size = " x ".join(str(n) for n in reversed(page.shape))
        faults.add(where, f"{is_size} pixels", f"{shape[1]} x {shape[0]} as page 1")
    elif str(page.dtype) != dtype:
        faults.add(where, f"pixels of type {page.dtype}", f"{dtype} as page 1")
    if int(page.compression) not in COMPRESSIONS:
        faults.add(where, f"compression {int(page.compression)}", "none, LZW, deflate, PackBits, LZMA or zstd")
    strips = list(zip(page.dataoffsets, page.databytecounts, strict=False))
    if not strips or len(page.dataoffsets) != len(page.databytecounts) or not all(at and count for at, count in strips):
        faults.add(where, "has no pixels, or only some", "a page that is whole")
    elif any(at + count > size for at, count in strips):
        faults.add(where, "its pixels end beyond the file's end", "a file that is not cut off")
    elif int(page.compression) == PLAIN and sum(count for _, count in strips) < page.size * page.dtype.itemsize:
        faults.add(where, f"{sum(count for _, count in strips)} bytes of pixels", f"{page.size * page.dtype.itemsize}")


def read_blocks(path: Path, shape: TiffShape) -> Iterator[Pixels]:
    """Pages in order, some megabytes at a time. Faults of the pixels are refused, all of them, after the last page."""
    faults = FaultList()
    page_bytes = shape.width * shape.height * np.dtype(shape.dtype).itemsize
    most = max(1, BLOCK_BYTES // page_bytes)
    with tifffile.TiffFile(path) as tif:
        number = 0
        while number < shape.pages:
            count = min(most, shape.pages - number)
            block: Any = np.empty((count, shape.height, shape.width), dtype=shape.dtype)
            for at in range(count):
                number += 1
                try:
                    block[at] = _page(tif, shape.places, number - 1).asarray()
                except Exception as error:  # the library raises many kinds for damaged pages; each means the same here
                    faults.add(f"{path.name}, page {number}", f"cannot be decoded: {words_of(error)}", "a whole page")
                    block[at] = 0
            check_finite(block, number - count + 1, faults, path.name)
            yield block
            if faults.full():
                break
    faults.refuse_if_any()


def _page(tif: Any, places: array[int], at: int) -> Any:
    tif.filehandle.seek(places[at])
    return tifffile.TiffPage(tif, at)


def check_finite(block: Pixels, first_page: int, faults: FaultList, where: str) -> None:
    """Note each page that holds a NaN or an infinity, with its first bad pixel."""
    if block.dtype.kind != "f":
        return
    bad = ~np.isfinite(block)
    for at in np.flatnonzero(bad.any(axis=(1, 2))):
        row, column = np.argwhere(bad[at])[0]
        what = f"pixel ({column}, {row}) is {block[at, row, column]}"
        faults.add(f"{where}, page {first_page + int(at)}", what, "finite values")


# ---- the chain of pages ----------------------------------------------------------------------------------------------


def _chain(stream: BinaryIO, where: str, limits: Limits) -> Chain:
    """The pages, in the chain's order. Raises `Refused` for a chain that returns, leaves the file or is cut."""
    head = stream.read(16)
    order = {b"II": "<", b"MM": ">"}.get(head[:2])
    version = struct.unpack(f"{order}H", head[2:4])[0] if order and len(head) >= 8 else 0
    if order is None or version not in (42, 43) or (version == 43 and len(head) < 16):
        raise Refused([Fault(where, "not a readable TIFF: it does not begin as one", WHOLE)])
    big = version == 43
    size = stream.seek(0, 2)
    place = struct.unpack(f"{order}Q", head[8:16])[0] if big else struct.unpack(f"{order}I", head[4:8])[0]
    chain, seen = Chain(array("Q"), 16 if big else 8), set[int]()
    places = chain.places
    while place:
        at = f"{where}, page {len(places) + 1}"
        if place in seen:
            raise Refused([Fault(at, "is a page that was there before: the chain of pages loops", "a chain that ends")])
        if len(places) >= limits.frames:
            raise Refused([Fault(where, f"more than {limits.frames} pages", f"at most {limits.frames} (a setting)")])
        seen.add(place)
        places.append(place)
        place = _next_place(stream, place, size, order, big, at, chain)
    if not places:
        raise Refused([Fault(where, "has no page", WHOLE)])
    return chain


def _next_place(stream: BinaryIO, place: int, size: int, order: str, big: bool, where: str, chain: Chain) -> int:
    """The place of the page after this one, whose tags are looked at; 0: it is the last."""
    count_code, entry, link_code = ("Q", "HHQQ", "Q") if big else ("H", "HHII", "I")
    count_bytes, entry_bytes, link_bytes = (
        struct.calcsize(f"{order}{code}") for code in (count_code, entry, link_code)
    )
    stream.seek(place)
    data = stream.read(count_bytes)
    count = struct.unpack(f"{order}{count_code}", data)[0] if len(data) == count_bytes else 0
    if not 0 < count <= MOST_TAGS or place + count_bytes + count * entry_bytes + link_bytes > size:
        what = f"has {count} tags" if place < size else f"would begin at byte {place} of {size}"
        raise Refused([Fault(where, f"{what}: cut off or damaged", WHOLE)])
    data = stream.read(count * entry_bytes + link_bytes)
    chain.bytes += count_bytes + len(data)
    for tag, kind, number, value in struct.iter_unpack(f"{order}{entry}", data[: count * entry_bytes]):
        length = TYPE_BYTES.get(kind, 1) * number
        if length > MOST_TAG_BYTES:
            raise Refused([Fault(where, f"tag {tag} of {length} bytes", f"at most {MOST_TAG_BYTES}")])
        if length > (8 if big else 4):
            if value + length > size:
                raise Refused([Fault(where, f"tag {tag} lies beyond the file's end", WHOLE)])
            chain.bytes += length + length % 2
        chain.branches |= tag in BRANCHES
    link: int = struct.unpack(f"{order}{link_code}", data[count * entry_bytes :])[0]
    return link


def _promised(first: Any, shape: tuple[int, ...]) -> int:
    """Return how many pages the first page's description says there are, where it tells the shape of all; 0 where it
    does not.
    """
    try:
        told = json.loads(first.description or "null")
    except ValueError:
        return 0
    whole = told.get("shape") if isinstance(told, dict) else None
    if not isinstance(whole, list) or not all(isinstance(n, int) and n > 0 for n in whole):
        return 0
    return int(np.prod(whole[: -len(shape)], dtype=object)) if tuple(whole[-len(shape) :]) == tuple(shape) else 0


def write_tiff(blocks: Iterator[Pixels], path: Path, *, shape: tuple[int, int, int], dtype: str) -> None:
    """One page a frame, uncompressed; `shape` (frames, height, width)."""
    large = int(np.prod(shape)) * np.dtype(dtype).itemsize > LARGEST_CLASSIC
    with tifffile.TiffWriter(path, bigtiff=large) as tif:
        for block in blocks:
            for frame in block:
                tif.write(frame, photometric="minisblack", metadata=None)
