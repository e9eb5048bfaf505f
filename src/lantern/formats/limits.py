"""What a file may be at most: guards against those that are made to fill the machine, and against numbers that cannot be meant.

`Limits` are settings. The rest are the limits of docs/files.md, the same for everybody: what lies beyond them is refused.
"""

from __future__ import annotations

from dataclasses import dataclass

from lantern.core.faults import FaultList

GIB = 1024**3
MIB = 1024**2

MOST_PX = 1_000_000.0  # of a coordinate in a picture, either way
MOST_M = 100_000.0  # of one on a plan
MOST_ID = 2**53  # beyond it whole numbers are not all told apart
TALLEST_M = 10.0
COLDEST_C, HOTTEST_C = -273.15, 10_000.0
MOST_READING = 1e7  # of any other reading, in amount
FIRST_YEAR, LAST_YEAR = 1990, 2100  # in which a take may start, the last excluded
LONGEST_S = 400 * 86_400.0

MOST_LINE_BYTES = MIB
MOST_LINES_A_ROW = 1000  # of a quoted text that goes on over lines
MOST_NAME = 200  # characters of an id, a class, a column
MOST_COLUMNS = 10_000


@dataclass(frozen=True, slots=True)
class Limits:
    """`unpacked_bytes` in all; beyond `free_bytes` no more than `ratio` times the packed size; `files` in an archive.

    What is held in memory at once: `rows` of tracks, `returns` of a radar, `cells` of a table of readings, `frames` of a thermal take (their times
    and places in the file), `pixels` of one frame, bytes of a `document` or a still.
    """

    unpacked_bytes: int = 8 * GIB
    ratio: float = 200.0
    free_bytes: int = 100 * MIB
    files: int = 200_000
    rows: int = 2_300_000
    returns: int = 9_000_000
    cells: int = 20_000_000
    frames: int = 1_000_000
    pixels: int = 16_000_000
    document_bytes: int = 4 * MIB
    still_bytes: int = 32 * MIB

    def check(self, faults: FaultList, *, where: str, packed: int, unpacked: int) -> None:
        if unpacked > self.unpacked_bytes:
            faults.add(where, f"unpacks to {unpacked / GIB:.1f} GiB", f"at most {self.unpacked_bytes / GIB:g} GiB")
        elif unpacked > self.free_bytes and unpacked > self.ratio * max(packed, 1):
            times = unpacked / max(packed, 1)
            faults.add(where, f"unpacks to {times:.0f} times its size", f"at most {self.ratio:g} times")


DEFAULT = Limits()
