"""A head's own units by the places that it was driven onto, what each is missed by, its check point, and its presets."""

from __future__ import annotations

import numpy as np
import pytest
from astropy import units as u
from astropy.coordinates import SkyCoord

from lantern.core.ptz.head import Head
from lantern.core.ptz.pointing import towards
from lantern.core.ptz.turned import Kept, Onto, Pointing, Turned, preset_findings
from lantern.core.watch import Aim

HEAD = Head(x_m=10.0, y_m=20.0, height_m=8.0, speed_deg_s=100, acceleration_deg_s2=200, fov_wide_deg=30, zoom_max=20)
PLACES = ((40.0, 20.0), (10.0, 45.0), (-20.0, 5.0), (14.0, 28.0), (60.0, 70.0))


def onto(x: float, y: float, *, off_deg: float = 0.0, z: float = 0.0) -> Onto:
    """A device whose pan 0 looks to 31 degrees, 170 degrees a unit clockwise; tilt 60 degrees a unit, up positive, 0 at 20 down."""
    to = towards(HEAD, (x, y, z))
    pan = ((to.pan_deg + off_deg - 31 + 180) % 360 - 180) / 170
    return Onto(pan=pan, tilt=(20 - to.tilt_deg) / 60, x_m=x, y_m=y, z_m=z)


def pointing(*pairs: Onto, **more: object) -> Pointing:
    return Pointing(Turned(pairs=pairs, **more), HEAD)  # type: ignore[arg-type]


def test_its_units_are_found_and_go_both_ways() -> None:
    held = pointing(*(onto(*place) for place in PLACES))
    assert held.is_known
    assert (held.units.pan_zero_deg, held.units.pan_scale_deg) == pytest.approx((31.0, 170.0), abs=1e-6)
    assert (held.units.tilt_zero_deg, held.units.tilt_scale_deg) == pytest.approx((20.0, -60.0), abs=1e-6)
    assert [held.off_deg(pair) for pair in held.turned.pairs] == pytest.approx([0.0] * 5, abs=1e-6)
    pan, tilt, zoom = held.own(Aim(100.0, 15.0, 3.0))
    assert zoom is None  # nobody measured what its zoom unit is
    assert held.aim(pan, tilt, 0.7)[:2] == pytest.approx((100.0, 15.0))
    assert held.warnings() == []


def test_one_that_was_not_driven_onto_its_place_stands_out_once_it_is_left_out() -> None:
    held = pointing(*(onto(*place, off_deg=8.0 if at == 2 else 0.0) for at, place in enumerate(PLACES)))
    left = [held.left_out(at) for at in range(5)]
    assert max(range(5), key=lambda at: left[at] or 0.0) == 2
    assert any("driven onto each" in line for line in held.warnings())
    assert pointing(*(onto(*place) for place in PLACES[:3])).left_out(0) is None


def test_places_of_one_elevation_are_a_weak_registration() -> None:
    ring = [
        (10 + 30 * float(np.sin(a)), 20 + 30 * float(np.cos(a)) + 4 * n) for n, a in enumerate((0.3, 1.6, 3.0, 4.4))
    ]
    said = pointing(*(onto(x, y) for x, y in ring)).warnings()
    assert any("of one elevation" in line for line in said)


def test_a_check_point_that_is_missed_tells_that_it_was_moved() -> None:
    pairs = tuple(onto(*place) for place in PLACES)
    assert pointing(*pairs, check=onto(30.0, 40.0)).warnings() == []
    assert "moved, register it again" in pointing(*pairs, check=onto(30.0, 40.0, off_deg=3.0)).warnings()[0]


def test_the_zoom_goes_by_what_was_measured() -> None:
    zoom = tuple((n / 8, 48.0 / 20 ** (n / 8)) for n in range(9))
    held = pointing(*(onto(*place) for place in PLACES), zoom=zoom)
    times = held.aim(0.0, 0.0, 0.5).zoom
    expected = np.tan(np.radians(24.0)) / np.tan(np.radians(48.0 / 20**0.5 / 2))
    assert times == pytest.approx(expected, rel=1e-6)
    assert held.own(Aim(31.0, 20.0, times))[2] == pytest.approx(0.5, abs=1e-6)
    assert held.own(Aim(31.0, 20.0, 500.0))[2] == 1.0  # its longest


def test_angles_are_those_of_the_sphere() -> None:
    """Against astropy's spherical geometry."""
    rng = np.random.default_rng(4)
    for _ in range(200):
        (p, q), (t, v) = rng.uniform(0, 360, 2), rng.uniform(-89, 89, 2)
        one, other = (SkyCoord(a * u.deg, b * u.deg) for a, b in ((p, -t), (q, -v)))
        assert Pointing.apart_deg((p, t), (q, v)) == pytest.approx(one.separation(other).deg, abs=1e-9)
    assert Pointing.apart_deg((10.0, 5.0), (10.0, 5.0)) == 0


def kept(number: int, name: str, token: str) -> Kept:
    return Kept(number=number, name=name, token=token, pan=0.0, tilt=0.0)


def test_presets_of_two_stores_are_told_apart() -> None:
    known = [("1", "Gate"), ("2", "Slipway"), ("3", "Gate")]
    found = preset_findings([kept(1, "Gate", "1"), kept(1, "Shed", "9"), kept(4, "Quay", "2")], known)
    assert "The device has 2 presets named 'Gate': 1, 3." in found
    assert "Number 1 means Gate and Shed." in found
    assert "The device has no preset '9' for 1 Shed." in found
    assert "4 Quay is 'Slipway' at the device." in found
    assert "The device has 'Gate' (3), which is not kept here." in found
    assert preset_findings([kept(1, "Gate", "1"), kept(2, "Slipway", "2")], known[:2]) == []
    assert pointing(*(onto(*p) for p in PLACES)).drift_deg(kept(1, "Gate", "1"), 1 / 170, 0.0) == pytest.approx(
        0.94, abs=0.01
    )
