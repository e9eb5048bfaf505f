"""Frames to bytes and back: differences in time, bytes by significance, zstandard.

Neighbouring frames differ by little more than noise, so a block keeps its first frame and the differences after it; the
high bytes are then nearly all zero and cost nothing. Lossless for every type.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import zstandard

LEVEL = 1


def pack(block: Any) -> bytes:
    """(k, height, width) of `uint16`, `float32` or `float64` to bytes."""
    if block.dtype == np.uint16:
        steps = block.copy()
        steps[1:] -= block[:-1]  # wraps around, and so does the sum that undoes it
        signed = steps[1:].view(np.int16)
        steps[1:] = ((signed << 1) ^ (signed >> 15)).view(np.uint16)  # small magnitudes to small numbers
        planes = np.concatenate(((steps & 0xFF).astype(np.uint8).ravel(), (steps >> 8).astype(np.uint8).ravel()))
    else:
        planes = np.ascontiguousarray(np.ascontiguousarray(block).view(np.uint8).reshape(-1, block.itemsize).T)
    return zstandard.ZstdCompressor(level=LEVEL).compress(planes.data)


def unpack(data: bytes, *, count: int, height: int, width: int, dtype: str) -> Any:
    """The block that `pack` was given."""
    size = np.dtype(dtype).itemsize
    pixels = count * height * width
    raw = zstandard.ZstdDecompressor().decompress(data, max_output_size=pixels * size)
    planes = np.frombuffer(raw, np.uint8).reshape(size, pixels)
    if dtype != "uint16":
        return np.ascontiguousarray(planes.T).view(dtype).reshape(count, height, width)
    block = planes[1].astype(np.uint16)
    block <<= 8
    block |= planes[0]
    block = block.reshape(count, height, width)
    steps = block[1:]
    signs = steps & 1
    np.negative(signs, out=signs)
    steps >>= 1
    steps ^= signs
    for at in range(1, count):  # quicker than a cumulative sum across the slow axis
        block[at] += block[at - 1]
    return block
