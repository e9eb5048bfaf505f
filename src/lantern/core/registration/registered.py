"""A registration as a device keeps it: by what it was made, how well it fits, and where it says that the device stands."""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import datetime
from typing import Literal

import numpy as np
from pydantic import Field

from lantern.core.modelled import Strict
from lantern.core.registration.report import registered

APART_M, APART_DEG = 0.5, 2.0  # a mount that differs by more is told; common practice, no source

Pair = tuple[float, float, float, float]


class Registered(Strict):
    """`pairs`: places in the device's own frame (m to its right, m ahead) and on the plan, each with the moment `t_s` of the take that it
    was seen in. `shift_s`: by how much the walk's clock was ahead. Where it stands follows from them.
    """

    model: Literal["rigid", "similarity"] = "rigid"
    pairs: tuple[Pair, ...] = Field(min_length=2, max_length=10_000)
    t_s: tuple[float, ...] = ()
    target: str = Field(default="", max_length=120)
    take: str = Field(default="", max_length=200)
    shift_s: float = 0.0
    at: datetime | None = None
    x_m: float = 0.0
    y_m: float = 0.0
    azimuth_deg: float = 0.0
    rms_m: float = 0.0


def standing_by(document: Registered) -> Registered:
    """Return it with where it says that the device stands, worked out of its pairs. Raises `Refused` where they fit nothing."""
    report = registered(document.model, np.array(document.pairs, dtype=np.float64))
    x_m, y_m = report["parameters"]["shift_m"]
    azimuth = -report["parameters"]["rotation_deg"] % 360
    found = {"x_m": round(x_m, 2), "y_m": round(y_m, 2), "azimuth_deg": round(azimuth, 1) % 360}
    return document.model_copy(update=found | {"rms_m": round(report["rms"], 3)})


def differs(mount: Mapping[str, float], held: Registered) -> tuple[float, float]:
    """Return by how many m and degrees a mount differs from where the device is registered."""
    turned = abs((mount["azimuth_deg"] - held.azimuth_deg + 180) % 360 - 180)
    return math.hypot(mount["x_m"] - held.x_m, mount["y_m"] - held.y_m), turned


def apart(mount: Mapping[str, float], held: Registered) -> str:
    """Return in words how far a mount is from where its registration puts the device; empty: it is as registered, as far as that tells."""
    far_m, turned = differs(mount, held)
    if far_m <= max(APART_M, 2 * held.rms_m) and turned <= APART_DEG:
        return ""
    return (
        f"it stands on the plan {far_m:.1f} m and {turned:.0f}° from where its registration puts it "
        f"(x {held.x_m:g}, y {held.y_m:g}, looking to {held.azimuth_deg:g}°)"
    )
