"""Who was lost from the picture of a head that follows, and why; of many moments at once."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from lantern.core.ptz.head import Head
from lantern.core.signals import Floats

OUT_AGAIN_S = 1.0  # so long out of the picture, a target is lost from it; common practice, no source
LEAST_OVER_M = 0.1  # right above somebody a turn has no rate


class Loss(NamedTuple):
    """A target that was followed and left the picture: when, how fast the head had to turn, and how far away it was."""

    t: float
    object: int | str
    away_m: float
    speed_mps: float
    needed_deg_s: float
    field_deg: float


def needed_deg_s(head: Head, way: Floats) -> Floats:
    """(n,): how fast it would have to pan to stay on somebody who is at x, y and goes vx, vy, (n, 4)."""
    ex, ey = way[:, 0] - head.x_m, way[:, 1] - head.y_m
    over = np.maximum(np.hypot(ex, ey), LEAST_OVER_M)
    out: Floats = np.degrees(np.abs(way[:, 2] * ey - way[:, 3] * ex) / over / over)
    return out


def lost_from(
    name: int | str, t_s: Floats, inside: np.ndarray, away_m: Floats, speed: Floats, needed: Floats, field: Floats
) -> list[Loss]:
    """Return when somebody who is followed, having been in the picture, was out of it for so long. (n,) each, of the moments in which they
    were seen. The fastest turn that they asked for until then says why.
    """
    if not inside.any():
        return []
    out: list[Loss] = []
    begins = np.flatnonzero(inside[:-1] & ~inside[1:]) + 1
    for begin in begins.tolist():
        again = np.flatnonzero(inside[begin:])
        end = begin + int(again[0]) if again.size else len(inside)
        late = np.flatnonzero(t_s[begin:end] - t_s[begin] >= OUT_AGAIN_S - 1e-6)
        if late.size:
            worst = begin + int(np.argmax(needed[begin : begin + int(late[0]) + 1]))
            out.append(
                Loss(
                    float(t_s[begin]),
                    name,
                    float(away_m[worst]),
                    float(speed[begin]),
                    float(needed[worst]),
                    float(field[begin]),
                )
            )
    return out
