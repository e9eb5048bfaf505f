"""What a radar says: returns of targets over time, each with range, azimuth, radial speed and size."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from lantern.core.signals import Floats
from lantern.core.watching import Indices

if TYPE_CHECKING:
    from lantern.core.radar.sighted import Sighted

T = TypeVar("T")
NOBODY = ("",)  # the targets of bare detections
MOST_KEPT = 24  # of what was worked out; the oldest goes


@dataclass(frozen=True, slots=True)
class Return:
    """One target at one moment. `azimuth_deg` clockwise from the axis, `speed_mps` radial, negative when it comes nearer. `snr_db`: above
    the noise, where the unit says so; without a `target` it is a bare detection.
    """

    target: str
    range_m: float
    azimuth_deg: float
    speed_mps: float
    rcs_dbsm: float
    snr_db: float | None = None

    @property
    def place(self) -> tuple[float, float]:
        """Metres to the right of the radar, and ahead of it."""
        at = np.radians(self.azimuth_deg)
        return float(self.range_m * np.sin(at)), float(self.range_m * np.cos(at))


@dataclass(frozen=True)
class Returns:
    """n returns of m targets in order of time, those of one time as in the file.

    `t_s` (n,) s from the take's start, not falling; `target` (n,) indices into `ids`; `range_m`, `azimuth_deg` (clockwise from the
    axis), `speed_mps` (radial, negative when it comes nearer), `rcs_dbsm` (n,). `told`: what a reader of the take must know.
    `snr_db`, `noise_db` (n,), nan where it is not known; `noise_cells`: by so many cells the unit knows the noise. Bare detections, which
    nobody has followed, have one target without a name. `sighted`: what a camera saw meanwhile, where a detector asks for it.
    """

    t_s: Floats
    target: Indices
    range_m: Floats
    azimuth_deg: Floats
    speed_mps: Floats
    rcs_dbsm: Floats
    ids: tuple[int | str, ...]
    told: tuple[str, ...] = ()
    snr_db: Floats | None = None
    noise_db: Floats | None = None
    noise_cells: int | None = None
    sighted: Sighted | None = None
    _kept: dict[Hashable, Any] = field(default_factory=dict, init=False, repr=False, compare=False)

    def __len__(self) -> int:
        return int(self.t_s.size)

    @property
    def length_s(self) -> float:
        return float(self.t_s[-1]) if len(self) else 0.0

    @property
    def interval_s(self) -> float:
        """Return the usual time between two moments; 0 where there is one."""
        moments = np.unique(self.t_s)
        return float(np.median(np.diff(moments))) if moments.size > 1 else 0.0

    def picked(self, which: NDArray[np.bool_] | Indices) -> Returns:
        """Return some of the returns: (n,) which, or their places in order."""
        columns = ("t_s", "target", "range_m", "azimuth_deg", "speed_mps", "rcs_dbsm", "snr_db", "noise_db")
        held = {name: column for name in columns if (column := getattr(self, name)) is not None}
        return replace(self, **{name: column[which] for name, column in held.items()})

    @property
    def bare(self) -> bool:
        """Return whether these are detections that nobody has followed."""
        return self.ids == NOBODY

    @property
    def power_db(self) -> Floats:
        """(n,): how strongly each answers: above the noise where that is known, else by its size."""
        return self.rcs_dbsm if self.snr_db is None else np.where(np.isfinite(self.snr_db), self.snr_db, self.rcs_dbsm)

    @cached_property
    def by_target(self) -> Indices:
        """(n,): the returns target by target, each in order of time."""
        return np.argsort(self.target, kind="stable").astype(np.int32)  # a day of them fits, in half the memory

    @cached_property
    def places(self) -> tuple[Floats, Floats]:
        """(x, y) (n,) each: metres to the right of the radar, and ahead of it."""
        at = np.radians(self.azimuth_deg)
        return self.range_m * np.sin(at), self.range_m * np.cos(at)

    def remember(self, key: Hashable, make: Callable[[], T]) -> T:
        """`make()`, or what it gave before: a dial that is dragged does not ask anew where everybody was."""
        if key not in self._kept:
            while len(self._kept) >= MOST_KEPT:
                self._kept.pop(next(iter(self._kept)), None)
            self._kept[key] = make()
        found: T = self._kept[key]
        return found
