"""The dials of the kinds that watch objects: crossing, zone, count, path."""

from __future__ import annotations

from typing import Literal

from lantern.core.dials import Dials, dial

FILTERS = ("anchor", "classes", "min_confidence", "min_height_px", "max_height_px")


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
    rearm_s: float = dial(
        5.0,
        unit="s",
        low=0.0,
        high=604_800,
        step=0.5,
        meaning="Of one object: what falls so soon after a raise is dropped",
    )
    gap_s: float = dial(
        1.0, unit="s", above=0.0, high=3600, step=0.1, meaning="A longer pause of an object begins it anew"
    )


class CrossingDials(ObjectDials):
    """A line and its two sides: A on the left when looking from its first point to its second."""

    band: float = dial(3.0, unit="px", low=0.0, high=10_000, step=1, meaning="So near the line an object is on no side")
    direction: Literal["a_to_b", "b_to_a", "both"] = dial("both", meaning="Which way raises")
    across_percent: float = dial(
        0.0, unit="%", low=0.0, high=100.0, step=5, meaning="Share of the box that must lie beyond the line; 0: none"
    )


class CountDials(ObjectDials):
    """A counting line: A to B is in."""

    band: float = dial(3.0, unit="px", low=0.0, high=10_000, step=1, meaning="So near the line an object is on no side")
    reverse: bool = dial(False, meaning="B to A is in")
    across_percent: float = dial(
        0.0, unit="%", low=0.0, high=100.0, step=5, meaning="Share of the box that must lie beyond the line; 0: none"
    )


class ZoneDials(ObjectDials):
    """A region, its edge included."""

    when: Literal["enter", "leave", "inside"] = dial("enter", meaning="What raises: coming in, going out, staying")
    dwell_s: float = dial(
        10.0, unit="s", low=0.0, high=86_400, step=0.5, meaning="How long inside, without a sample outside"
    )
    born_inside: bool = dial(False, meaning="An object first seen inside counts as entering")


class PathDials(ObjectDials):
    """Regions and lines in their order."""

    band: float = dial(3.0, unit="px", low=0.0, high=10_000, step=1, meaning="So near a line an object is on no side")
    within_s: float = dial(60.0, unit="s", above=0.0, high=86_400, step=1, meaning="From the first step to the last")
    strict: bool = dial(False, meaning="A listed region or line out of its order begins it anew")
