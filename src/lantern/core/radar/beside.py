"""A camera beside the radar, as a condition of a raise: both must see it, or the radar alone.

At each scan the targets and what the camera saw within the last moments are paired on the plan, one to one, most of all and then as near as
possible. While the camera is away nobody knows, and the radar raises by itself.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Literal

import numpy as np
from pydantic import Field
from scipy.optimize import linear_sum_assignment

from lantern.core.modelled import Strict
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.signals import Floats
from lantern.core.watching import Bools

if TYPE_CHECKING:
    from lantern.core.radar.returns import Returns
    from lantern.core.radar.sighted import Sighted

FORBIDDEN = 1e9


class Beside(Strict):
    """The device that is held against, and what is wanted: `both` see it, or the radar `alone`. Two are one within `gate_m` on the plan,
    if the camera saw it at most `within_s` before.
    """

    device: str = Field(min_length=1, max_length=40)
    wants: Literal["both", "alone"] = "both"
    gate_m: float = Field(default=3.0, gt=0, le=100)
    within_s: float = Field(default=1.0, gt=0, le=60)

    def passes(self, *, agreed: bool, known: bool) -> bool:
        """Return whether a raise may come, if the camera sees the same or not; while it is away one may."""
        return not known or agreed == (self.wants == "both")

    def said(self, *, known: bool) -> str:
        """Return what the camera had to do with a raise, in words."""
        if not known:
            return f"{self.device} was away: the radar by itself"
        return f"{self.device} saw it too" if self.wants == "both" else f"{self.device} did not see it"


def agree(own: Floats, seen: Floats, gate_m: float) -> Bools:
    """(n,): which of the places `own` (n, 2) is one of `seen` (m, 2): one to one, most of all and then as near as possible in all."""
    out = np.zeros(len(own), dtype=np.bool_)
    if not len(own) or not len(seen):
        return out
    apart = np.hypot(own[:, None, 0] - seen[None, :, 0], own[:, None, 1] - seen[None, :, 1])
    near = apart <= gate_m
    if not near.any():
        return out
    rows, columns = linear_sum_assignment(np.where(near, apart, FORBIDDEN))
    out[rows] = near[rows, columns]
    return out


def agreed(returns: Returns, beside: Beside, seen: Sighted) -> Bools:
    """(n,): the returns that the camera sees as well."""
    out = np.zeros(len(returns), dtype=np.bool_)
    if not seen.t_s.size:
        return out
    x, y = seen.frame.onto_plan(*returns.places)
    for first, end, t in _scans(returns.t_s):
        there = seen.at(t, beside.within_s)
        if len(there):
            out[first:end] = agree(np.column_stack((x[first:end], y[first:end])), there, beside.gate_m)
    return out


def passing(returns: Returns, beside: Beside, seen: Sighted) -> Bools:
    """(n,): the returns at which a raise may come."""
    both = agreed(returns, beside, seen)
    out: Bools = ~seen.is_known(returns.t_s) | (both == (beside.wants == "both"))
    return out


def _scans(t_s: Floats) -> Iterator[tuple[int, int, float]]:
    starts = np.flatnonzero(np.append(True, np.diff(t_s) > TIME_TOLERANCE_S)) if t_s.size else np.zeros(0, int)
    ends = [*starts[1:].tolist(), t_s.size]
    for first, end in zip(starts.tolist(), ends, strict=True):
        yield first, end, float(t_s[first])
