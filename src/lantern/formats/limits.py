"""How much an input may unpack to. Guards against archives and pictures that are made to fill the machine."""

from __future__ import annotations

from dataclasses import dataclass

from lantern.core.faults import FaultList

GIB = 1024**3
MIB = 1024**2


@dataclass(frozen=True, slots=True)
class Limits:
    """`unpacked_bytes` in all; beyond `free_bytes` no more than `ratio` times the packed size; `files` in an archive."""

    unpacked_bytes: int = 8 * GIB
    ratio: float = 200.0
    free_bytes: int = 100 * MIB
    files: int = 200_000

    def check(self, faults: FaultList, *, where: str, packed: int, unpacked: int) -> None:
        if unpacked > self.unpacked_bytes:
            faults.add(where, f"unpacks to {unpacked / GIB:.1f} GiB", f"at most {self.unpacked_bytes / GIB:g} GiB")
        elif unpacked > self.free_bytes and unpacked > self.ratio * max(packed, 1):
            times = unpacked / max(packed, 1)
            faults.add(where, f"unpacks to {times:.0f} times its size", f"at most {self.ratio:g} times")
