"""A head as its device keeps it: the places that it was driven onto, its zoom as measured, and the places that it should know."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, Self

import numpy as np
from pydantic import Field, model_validator

from lantern.core.faults import Refused
from lantern.core.modelled import Strict
from lantern.core.ptz.head import Head
from lantern.core.ptz.masks import Mask
from lantern.core.ptz.pointing import towards
from lantern.core.ptz.seen_by import Fitted, SeenBy
from lantern.core.ptz.units import FEWEST, Sighted, Units, fit_units
from lantern.core.ptz.zoom import Measured, ZoomCurve
from lantern.core.watch import Aim

DRIFT_DEG = 0.5  # a preset that is farther off is told; common practice, no source
MOVED_DEG = 1.0  # a check point that is missed by more: it was moved; common practice, no source
NARROW_DEG = 10.0  # all places within so much of one elevation say little of tilt; common practice, no source


class Onto(Strict):
    """It looked at a place of the plan, `z_m` above the ground, in its own units."""

    pan: float = Field(ge=-1e4, le=1e4)
    tilt: float = Field(ge=-1e4, le=1e4)
    x_m: float = Field(ge=-1e6, le=1e6)
    y_m: float = Field(ge=-1e6, le=1e6)
    z_m: float = Field(default=0.0, ge=-100, le=1000)


class Kept(Strict):
    """A preset as it should be: our number, its name, the device's token, where it looks in the device's own units; how its picture is
    made there: a focus that is kept, a manual exposure, the filter against infrared. None: as the device finds it. `sharp_s`: so long its
    picture took to become sharp once it rested, as it was measured by itself and with its kept focus.
    """

    number: int = Field(ge=1, le=999)
    name: str = Field(min_length=1, max_length=80)
    token: str = Field(default="", max_length=80)
    pan: float = Field(ge=-1e4, le=1e4)
    tilt: float = Field(ge=-1e4, le=1e4)
    zoom: float = Field(default=0.0, ge=-1e4, le=1e4)
    focus: float | None = Field(default=None, ge=0, le=1)
    exposure_us: float | None = Field(default=None, gt=0, le=1e8)
    gain_db: float | None = Field(default=None, ge=-20, le=100)
    ir_cut: Literal["ON", "OFF", "AUTO"] | None = None
    sharp_s: tuple[float, float | None] | None = None

    @property
    def sharp_after_s(self) -> float | None:
        """Return how long its picture takes to become sharp as it is driven; None: not measured."""
        if self.sharp_s is None:
            return None
        return self.sharp_s[0] if self.focus is None else self.sharp_s[1]


class Turned(Strict):
    """`pairs`: by which its own units are known in degrees; `zoom`: (unit, horizontal field in degrees) as measured; `check`: a place that
    is measured again later, to see whether somebody moved it; `seen`: fixed pictures that it is registered to; `masks`: what no picture of
    it may show.
    """

    pairs: tuple[Onto, ...] = Field(default=(), max_length=200)
    zoom: tuple[tuple[float, float], ...] = Field(default=(), max_length=100)
    presets: tuple[Kept, ...] = Field(default=(), max_length=300)
    check: Onto | None = None
    seen: tuple[SeenBy, ...] = Field(default=(), max_length=40)
    masks: tuple[Mask, ...] = Field(default=(), max_length=64)

    @model_validator(mode="after")
    def _one_name_a_mask(self) -> Self:
        names = [each.name for each in self.masks]
        if twice := sorted({name for name in names if names.count(name) > 1}):
            raise ValueError(f"two masks are called {', '.join(twice)}: a name of its own for each")
        return self


@dataclass(frozen=True)
class Pointing:
    """A head by its registration: from its own units to directions of the site, and back."""

    turned: Turned
    head: Head

    @cached_property
    def units(self) -> Units:
        """Raises `Refused` for too few places, or places that say too little."""
        return fit_units([self.sighted(pair) for pair in self.turned.pairs])

    @property
    def is_known(self) -> bool:
        return len(self.turned.pairs) >= FEWEST

    def sighted(self, pair: Onto) -> Sighted:
        to = towards(self.head, (pair.x_m, pair.y_m, pair.z_m))
        return Sighted(pair.pan, pair.tilt, to.pan_deg, to.tilt_deg)

    @cached_property
    def curve(self) -> ZoomCurve | None:
        return ZoomCurve([Measured(*each) for each in self.turned.zoom]) if self.turned.zoom else None

    def aim(self, pan: float, tilt: float, zoom: float) -> Aim:
        """Return where it looks on the site. A zoom that was not measured counts as wide."""
        pan_deg, tilt_deg = self.units.degrees(pan, tilt)
        curve = self.curve
        if curve is None:
            return Aim(pan_deg, tilt_deg, 1.0)
        low, high = curve.measured[0].unit, curve.measured[-1].unit
        return Aim(pan_deg, tilt_deg, curve.times(min(max(zoom, low), high)))

    def own(self, aim: Aim) -> tuple[float, float, float | None]:
        """Return its own units for a direction; no zoom where none was measured."""
        pan, tilt = self.units.own(aim.pan_deg, aim.tilt_deg)
        curve = self.curve
        if curve is None:
            return pan, tilt, None
        tangent = math.tan(math.radians(curve.widest_deg) / 2) / max(aim.zoom, 1.0)
        return pan, tilt, curve.unit_of(math.degrees(2 * math.atan(tangent)))

    def seen_by(self, of: str) -> Fitted | None:
        """Return the registration of a fixed picture; None: there is none."""
        held = next((each for each in self.turned.seen if each.of == of), None)
        if held is None:
            return None
        onto = np.array([self.units.degrees(pair.pan, pair.tilt) for pair in held.pairs]).reshape(-1, 2)
        return Fitted(held, self.head, onto)

    def off_deg(self, pair: Onto) -> float:
        """Return by how many degrees its units miss a place that it was driven onto."""
        sighted = self.sighted(pair)
        pan, tilt = self.units.degrees(pair.pan, pair.tilt)
        return self.apart_deg((pan, tilt), (sighted.pan_deg, sighted.tilt_deg))

    @staticmethod
    def apart_deg(one: tuple[float, float], other: tuple[float, float]) -> float:
        """Return the angle between two directions, each pan and tilt: haversines, which are exact for small ones."""
        (p, t), (q, u) = (tuple(map(math.radians, each)) for each in (one, other))
        half = math.sin((u - t) / 2) ** 2 + math.cos(t) * math.cos(u) * math.sin((q - p) / 2) ** 2
        return math.degrees(2 * math.asin(min(math.sqrt(half), 1.0)))

    def left_out(self, at: int) -> float | None:
        """Return by how much a place is missed if the others alone are asked; None where they are too few."""
        rest = tuple(pair for place, pair in enumerate(self.turned.pairs) if place != at)
        if len(rest) < FEWEST:
            return None
        try:
            return Pointing(Turned(pairs=rest, zoom=()), self.head).off_deg(self.turned.pairs[at])
        except Refused:
            return None

    def warnings(self) -> list[str]:
        """Return what a reader should know of the registration."""
        sighted = [self.sighted(pair) for pair in self.turned.pairs]
        out = list(self.units.warnings)
        tilts = [each.tilt_deg for each in sighted]
        if max(tilts) - min(tilts) < NARROW_DEG:
            out.append(
                f"All places lie within {max(tilts) - min(tilts):.0f}° of one elevation: add one nearer, or higher up."
            )
        off = self.check_off_deg
        if off is not None and off > MOVED_DEG:
            out.append(f"The check point is missed by {off:.1f}°: it was moved, register it again.")
        return out

    @property
    def check_off_deg(self) -> float | None:
        """Return by how much it misses its check point; None: it has none, or is not registered."""
        check = self.turned.check
        return None if check is None or not self.is_known else self.off_deg(check)

    def drift_deg(self, kept: Kept, pan: float, tilt: float) -> float:
        """Return how far a preset looks from where it should."""
        return self.apart_deg(self.units.degrees(kept.pan, kept.tilt), self.units.degrees(pan, tilt))


def preset_findings(kept: Sequence[Kept], known: Sequence[tuple[str, str]]) -> list[str]:
    """Return what is wrong between the presets that should be and those of the device, (token, name) each: one name twice, a number with
    two meanings, one that only one of both has.
    """
    out = []
    for name in sorted({name for _, name in known}):
        tokens = [token for token, other in known if other == name]
        if len(tokens) > 1:
            out.append(f"The device has {len(tokens)} presets named {name!r}: {', '.join(tokens)}.")
    numbers = [each.number for each in kept]
    for number in sorted({each for each in numbers if numbers.count(each) > 1}):
        names = [each.name for each in kept if each.number == number]
        out.append(f"Number {number} means {' and '.join(names)}.")
    held = dict(known)
    for each in kept:
        if each.token not in held:
            out.append(f"The device has no preset {each.token!r} for {each.number} {each.name}.")
        elif held[each.token] != each.name:
            out.append(f"{each.number} {each.name} is {held[each.token]!r} at the device.")
    mine = {each.token for each in kept}
    out += [f"The device has {name!r} ({token}), which is not kept here." for token, name in known if token not in mine]
    return out
