"""What flows through the core: frames of a picture over time, and series of one number over time."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from lantern.core.faults import Fault, Refused

Floats = NDArray[np.float64]
Pixels = NDArray[np.uint16] | NDArray[np.float32] | NDArray[np.float64]

KELVIN_AT_0_C = 273.15
DECIMALS_C = {"uint16": 9, "float32": 5, "float64": 9}


def check_times(t_s: Floats, *, where: str) -> None:
    """Refuse times that are not finite or do not run forward; the first offender is named by its index."""
    if t_s.ndim != 1 or t_s.size == 0:
        raise Refused([Fault(where, "no sample in it", "at least one sample")])
    finite = np.isfinite(t_s)
    if not finite.all():
        index = int(np.flatnonzero(~finite)[0])
        raise Refused([Fault(f"{where}, sample {index}", f"time is {t_s[index]}", "a finite number of seconds")])
    backward = np.flatnonzero(np.diff(t_s) <= 0)
    if backward.size:
        index = int(backward[0]) + 1
        what = f"time {t_s[index]:g} s does not follow {t_s[index - 1]:g} s"
        raise Refused([Fault(f"{where}, sample {index}", what, "times that run forward")])


@dataclass(frozen=True)
class Series:
    """One number over time: `t_s` (n,) in s from the take's start, strictly rising; `x` (n,) in `unit`, finite.

    `paused_s` (n,): how much of the time before each sample the device itself took out (its shutter), so that it is not lost.
    `beside`: other numbers (n,) that stood beside each sample, for explanations.
    """

    t_s: Floats
    x: Floats
    unit: str = ""
    name: str = ""
    paused_s: Floats = field(default_factory=lambda: np.zeros(0))
    beside: Mapping[str, Floats] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if self.paused_s.size == 0:
            object.__setattr__(self, "paused_s", np.zeros(self.t_s.size))
        if self.t_s.shape != self.x.shape:
            raise ValueError(f"t_s has shape {self.t_s.shape}, x has {self.x.shape}")
        check_times(self.t_s, where=f"series {self.name}".strip())
        bad = np.flatnonzero(~np.isfinite(self.x))
        if bad.size:
            where = f"series {self.name}".strip() + f", sample {int(bad[0])}"
            raise Refused([Fault(where, f"value is {self.x[bad[0]]}", "a finite number")])

    def __len__(self) -> int:
        return int(self.t_s.size)

    @property
    def length_s(self) -> float:
        return float(self.t_s[-1] - self.t_s[0])


@dataclass(frozen=True)
class RecordedAs:
    """What the camera had set while it recorded, and so had corrected already. None: the take does not say."""

    emissivity_set: float | None = None
    reflected_c: float | None = None
    distance_m: float | None = None
    humidity_percent: float | None = None
    air_c: float | None = None


class Keep(Protocol):
    """Keeps what was costly to work out of a take, so that it is done once: columns (n,) by key."""

    def get(self, keys: Sequence[str]) -> dict[str, Floats]:
        """Return those of the columns that are kept."""

    def put(self, key: str, column: Floats) -> None: ...


@dataclass(frozen=True)
class Frames:
    """A thermal picture over time, read block by block: a take need not fit in memory.

    `t_s` (n,) in s; `blocks()` yields arrays (k, height, width) of `dtype` (`uint16`, `float32` or `float64`) in order, n
    pages in all; °C = raw x `scale` + `offset_c`. `keep`: where reductions of them are kept, if anywhere.
    """

    t_s: Floats
    width: int
    height: int
    scale: float
    offset_c: float
    blocks: Callable[[], Iterator[Pixels]] = field(repr=False)
    recorded: RecordedAs = RecordedAs()
    dtype: str = "uint16"
    keep: Keep | None = field(default=None, repr=False, compare=False)

    def __post_init__(self) -> None:
        check_times(self.t_s, where="frames")

    def __len__(self) -> int:
        return int(self.t_s.size)

    def celsius(self, raw: Pixels | Floats) -> Floats:
        """Raw pixel values to °C, as the decimals they stand for.

        Raw 32315 at scale 0.01 is 50 °C, not 50.00000000000006; a `float32` of 50.7 is 50.7, not 50.70000076: else a
        reading exactly at a threshold would count as beyond it.
        """
        celsius = np.asarray(raw, dtype=np.float64) * self.scale + self.offset_c
        return np.round(celsius, DECIMALS_C[self.dtype])


def frames_of(
    pixels: Pixels, t_s: Floats, *, scale: float, offset_c: float, recorded: RecordedAs | None = None
) -> Frames:
    """Frames over an array (n, height, width) that is in memory already."""

    def blocks() -> Iterator[Pixels]:
        yield pixels

    _, height, width = pixels.shape
    return Frames(t_s, width, height, scale, offset_c, blocks, recorded or RecordedAs(), str(pixels.dtype))
