"""What work in a process of its own may take."""

from __future__ import annotations

import math
import resource
from dataclasses import dataclass
from pathlib import Path

STATUS = Path("/proc/self/status")


@dataclass(frozen=True)
class Bounds:
    """What work may take: `silent_s` of processor time between two beats, `memory_bytes` beyond what it begins with."""

    silent_s: float = math.inf
    memory_bytes: int | None = None


def limit_memory(more_bytes: int) -> None:
    """No more of its own memory than this beyond what it has: what asks for it is refused, and says so."""
    held = next(line for line in STATUS.read_text().splitlines() if line.startswith("VmData:"))
    most = int(held.split()[1]) * 1024 + more_bytes
    resource.setrlimit(resource.RLIMIT_DATA, (most, most))


def limit_processor(most_s: float) -> None:
    """No more processor time than this: the kernel ends what goes on."""
    most = math.ceil(most_s)
    resource.setrlimit(resource.RLIMIT_CPU, (most, most + 1))
