"""Why a target raised or not, in words with its numbers."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lantern.core.radar.deciding import candidates
from lantern.core.radar.dials import RadarDials
from lantern.core.radar.regions import EQUAL
from lantern.core.radar.returns import Returns
from lantern.core.radar.runs import Kept, Runs, fits
from lantern.core.reasons import Reason
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.watching import Bools

ORDER = ("rearm", "beside", "too_short", "too_near", "wrong_way", "outside", "left_out", "no_data")
WAY = {"inbound": "nearer", "outbound": "farther away", "across": "across the beam", "any": "on its way"}


def of_target(returns: Returns, kept: Kept, runs: Runs, dials: RadarDials, mine: Bools, there: Bools) -> Reason:
    """Return the reason of one target for not raising within some time: `mine` (n,) its returns then, `there` (n,) those in the
    region.
    """
    name = str(returns.ids[int(returns.target[mine][0])])
    rows = np.flatnonzero(mine)
    figures: dict[str, object] = {"object": name}
    counted = np.isin(rows, kept.row, assume_unique=True)
    if not counted.any():
        size = float(returns.rcs_dbsm[rows].mean())
        return Reason("left_out", f"{name}: its size, {size:.1f} dBsm, is left out.", figures | {"rcs_dbsm": size})
    if not there[rows].any():
        return Reason("outside", f"{name} never was in the region.", figures)
    speeds = returns.speed_mps[rows[there[rows]]]
    place = np.full(len(returns), -1)
    place[kept.row] = np.arange(kept.row.size)
    inside_run = np.isin(runs.at, place[rows])
    if not inside_run.any():
        best = float(speeds.min() if dials.profile == "inbound" else speeds.max())
        text = f"{name} never went {WAY[dials.profile]} at {dials.min_speed_mps:g} m/s: {abs(best):.2f} m/s at most."
        return Reason("wrong_way", text, figures | {"speed_mps": best})
    return _of_runs(returns, kept, runs, dials, inside_run, name)


def _of_runs(returns: Returns, kept: Kept, runs: Runs, dials: RadarDials, which: Bools, name: str) -> Reason:
    ways = np.where(which & runs.fits & np.isfinite(runs.way_m), runs.way_m, -np.inf)
    best = int(ways.argmax())
    far = max(float(ways[best]), 0.0)
    run = int(runs.run[best])
    lasted = float(runs.lasted_s[runs.first[run + 1] - 1])
    figures = {"object": name, "way_m": round(far, 3), "lasted_s": round(lasted, 3)}
    ended = _why_it_ended(returns, kept, runs, dials, run)
    if far < dials.distance_m - EQUAL:
        text = f"{name} came {far:.1f} of {dials.distance_m:g} m {WAY[dials.profile]} in its longest run{ended}."
        return Reason("too_near", text, figures)
    if (
        runs.passes is not None
        and not (which & candidates(runs, dials) & (runs.way_m >= dials.distance_m - EQUAL)).any()
    ):
        enough = candidates(replace(runs, passes=None), dials) & (runs.way_m >= dials.distance_m - EQUAL)
        if (which & enough).any():
            return Reason(
                "beside", f"{name} came {far:.1f} m, and what stands beside the radar says otherwise.", figures
            )
    if lasted < dials.sustain_s - TIME_TOLERANCE_S:
        return Reason("too_short", f"{name} went so for {lasted:.1f} of {dials.sustain_s:g} s{ended}.", figures)
    if dials.rearm_s:
        return Reason("rearm", f"{name} raised less than {dials.rearm_s:g} s before.", figures)
    return Reason("too_short", f"{name} came {far:.1f} m before it had gone so for {dials.sustain_s:g} s.", figures)


def _why_it_ended(returns: Returns, kept: Kept, runs: Runs, dials: RadarDials, run: int) -> str:
    end = int(runs.at[runs.first[run + 1] - 1])
    if kept.last[end]:
        return ""
    following = kept.row[end + 1 : end + 2]
    if fits(returns.speed_mps[following], dials)[0]:
        return "; it left the region"
    own = slice(runs.first[run], runs.first[run + 1])
    last_fit = float(kept.t_s[runs.at[own][runs.fits[own]][-1]])
    slow_s = float(kept.t_s[end + 1]) - last_fit
    return f"; below {dials.min_speed_mps:g} m/s for {slow_s:.1f} s, the bridge is {dials.bridge_s:g} s"
