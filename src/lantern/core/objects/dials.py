"""The dials of the kinds that watch objects: crossing, zone, count, path."""

from __future__ import annotations

from typing import Literal

from lantern.core.dials import Dials, dial
from lantern.core.time_dials import gap_dial, rearm_dial

FILTERS = (
    "anchor",
    "classes",
    "min_confidence",
    "min_height_px",
    "max_height_px",
    "min_height_share",
    "max_height_share",
    "min_height_m",
    "max_height_m",
)


class ObjectDials(Dials):
    """What all of them have: where an object is, and which samples count."""

    anchor: Literal["foot", "centre", "top"] = dial("foot", meaning="Where an object is: a point of its box")
    classes: tuple[str, ...] | None = dial(None, meaning="Only objects of these classes; empty: all")
    min_confidence: float | None = dial(
        None, low=-1.0, high=100.0, step=0.05, meaning="Samples less sure than this are left out; empty: none"
    )
    min_height_px: float | None = dial(
        None, unit="px", low=0.0, high=100_000, step=1, meaning="Samples lower than this are left out; empty: none"
    )
    max_height_px: float | None = dial(
        None, unit="px", low=0.0, high=100_000, step=1, meaning="Samples higher than this are left out; empty: none"
    )
    min_height_share: float | None = dial(
        None,
        low=0.05,
        high=1.0,
        step=0.05,
        meaning="Of the height that two reference figures let expect at its depth; a box cut off by the picture's edge passes; empty: none",
    )
    max_height_share: float | None = dial(
        None,
        low=1.0,
        high=10.0,
        step=0.1,
        meaning="Of the height that two reference figures let expect at its depth; a box cut off by the picture's edge passes; empty: none",
    )
    min_height_m: float | None = dial(
        None,
        unit="m",
        low=0.0,
        high=10.0,
        step=0.05,
        meaning="Lower ones are left out, as children and trolleys; one whose height the device does not tell passes; empty: none",
    )
    max_height_m: float | None = dial(
        None,
        unit="m",
        low=0.0,
        high=10.0,
        step=0.05,
        meaning="Higher ones are left out; one whose height the device does not tell passes; empty: none",
    )
    rearm_s: float = rearm_dial(5.0, meaning="Of one object: what falls so soon after a raise is dropped")
    rearm_extends: bool = dial(False, meaning="What is dropped begins the re-arm time anew")
    gap_s: float = gap_dial(1.0, step=0.1, meaning="A longer pause of an object begins it anew")


class CrossingDials(ObjectDials):
    """A line and its two sides: A on the left when looking from its first point to its second."""

    band: float = dial(3.0, unit="px", low=0.0, high=10_000, step=1, meaning="So near the line an object is on no side")
    direction: Literal["a_to_b", "b_to_a", "both"] = dial("both", meaning="Which way raises")
    across_percent: float = dial(
        0.0, unit="%", low=0.0, high=100.0, step=5, meaning="Share of the box that must lie beyond the line; 0: none"
    )


class CountDials(ObjectDials):
    """A counting line: A to B is in. With a capacity, occupancy raises as well, early by what the counts may have drifted.

    Without a re-arm time, for who steps back at once must be counted out.
    """

    rearm_s: float = rearm_dial(0.0, meaning="Of one object: what falls so soon after a passage is not counted")
    band: float = dial(3.0, unit="px", low=0.0, high=10_000, step=1, meaning="So near the line an object is on no side")
    reverse: bool = dial(False, meaning="B to A is in")
    across_percent: float = dial(
        0.0, unit="%", low=0.0, high=100.0, step=5, meaning="Share of the box that must lie beyond the line; 0: none"
    )
    start_inside: int = dial(
        0, unit="people", low=0, high=1_000_000, step=1, meaning="How many are inside when the take begins"
    )
    capacity: int | None = dial(
        None,
        unit="people",
        low=1,
        high=1_000_000,
        step=1,
        meaning="So many inside raise, besides passages; empty: none",
    )
    clear_percent: float = dial(
        95.0,
        unit="%",
        low=0.0,
        high=100.0,
        step=1,
        meaning="Cleared when fewer than this share of the capacity are inside",
    )
    missed_percent: float = dial(
        0.0,
        unit="%",
        low=0.0,
        high=50.0,
        step=0.5,
        meaning="Share of passages that the line is known to miss: occupancy drifts by it, and capacity raises the earlier",
    )


class ZoneDials(ObjectDials):
    """A region, its edge included."""

    when: Literal["enter", "leave", "inside"] = dial("enter", meaning="What raises: coming in, going out, staying")
    dwell_s: float = dial(
        10.0, unit="s", low=0.0, high=86_400, step=0.5, meaning="How long inside, without a sample outside"
    )
    born_inside: bool = dial(False, meaning="An object first seen inside counts as entering")
    enter_after_s: float = dial(
        0.0,
        unit="s",
        low=0.0,
        high=3600,
        step=0.1,
        reach=10.0,
        meaning="So long inside without a sample outside, and it has come in; raised then",
    )
    leave_after_s: float = dial(
        0.0,
        unit="s",
        low=0.0,
        high=3600,
        step=0.1,
        reach=10.0,
        meaning="So long outside, and it has gone; shorter pauses are bridged",
    )


class PathDials(ObjectDials):
    """Regions and lines in their order."""

    band: float = dial(3.0, unit="px", low=0.0, high=10_000, step=1, meaning="So near a line an object is on no side")
    within_s: float = dial(
        60.0, unit="s", above=0.0, high=86_400, step=1, reach=60.0, meaning="From the first step to the last"
    )
    strict: bool = dial(False, meaning="A listed region or line out of its order begins it anew")


MODELS: tuple[type[ObjectDials], ...] = (CrossingDials, ZoneDials, CountDials, PathDials)

CROSSING_GROUPS = (
    ("Line", ("direction", "band", "across_percent", "rearm_s", "rearm_extends")),
    ("Objects", FILTERS),
    ("Tracks", ("gap_s",)),
)
COUNT_GROUPS = (
    ("Line", ("reverse", "band", "across_percent", "rearm_s", "rearm_extends")),
    ("Occupancy", ("start_inside", "capacity", "clear_percent", "missed_percent")),
    ("Objects", FILTERS),
    ("Tracks", ("gap_s",)),
)
ZONE_GROUPS = (
    ("Zone", ("when", "dwell_s", "born_inside", "enter_after_s", "leave_after_s", "rearm_s", "rearm_extends")),
    ("Objects", FILTERS),
    ("Tracks", ("gap_s",)),
)
PATH_GROUPS = (
    ("Path", ("within_s", "band", "strict", "rearm_s", "rearm_extends")),
    ("Objects", FILTERS),
    ("Tracks", ("gap_s",)),
)


def matters(dial: str, dials: ObjectDials) -> bool:
    """Return which dials play a part under the others."""
    if dial == "dwell_s":
        return isinstance(dials, ZoneDials) and dials.when == "inside"
    if dial == "born_inside":
        return isinstance(dials, ZoneDials) and dials.when == "enter"
    if dial == "rearm_extends":
        return dials.rearm_s > 0
    if dial in ("clear_percent", "missed_percent"):
        return isinstance(dials, CountDials) and dials.capacity is not None
    return True
