"""Cures of a prediction: for each wish that is not met, the least change of one quantity that meets it, and what that costs.

Found by search: outward from the value that stands, on a fine grid, then halved down to the edge. A camera that is moved or
raised goes on looking at the point.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from lantern.core.optics.mount import Mount, View
from lantern.core.optics.prediction import PlateTarget, Prediction, Target, predict
from lantern.core.optics.verdicts import NOTHING_TO_SPARE, Judged, Wish

STEPS, HALVINGS = 80, 30
REACH_M = 30.0
Scene = tuple[Mount, Target]


@dataclass(frozen=True)
class Quantity:
    """Something that may be changed: how it is read and set, the range to search, and how it is said."""

    name: str
    label: str
    unit: str
    low: float
    high: float
    of: Callable[[Scene], float | None]
    put: Callable[[Scene, float], Scene]
    digits: int = 2
    moves: bool = False  # a place: within REACH_M of where it stands


@dataclass(frozen=True)
class Cure:
    """`costs`: wishes that were met and are met no more, or less well."""

    quantity: Quantity
    before: float
    after: float
    scene: Scene
    costs: Sequence[str]
    spare: str = ""

    @property
    def change(self) -> float:
        """Return how large it is, relative to the range that is searched: cures are told in this order."""
        return abs(self.after - self.before) / (self.quantity.high - self.quantity.low)

    @property
    def text(self) -> str:
        """Return the cure in words, with what it costs the other wishes of the same point."""
        return f"{self.said}; costs: {', '.join(self.costs)}" if self.costs else self.said

    @property
    def said(self) -> str:
        return f"{self._change}, {self.spare}" if self.spare else self._change

    @property
    def _change(self) -> str:
        q = self.quantity
        if q.moves:
            ways = {"x_m": ("west", "east"), "y_m": ("south", "north")}[q.name]
            return f"move it {_said(abs(self.after - self.before), q.digits)} m {ways[self.after > self.before]}"
        after, before = (_said(value, q.digits) for value in (self.after, self.before))
        return f"{q.label} {after} {q.unit} instead of {before} {q.unit}".replace("  ", " ")


# two thousand predictions for a plate; a page asks for the same ones each time that it is opened
@lru_cache(maxsize=512)
def cures(mount: Mount, asked: Target, name: str, *, spared: bool = False) -> tuple[Cure, ...]:
    """Return the cures of one wish, the smallest change first; none: it is met, or no one quantity meets it. They meet it just so;
    `spared`: with something to spare, or just so where that cannot be.
    """
    now = predict(mount, asked)
    if name not in now.judged or now.judged[name].word == "pass":
        return ()
    found = [cure for q in QUANTITIES if (cure := _found((mount, asked), q, name, now, spared)) is not None]
    return tuple(sorted(found, key=lambda cure: cure.change))


def _found(scene: Scene, quantity: Quantity, name: str, now: Prediction, spared: bool) -> Cure | None:
    wish = now.judged[name].wish
    if not spared:
        return _least(scene, quantity, wish, now)
    found = _least(scene, quantity, wish.with_margin, now)
    if found is not None:
        return replace(found, spare=wish.spare)
    found = _least(scene, quantity, wish, now)
    return found and replace(found, spare=NOTHING_TO_SPARE)


def with_cures(mount: Mount, asked: Target) -> Prediction:
    """Return the prediction, with the least cure of each wish that is not met in words."""
    now = predict(mount, asked)
    judged = {}
    for name, each in now.judged.items():
        found = cures(mount, asked, name)
        judged[name] = replace(each, cure=found[0].text if found else None)
    return replace(now, judged=judged)


def _least(scene: Scene, quantity: Quantity, wish: Wish, now: Prediction) -> Cure | None:
    before = quantity.of(scene)
    if before is None:
        return None
    best: float | None = None
    ends = (before - REACH_M, before + REACH_M) if quantity.moves else (quantity.low, quantity.high)
    if not _matters(scene, quantity, wish.name, ends, now):
        return None
    for end in ends:
        met = _first_met(scene, quantity, wish, before, end)
        if met is not None and (best is None or abs(met - before) < abs(best - before)):
            best = met
    if best is None:
        return None
    after = quantity.put(scene, _rounded(best, before, quantity.digits))
    held = _meets(after, wish)
    value = _rounded(best, before, quantity.digits) if held else best
    after = quantity.put(scene, value)
    return Cure(quantity, before, value, after, _costs(now, predict(*after)))


def _matters(scene: Scene, quantity: Quantity, name: str, ends: tuple[float, float], now: Prediction) -> bool:
    """Return whether the figure changes at all with this quantity."""
    tried = (predict(*quantity.put(scene, end)) for end in ends)
    return any(other.judged[name].value != now.judged[name].value for other in tried)


def _first_met(scene: Scene, quantity: Quantity, wish: Wish, before: float, end: float) -> float | None:
    """The value nearest to `before`, towards `end`, at which the wish is met and the point is in the picture."""
    last = before
    for value in _way(before, end):
        if _meets(quantity.put(scene, float(value)), wish):
            missed, met = last, float(value)
            for _ in range(HALVINGS):
                middle = (missed + met) / 2
                missed, met = (missed, middle) if _meets(quantity.put(scene, middle), wish) else (middle, met)
            return met
        last = float(value)
    return None


def _way(before: float, end: float) -> list[float]:
    """Return values on the way from one to another: in equal ratios where both are above 0, as lenses and exposures go; else
    in equal steps.
    """
    share = np.linspace(0, 1, STEPS + 1)[1:]
    found = before * (end / before) ** share if min(before, end) > 0 else before + (end - before) * share
    return [float(value) for value in found]


def _meets(scene: Scene, wish: Wish) -> bool:
    mount, asked = scene
    if mount.check():
        return False
    prediction = predict(mount, asked)
    value = prediction.judged[wish.name].value
    return prediction.figures["pixel"] is not None and value is not None and wish.word(value) == "pass"


def _costs(before: Prediction, after: Prediction) -> list[str]:
    order = ("pass", "marginal", "fail")
    return [
        f"{held.wish.label.lower()} {_worded(held)} instead of {_worded(before.judged[name])}"
        for name, held in after.judged.items()
        if order.index(held.word) > order.index(before.judged[name].word)
    ]


def _worded(judged: Judged) -> str:
    value = "unknown" if judged.value is None else _said(judged.value, 2)
    return f"{value} {judged.wish.unit} ({judged.word})".replace("  ", " ")


def _rounded(value: float, away_from: float, digits: int) -> float:
    """Rounded so that it changes a little more, never a little less."""
    scale = 10.0**digits
    return (math.ceil(value * scale) if value > away_from else math.floor(value * scale)) / scale


def _said(value: float, digits: int) -> str:
    return f"{value:.{digits}f}".rstrip("0").rstrip(".") if digits else f"{value:.0f}"


# ---- quantities ------------------------------------------------------------------------------------------------------


def _aimed(mount: Mount, asked: Target, **moved: float) -> Scene:
    """The camera elsewhere, turned so that the point stays where it was on both axes."""
    fresh = mount.model_copy(update=moved)
    turned = [_bearing(each, asked.point) for each in (mount, fresh)]
    azimuth = mount.azimuth_deg + turned[1][0] - turned[0][0]
    tilt = mount.tilt_deg + turned[1][1] - turned[0][1]
    azimuth = (azimuth + 360) % 720 - 360
    return fresh.model_copy(update={"azimuth_deg": azimuth, "tilt_deg": min(max(tilt, -90.0), 90.0)}), asked


def _bearing(mount: Mount, point: tuple[float, float, float]) -> tuple[float, float]:
    dx, dy, dz = (p - c for p, c in zip(point, View(mount).eye, strict=True))
    return math.degrees(math.atan2(dx, dy)), math.degrees(math.atan2(-dz, math.hypot(dx, dy)))


def _of_plate(key: str) -> Callable[[Scene], float | None]:
    return lambda scene: None if scene[1].plate is None else getattr(scene[1].plate, key)


def _put_plate(key: str) -> Callable[[Scene, float], Scene]:
    def put(scene: Scene, value: float) -> Scene:
        plate = scene[1].plate
        assert plate is not None
        changed: PlateTarget = replace(plate, **{key: value})
        return scene[0], replace(scene[1], plate=changed)

    return put


QUANTITIES = (
    Quantity(
        "focal_mm", "focal length", "mm", 1.0, 200.0, lambda scene: scene[0].focal_mm,
        lambda scene, value: (scene[0].model_copy(update={"focal_mm": value}), scene[1]), 1,
    ),
    Quantity(
        "height_m", "height", "m", 0.5, 15.0, lambda scene: scene[0].height_m,
        lambda scene, value: _aimed(*scene, height_m=value),
    ),
    Quantity(
        "x_m", "place, east", "m", -REACH_M, REACH_M, lambda scene: scene[0].x_m,
        lambda scene, value: _aimed(*scene, x_m=value), moves=True,
    ),
    Quantity(
        "y_m", "place, north", "m", -REACH_M, REACH_M, lambda scene: scene[0].y_m,
        lambda scene, value: _aimed(*scene, y_m=value), moves=True,
    ),
    Quantity(
        "roll_deg", "roll", "°", -45.0, 45.0, lambda scene: scene[0].roll_deg,
        lambda scene, value: (scene[0].model_copy(update={"roll_deg": value}), scene[1]), 1,
    ),
    Quantity("shutter_s", "shutter", "s", 1e-5, 0.1, _of_plate("shutter_s"), _put_plate("shutter_s"), 5),
    Quantity("fps", "rate", "Hz", 0.5, 120.0, _of_plate("fps"), _put_plate("fps"), 1),
    Quantity("speed_kmh", "speed", "km/h", 1.0, 200.0, _of_plate("speed_kmh"), _put_plate("speed_kmh"), 1),
    Quantity("depth_m", "capture depth", "m", 0.5, 60.0, _of_plate("depth_m"), _put_plate("depth_m"), 1),
)  # fmt: skip
