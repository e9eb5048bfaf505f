"""One target before one region, return by return: the same decision as over whole takes."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from lantern.core.radar.dials import RadarDials
from lantern.core.radar.regions import EQUAL, WAY_DECIMALS
from lantern.core.radar.returns import Return
from lantern.core.rearm import rearmed
from lantern.core.rule import TIME_TOLERANCE_S

What = Literal["", "raise", "clear"]


@dataclass
class Run:
    """A run under way: how it began, when a return last went that way, and how far away it was at most and at least."""

    began_s: float
    first: Return
    fit_s: float
    most_m: float
    least_m: float
    settled: bool = False  # it has raised, or come too soon after the last raise


@dataclass
class Approach:
    """`raised`: it stands raised; `direction` of that raise, `way_m` that the target has come in its run so far."""

    run: Run | None = None
    raised: bool = False
    raised_s: float | None = None  # when it last raised
    direction: str = ""
    way_m: float = 0.0

    def take(self, t: float, seen: Return, dials: RadarDials, *, there: bool, passes: bool = True) -> tuple[What, ...]:
        """One return of a size that counts; `passes`: a raise may come, by what stands beside. Returns what comes of it, in this
        order.
        """
        out: tuple[What, ...] = ()
        fits = there and goes_that_way(seen, dials)
        if self.run is not None and not (there and (fits or self._bridges(t, dials))):
            out += self.end()
        if self.run is None:
            if not fits:
                return out
            self.run = Run(t, seen, t, seen.range_m, seen.range_m)
        run = self.run
        run.most_m, run.least_m = max(run.most_m, seen.range_m), min(run.least_m, seen.range_m)
        if not fits:
            return out
        run.fit_s = t
        self.way_m = round(way(run, seen, dials), WAY_DECIMALS)
        if run.settled or t - run.began_s < dials.sustain_s - TIME_TOLERANCE_S:
            return out
        if self.way_m < dials.distance_m - EQUAL or not passes:
            return out
        run.settled = True
        if not rearmed(t, self.raised_s, dials.rearm_s):
            return out
        self.raised, self.raised_s = True, t
        self.direction = "in" if seen.range_m < run.first.range_m else "out"
        return (*out, "raise")

    def end(self) -> tuple[What, ...]:
        """The run is over; what it raised is too."""
        was, self.run, self.raised, self.way_m = self.raised, None, False, 0.0
        return ("clear",) if was else ()

    def _bridges(self, t: float, dials: RadarDials) -> bool:
        return self.run is not None and t - self.run.fit_s < dials.bridge_s - TIME_TOLERANCE_S


def goes_that_way(seen: Return, dials: RadarDials) -> bool:
    if dials.profile == "inbound":
        return seen.speed_mps <= -dials.min_speed_mps + EQUAL
    if dials.profile == "outbound":
        return seen.speed_mps >= dials.min_speed_mps - EQUAL
    return True


def way(run: Run, seen: Return, dials: RadarDials) -> float:
    """Return how far it has come in its run, m; minus infinity where that does not count."""
    if dials.profile == "inbound":
        return run.most_m - seen.range_m
    if dials.profile == "outbound":
        return seen.range_m - run.least_m
    (x, y), (x0, y0) = seen.place, run.first.place
    straight = math.hypot(x - x0, y - y0)
    if dials.profile == "across" and abs(seen.range_m - run.first.range_m) > straight / 2 + EQUAL:
        return -math.inf
    return straight
