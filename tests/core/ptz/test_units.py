"""A device's own units are found from places that it was driven onto; its zoom unit from what its pictures show."""

from __future__ import annotations

import math

import numpy as np
import pytest

from checks import check
from lantern.core.faults import Refused
from lantern.core.ptz.units import Sighted, fit_units
from lantern.core.ptz.zoom import Measured, ZoomCurve, field_of, focal_px
from lantern.standins.ptz.body import Body

OWN = [(-0.8, 0.3), (-0.2, 0.5), (0.1, -0.2), (0.55, 0.1), (0.9, 0.6)]


def sighted(scale: float, zero: float, tilt_scale: float, tilt_zero: float, noise_deg: float = 0.0) -> list[Sighted]:
    rng = np.random.default_rng(6)
    return [
        Sighted(
            pan,
            tilt,
            (scale * pan + zero + rng.normal(0, noise_deg)) % 360,
            tilt_scale * tilt + tilt_zero + rng.normal(0, noise_deg),
        )
        for pan, tilt in OWN
    ]


@pytest.mark.parametrize(
    ("given", "hangs"),
    [((180.0, 47.0, -55.0, 35.0), False), ((-180.0, 200.0, 55.0, 35.0), True), ((172.5, 350.0, -45.0, 40.0), False)],
)
def test_scale_zero_and_sign_are_found(given: tuple[float, float, float, float], hangs: bool) -> None:
    found = fit_units(sighted(*given))
    assert (found.pan_scale_deg, found.pan_zero_deg, found.tilt_scale_deg, found.tilt_zero_deg) == pytest.approx(given)
    assert found.rms_deg == pytest.approx(0.0, abs=1e-9)
    assert found.hangs is hangs
    pan, tilt = found.degrees(0.3, -0.4)
    assert found.own(pan, tilt) == pytest.approx((0.3, -0.4))
    noisy = fit_units(sighted(*given, noise_deg=0.2))
    assert (noisy.pan_scale_deg, noisy.tilt_scale_deg) == pytest.approx((given[0], given[2]), abs=1.0)
    assert 0.05 < noisy.rms_deg < 0.6


def test_places_that_say_too_little_are_refused_and_such_that_miss_are_told() -> None:
    good = sighted(180.0, 47.0, -55.0, 35.0)
    with pytest.raises(Refused, match="at least 3"):
        fit_units(good[:2])
    with pytest.raises(Refused, match="its own tilt"):
        fit_units([each._replace(tilt=0.3, tilt_deg=18.5) for each in good])
    wrong = [*good[:4], good[4]._replace(tilt_deg=good[4].tilt_deg + 15)]
    assert "was it driven onto each of them" in fit_units(wrong).warnings[0]


def curve(units: list[float]) -> tuple[ZoomCurve, Body]:
    body = Body()
    out = []
    for unit in units:
        body.zoom.at = unit
        out.append(Measured(unit, math.degrees(2 * math.atan(body.sensor_mm[0] / 2 / body.focal_mm))))
    return ZoomCurve(out), body


def test_between_what_was_measured_the_field_is_what_the_lens_gives() -> None:
    held, body = curve([0.0, 0.1, 0.25, 0.4, 0.55, 0.7, 0.85, 1.0])
    for unit in np.linspace(0, 1, 41):
        body.zoom.at = float(unit)
        truly = math.degrees(2 * math.atan(body.sensor_mm[0] / 2 / body.focal_mm))
        assert held.field_deg(float(unit)) == pytest.approx(truly, rel=0.03)
        assert held.unit_of(truly) == pytest.approx(unit, abs=0.02)
    assert held.times(1.0) == pytest.approx(180 / 6)
    assert held.unit_of(0.1) == 1.0
    assert held.unit_of(100) == 0.0


def test_what_was_not_measured_is_not_foretold() -> None:
    held, _ = curve([0.1, 0.2, 0.3, 0.4, 0.5, 0.6])
    for unit in (0.05, 0.7):
        with pytest.raises(Refused, match="was not measured"):
            held.field_deg(unit)
    with pytest.raises(Refused, match="6 at least"):
        ZoomCurve(held.measured[:5])
    with pytest.raises(Refused, match="the field grows"):
        ZoomCurve([*held.measured, Measured(0.65, 30.0)])
    with pytest.raises(Refused, match="measured twice"):
        ZoomCurve([*held.measured, held.measured[2]])


def test_a_field_from_two_pictures_is_the_lens_own() -> None:
    """A point on the axis moves by f tan(angle); H05's tenfold zoom of 60 degrees has a field of 6.61, and not of 6."""
    given, _ = check("H05")
    focal = 640 / math.tan(math.radians(given["FOV1_deg"]) / 2)
    for times, field in zip(given["z"], (6.6086104, 2.2050434), strict=True):
        shift = focal * times * math.tan(math.radians(0.5))
        assert field_of(focal_px(shift, 0.5), 1280) == pytest.approx(field, rel=1e-6)
    with pytest.raises(Refused, match="a small turn"):
        focal_px(10.0, 0.0)
