"""Pictures as devices and pages bring them: JPEG or PNG, without what a camera writes beside the picture."""

from __future__ import annotations

import struct
from collections.abc import Iterator

from lantern.core.faults import Fault, Refused

MOST_BYTES = 4 * 1024 * 1024
JPEG, PNG = b"\xff\xd8\xff", b"\x89PNG\r\n\x1a\n"
PNG_KEPT = {b"IHDR", b"PLTE", b"IDAT", b"IEND", b"tRNS", b"gAMA", b"sRGB", b"cHRM", b"bKGD", b"sBIT"}
START_OF_SCAN, END, APP0, APP14, APP15, COMMENT = 0xDA, 0xD9, 0xE0, 0xEE, 0xEF, 0xFE  # markers of JPEG, ISO/IEC 10918-1
ALONE = {0x01, *range(0xD0, 0xD9)}  # markers without a length
WANTED = "a JPEG or PNG picture, whole"


def picture_type(data: bytes, *, where: str = "picture") -> str:
    """Return the media type. Raises `Refused` for what is neither JPEG nor PNG, or too large."""
    if len(data) > MOST_BYTES:
        raise Refused([Fault(where, f"has {len(data)} bytes", f"at most {MOST_BYTES} bytes")])
    if data.startswith(JPEG):
        return "image/jpeg"
    if data.startswith(PNG):
        return "image/png"
    raise Refused([Fault(where, "is neither JPEG nor PNG", WANTED)])


def without_notes(data: bytes, *, where: str = "picture") -> bytes:
    """Return the same picture without what was written beside it: EXIF with place and time, thumbnails, comments, colour profiles.

    Not a pixel is changed. Raises `Refused` for a picture that is cut off or no picture.
    """
    parts = _jpeg_parts(data) if picture_type(data, where=where) == "image/jpeg" else _png_parts(data)
    try:
        return b"".join(parts)
    except (IndexError, struct.error) as error:
        raise Refused([Fault(where, "is cut off or damaged", WANTED)]) from error


def _jpeg_parts(data: bytes) -> Iterator[bytes]:
    """Its segments, but for those of applications (JFIF's own and Adobe's colour transform stay) and comments."""
    yield data[:2]
    at = 2
    while True:
        if data[at] != 0xFF:
            raise IndexError
        marker = data[at + 1]
        if marker == 0xFF:  # filling
            at += 1
            continue
        if marker in ALONE or marker == END:
            yield data[at : at + 2]
            at += 2
            if marker == END:
                return
            continue
        (length,) = struct.unpack_from(">H", data, at + 2)
        segment = data[at : at + 2 + length]
        if length < 2 or len(segment) < 2 + length:
            raise IndexError
        at += 2 + length
        is_note = marker == COMMENT or (APP0 < marker <= APP15 and marker != APP14)
        if not is_note:
            yield segment
        if marker == START_OF_SCAN:
            after = _end_of_scan(data, at)
            yield data[at:after]
            at = after


def _end_of_scan(data: bytes, at: int) -> int:
    """Return where the next marker begins that is no filling of the compressed data, ITU-T T.81 B.1.1.5."""
    while True:
        at = data.index(b"\xff", at) if b"\xff" in data[at:] else len(data)
        if at + 1 >= len(data):
            raise IndexError
        if data[at + 1] != 0x00 and not 0xD0 <= data[at + 1] <= 0xD7:
            return at
        at += 2


def _png_parts(data: bytes) -> Iterator[bytes]:
    """Its chunks, but for those that hold text, time or notes of the camera."""
    yield PNG
    at = len(PNG)
    while True:
        length, kind = struct.unpack_from(">I4s", data, at)
        chunk = data[at : at + 12 + length]
        if len(chunk) < 12 + length:
            raise IndexError
        if kind in PNG_KEPT:
            yield chunk
        at += 12 + length
        if kind == b"IEND":
            return
