"""How high the sun stands, and what light that is."""

from __future__ import annotations

from datetime import datetime

from astral import Observer
from astral.sun import elevation

CIVIL_DEG = -6.0  # the sun's height at which civil twilight ends; textbook
LIGHTS = ("day", "dusk", "night")


def height_deg(at: datetime, latitude_deg: float, longitude_deg: float) -> float:
    """The sun's height over the horizon at an aware instant, without refraction (by astral)."""
    return float(elevation(Observer(latitude_deg, longitude_deg), at, with_refraction=False))


def light_of(height: float) -> str:
    """day above the horizon, dusk to the end of civil twilight (morning and evening alike), then night."""
    if height >= 0:
        return "day"
    return "dusk" if height >= CIVIL_DEG else "night"
