"""The air's transmittance: limits that any formula must keep, and a hand computation of this one."""

from __future__ import annotations

import math

import pytest

from lantern.core.faults import Refused
from lantern.core.readings.heat.atmosphere import transmittance


def test_no_air_no_loss_and_more_of_it_more_loss() -> None:
    assert transmittance(0, 20, 50) == 1
    by_distance = [transmittance(d, 20, 50) for d in (1, 5, 20, 100, 300)]
    assert by_distance == sorted(by_distance, reverse=True)
    by_water = [transmittance(50, 25, h) for h in (5, 30, 60, 95)]
    assert by_water == sorted(by_water, reverse=True)


def test_by_hand() -> None:
    # 50 m, 20 °C, 50 %: w = 0.5 exp(1.5587 + 1.3878 - 0.111264 + 0.0054764) = 8.567; constants as published (from memory)
    w = 0.5 * math.exp(1.5587 + 0.06939 * 20 - 0.00027816 * 400 + 6.8455e-7 * 8000)
    assert w == pytest.approx(8.57, abs=0.05)  # g/m3; half of saturation at 20 °C, 17.3 g/m3 (tables of humid air)
    root = math.sqrt(50)
    first = 1.9 * math.exp(-root * (0.006569 - 0.002276 * math.sqrt(w)))
    second = 0.9 * math.exp(-root * (0.01262 - 0.00667 * math.sqrt(w)))
    assert transmittance(50, 20, 50) == pytest.approx(first - second)
    # near the surface a few per cent are lost over tens of metres (common practice, no source)
    assert 0.93 < transmittance(50, 20, 50) < 0.98


@pytest.mark.parametrize(
    ("values", "name"),
    [((-1, 20, 50), "distance_m"), ((10, 20, 130), "humidity_percent"), ((10, 200, 50), "air_c")],
)
def test_refusals_name_the_value(values: tuple[float, float, float], name: str) -> None:
    with pytest.raises(Refused, match=name):
        transmittance(*values)


def test_no_formula_for_short_waves_or_for_far_beyond_the_fit() -> None:
    with pytest.raises(Refused, match="the transmittance itself"):
        transmittance(10, 20, 50, "band_3_5")
    with pytest.raises(Refused, match="a shorter distance"):
        transmittance(100_000, 40, 100)
