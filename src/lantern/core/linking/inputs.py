"""Inputs of a module: contacts that cause something, plain or supervised by resistors, and how long they must hold."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from lantern.core.modelled import Strict

State = Literal["idle", "active", "fault", "unknown"]
SOURCES = ("active", "fault")  # what a link may listen to
DEBOUNCE_MS = 100  # common practice, no source: 50 to 250 ms
PART_TOLERANCE_PERCENT = 5.0
SHORT_RATIO, CUT_RATIO = 0.05, 0.95  # common practice, no source: beyond these the wires are shorted or cut


class Supervised(Strict):
    """A contact with a resistor in line and one across it, read as the ratio of a divider, 0 to `full_scale`.

    Idle: R1 is in the circuit; active: R1 + R2. Shorted, cut, or in no window: a fault.
    """

    register_address: int = Field(ge=0, le=65_535, description="input register, from 0")
    full_scale: int = Field(default=1000, ge=1, le=65_535, description="what the register says for a ratio of 1")
    r1_ohm: float = Field(default=4700, gt=0, le=1e7)
    r2_ohm: float = Field(default=4700, gt=0, le=1e7)
    pull_up_ohm: float = Field(default=4700, gt=0, le=1e7)
    tolerance_percent: float = Field(default=PART_TOLERANCE_PERCENT, gt=0, le=20, description="of each resistor")

    def ratio(self, ohm: float) -> float:
        """R / (R + Rp), the share of the voltage that is left at the input; 1 for an open circuit."""
        return 1.0 if math.isinf(ohm) else ohm / (ohm + self.pull_up_ohm)

    def window(self, ohm: float) -> tuple[float, float]:
        """The ratios that parts of this tolerance can give for so many ohm."""
        low, high = 1 - self.tolerance_percent / 100, 1 + self.tolerance_percent / 100
        return (
            ohm * low / (ohm * low + self.pull_up_ohm * high),
            ohm * high / (ohm * high + self.pull_up_ohm * low),
        )

    @property
    def windows(self) -> dict[State, tuple[float, float]]:
        return {"idle": self.window(self.r1_ohm), "active": self.window(self.r1_ohm + self.r2_ohm)}

    @property
    def boundary(self) -> float:
        """The ratio that parts idle from active: of the geometric mean of the two resistances."""
        return self.ratio(math.sqrt(self.r1_ohm * (self.r1_ohm + self.r2_ohm)))

    @model_validator(mode="after")
    def _apart(self) -> Self:
        idle, active = self.windows["idle"], self.windows["active"]
        if idle[1] >= self.boundary or active[0] <= self.boundary:
            raise ValueError(
                f"idle gives ratios up to {idle[1]:.3f} and active from {active[0]:.3f}: the windows meet at "
                f"{self.boundary:.3f}; take a larger r2_ohm, or better parts"
            )
        if idle[0] <= SHORT_RATIO or active[1] >= CUT_RATIO:
            raise ValueError(
                f"idle gives ratios from {idle[0]:.3f} and active up to {active[1]:.3f}: a short (up to {SHORT_RATIO}) or a "
                f"cut (from {CUT_RATIO}) could not be told; take resistors nearer to pull_up_ohm"
            )
        return self

    def state(self, ratio: float) -> tuple[State, str]:
        """Return what a ratio says, and of a fault what it is."""
        for state, (low, high) in self.windows.items():
            if low <= ratio <= high:
                return state, ""
        if ratio <= SHORT_RATIO:
            return "fault", "shorted"
        if ratio >= CUT_RATIO:
            return "fault", "cut"
        near = "idle" if ratio < self.boundary else "active"
        return "fault", f"in no window, nearest to {near}"


class Input(BaseModel):
    """A named contact on a module: a discrete input, or supervised by an input register. Neither: it is not wired yet."""

    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False)

    name: str = Field(min_length=1, max_length=80)
    contact: Literal["normally_open", "normally_closed"] = Field(
        default="normally_open", description="normally closed: idle while current flows, so a cut wire shows as active"
    )
    discrete: int | None = Field(default=None, ge=0, le=65_535, description="discrete input, from 0")
    supervised: Supervised | None = None
    debounce_ms: int = Field(
        default=DEBOUNCE_MS, ge=0, le=60_000, description="a state must hold so long before it counts"
    )
    timetable: str | None = Field(default=None, max_length=120, description="what it raises outside it fires nothing")

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if self.discrete is not None and self.supervised is not None:
            raise ValueError("give discrete, or supervised, and not both")
        return self

    @property
    def wired(self) -> bool:
        return self.discrete is not None or self.supervised is not None

    def of_bit(self, closed: bool) -> State:
        """The state of a plain contact: a closed one is active if it is normally open."""
        return "active" if closed == (self.contact == "normally_open") else "idle"


@dataclass
class Debounced:
    """What an input is, once it has held for long enough. A module that is silent is unknown at once: not idle.

    `settled` is what counts now, `known` what it was when it was last known.
    """

    hold_s: float
    settled: State = "unknown"
    known: State | None = None
    _coming: State | None = None
    _since: float = 0.0

    def step(self, t: float, state: State) -> State | None:
        """Take what was read at `t`, in s; returns the new state if one settles with it."""
        if state == self.settled:
            self._coming = None
            return None
        if state != self._coming:
            self._coming, self._since = state, t
        if state != "unknown" and t - self._since < self.hold_s - 1e-6:
            return None
        self._coming, self.settled = None, state
        if state != "unknown":
            self.known = state
        return state


def raises(before: State | None, now: State) -> bool:
    """Return whether a state causes something. One that was never known before is only taken note of; one that is as it
    was when its module fell silent is no news.
    """
    return before is not None and now in SOURCES and now != before
