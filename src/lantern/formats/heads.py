"""Heads that turn, and where they are to look, from outside and checked."""

from __future__ import annotations

import math
from pathlib import Path

from lantern.core.faults import FaultList
from lantern.core.ptz.head import Head
from lantern.core.ptz.pointing import Direction, Place
from lantern.formats.documents import read_bytes, read_json, read_model
from lantern.formats.limits import MOST_M

MOST_DEG = 36_000.0


def read_head(path: Path) -> Head:
    """A head's file. Raises `Refused` with each key that is wrong."""
    return read_model(Head, read_json(read_bytes(path), where=path.name), where=path.name)


def place_of(text: str, faults: FaultList, *, where: str) -> Place:
    """Return x,y,z in m; a fault is noted for anything else."""
    x, y, z = _numbers(text, ("x", "y", "z"), MOST_M, "m", faults, where)
    return x, y, z


def direction_of(text: str, faults: FaultList, *, where: str) -> Direction:
    """Return pan,tilt in degrees of the site; a fault is noted for anything else."""
    return Direction(*_numbers(text, ("pan", "tilt"), MOST_DEG, "degrees", faults, where))


def _numbers(
    text: str, names: tuple[str, ...], most: float, unit: str, faults: FaultList, where: str
) -> tuple[float, ...]:
    try:
        numbers = tuple(float(part) for part in text.split(","))
    except ValueError:
        numbers = ()
    if len(numbers) != len(names) or not all(math.isfinite(n) and abs(n) <= most for n in numbers):
        faults.add(where, repr(text[:40]), f"{','.join(names)} in {unit}, each within {most:g}")
        return (0.0,) * len(names)
    return numbers
