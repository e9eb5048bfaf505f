"""Multi-page TIFF to frames: `uint16` or `float32`, one page a frame, read a block of pages at a time."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import tifffile

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.signals import Pixels
from lantern.formats.limits import Limits

BLOCK_BYTES = 8 * 1024 * 1024
DTYPES = ("uint16", "float32")


@dataclass(frozen=True, slots=True)
class TiffShape:
    pages: int
    width: int
    height: int
    dtype: str


def check_tiff(path: Path, limits: Limits) -> TiffShape:
    """Look at every page's header without decoding; refuse pages of another size or type, and bombs."""
    faults = FaultList()
    where = path.name
    try:
        with tifffile.TiffFile(path) as tif:
            first = tif.pages.first
            shape, dtype = first.shape, str(first.dtype)
            if len(shape) != 2 or 0 in shape:
                faults.add(f"{where}, page 1", f"shape {shape}", "one grey picture a page: height x width")
            if dtype not in DTYPES:
                faults.add(f"{where}, page 1", f"pixels of type {dtype}", " or ".join(DTYPES))
            faults.refuse_if_any()
            pages = 0
            tif.pages.cache = False  # headers are looked at once; keeping them all costs time and memory
            for page in tif.pages:
                pages += 1
                if page.shape != shape:
                    size = " x ".join(str(n) for n in reversed(page.shape))
                    faults.add(f"{where}, page {pages}", f"{size} pixels", f"{shape[1]} x {shape[0]} as page 1")
                elif str(page.dtype) != dtype:
                    faults.add(f"{where}, page {pages}", f"pixels of type {page.dtype}", f"{dtype} as page 1")
            unpacked = pages * shape[0] * shape[1] * np.dtype(dtype).itemsize
            limits.check(faults, where=where, packed=path.stat().st_size, unpacked=unpacked)
    except Refused:
        raise
    except Exception as error:  # the library raises many kinds for damaged files; each means the same here
        raise Refused([Fault(where, f"not a readable TIFF: {error}", "a multi-page TIFF, whole")]) from error
    faults.refuse_if_any()
    return TiffShape(pages, shape[1], shape[0], dtype)


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
                    block[at] = tif.pages[number - 1].asarray()
                except Exception as error:  # as above: a damaged page
                    faults.add(f"{path.name}, page {number}", f"cannot be decoded: {error}", "a page that is whole")
                    block[at] = 0
            check_finite(block, number - count + 1, faults, path.name)
            yield block
            if faults.full():
                break
    faults.refuse_if_any()


def check_finite(block: Pixels, first_page: int, faults: FaultList, where: str) -> None:
    """Note each page that holds a NaN or an infinity, with its first bad pixel."""
    if block.dtype.kind != "f":
        return
    bad = ~np.isfinite(block)
    for at in np.flatnonzero(bad.any(axis=(1, 2))):
        row, column = np.argwhere(bad[at])[0]
        what = f"pixel ({column}, {row}) is {block[at, row, column]}"
        faults.add(f"{where}, page {first_page + int(at)}", what, "finite values")
