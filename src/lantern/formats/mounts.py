"""Mounts and points from outside, checked."""

from __future__ import annotations

import math
from dataclasses import fields
from pathlib import Path

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.optics.mount import Mount
from lantern.core.optics.prediction import PlateTarget, Target
from lantern.formats.documents import read_bytes, read_json, read_model
from lantern.formats.limits import MOST_M, TALLEST_M

# of a plate: the least and the greatest that can be meant
RANGES = {
    "heading_deg": (-360.0, 360.0),
    "char_mm": (1.0, 1000.0),
    "stroke_mm": (0.1, 500.0),
    "speed_kmh": (0.0, 400.0),
    "shutter_s": (1e-7, 10.0),
    "fps": (0.01, 1000.0),
    "depth_m": (0.01, 1000.0),
}


def read_mount(path: Path) -> Mount:
    """A mount's file. Raises `Refused` with each key that is wrong."""
    mount = read_model(Mount, read_json(read_bytes(path), where=path.name), where=path.name)
    if wrong := mount.check():
        raise Refused([Fault(path.name, each, "a lens and a picture that the model holds for") for each in wrong])
    return mount


def target_of(at: str, *, plate: PlateTarget | None, face: bool, upright_m: float) -> Target:
    """Return what a command line asks about. Raises `Refused` for a point or a number that cannot be meant."""
    faults = FaultList()
    point = _point(at, faults)
    if not 0 < upright_m <= TALLEST_M:
        faults.add("--upright-m", f"{upright_m:g}", f"above 0, at most {TALLEST_M:g} m")
    for field in fields(plate) if plate is not None else ():
        value, (low, high) = getattr(plate, field.name), RANGES[field.name]
        if value is not None and not low <= value <= high:
            option = "--plate-heading" if field.name == "heading_deg" else f"--{field.name.replace('_', '-')}"
            faults.add(option, f"{value:g}", f"{low:g} to {high:g}")
    faults.refuse_if_any()
    return Target(point, plate, face, upright_m)


def _point(text: str, faults: FaultList) -> tuple[float, float, float]:
    try:
        numbers = [float(part) for part in text.split(",")]
    except ValueError:
        numbers = []
    if len(numbers) not in (2, 3) or not all(math.isfinite(n) and abs(n) <= MOST_M for n in numbers):
        faults.add("--at", repr(text[:40]), f"x,y or x,y,z in m, each within {MOST_M:g} m")
        return 0.0, 0.0, 0.0
    x, y, *z = numbers
    return x, y, z[0] if z else 0.0
