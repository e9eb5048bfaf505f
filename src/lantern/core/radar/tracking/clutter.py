"""What always answers: a map of cells before the radar with how strongly each does, learnt while nothing came."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence

import numpy as np
from pydantic import Field

from lantern.core.modelled import Strict
from lantern.core.radar.returns import Returns
from lantern.core.watching import Bools

LEARNT_SHARE = 0.02  # of the moments, in which a cell must answer to be on the map; common practice, no source
WEIGHT = 0.05  # of a new answer in the mean of its cell, which weighs older ones less and less


class ClutterMap(Strict):
    """`cells`: (which range, which azimuth, dB) each, by steps from 0 m and 0 degrees; `moments` that it was learnt from."""

    range_step_m: float = Field(default=1.0, gt=0, le=100)
    azimuth_step_deg: float = Field(default=2.0, gt=0, le=90)
    moments: int = Field(default=0, ge=0)
    cells: tuple[tuple[int, int, float], ...] = Field(default=(), max_length=50_000)

    @property
    def levels(self) -> Mapping[tuple[int, int], float]:
        return {(away, aside): level for away, aside, level in self.cells}

    def cell(self, range_m: float, azimuth_deg: float) -> tuple[int, int]:
        return int(range_m // self.range_step_m), int((azimuth_deg % 360) // self.azimuth_step_deg)


def learnt(returns: Returns, quiet: Bools, *, moving: Sequence[int] = ()) -> ClutterMap:
    """Return the map of bare detections at moments at which nothing came. `quiet` (n,): those that count; `moving`: rows of targets that
    were followed on their way, beneath which the map stays as it was.
    """
    empty = ClutterMap()
    use = quiet.copy()
    use[list(moving)] = False
    power = returns.power_db
    level: dict[tuple[int, int], float] = {}
    count: dict[tuple[int, int], int] = defaultdict(int)
    for row in np.flatnonzero(use).tolist():
        cell = empty.cell(float(returns.range_m[row]), float(returns.azimuth_deg[row]))
        count[cell] += 1
        before = level.get(cell, float(power[row]))
        level[cell] = before + max(WEIGHT, 1 / count[cell]) * (float(power[row]) - before)
    moments = int(np.unique(returns.t_s[quiet]).size)
    kept = [(*cell, round(level[cell], 2)) for cell in sorted(level) if count[cell] >= LEARNT_SHARE * moments]
    return empty.model_copy(update={"moments": moments, "cells": tuple(kept)})
