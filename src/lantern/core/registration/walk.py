"""Registration from a walk: returns of a target against the track of whoever walked, whose clock may go otherwise than the radar's."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.optimize import minimize_scalar
from scipy.special import stdtrit

from lantern.core.faults import Fault, Refused
from lantern.core.registration.fits import Plane, rigid, similarity
from lantern.core.registration.report import registered
from lantern.core.signals import Floats
from lantern.core.watching import Bools

MOST_SHIFT_S, STEP_S = 120.0, 0.5  # how far clocks are looked for, and by which steps at first
GAP_S = 10.0  # a track with a longer pause says nothing of it
EVERY_S = 1.0  # returns of so long are one place
FEWEST_S, FEWEST = 20.0, 12  # so long, and so many places, a walk must be seen at least; common practice, no source
BLOCKS = 10  # of the walk, each left out once, for the interval of the shift
SURE = 0.95
LOOSE_S = 1.0  # an interval that is wider to either side tells no clocks
FITS = {"rigid": rigid, "similarity": similarity}


@dataclass(frozen=True)
class Track:
    """Where somebody was on the plan: `t_s` (n,) rising, `x_m`, `y_m` (n,). `error_m`: how far off each may be; None: nobody says."""

    t_s: Floats
    x_m: Floats
    y_m: Floats
    error_m: float | None = None

    def at(self, t_s: Floats) -> tuple[Floats, Bools]:
        """(n, 2) places at some times, and (n,): does the track say where?"""
        places = np.column_stack((np.interp(t_s, self.t_s, self.x_m), np.interp(t_s, self.t_s, self.y_m)))
        after = np.clip(np.searchsorted(self.t_s, t_s), 1, self.t_s.size - 1)
        said = (t_s >= self.t_s[0]) & (t_s <= self.t_s[-1]) & (self.t_s[after] - self.t_s[after - 1] <= GAP_S)
        return places, said


@dataclass(frozen=True)
class Walked:
    """`pairs` (n, 4) of places in the radar's frame and on the plan; `t_s` (n,) of each by the radar's clock; `shift_s`: the track's clock
    is so far ahead of the radar's, `shift_from_s` to `shift_to_s` its interval (95 %), None where it was given.
    """

    target: str
    t_s: Floats
    pairs: Floats
    shift_s: float
    shift_from_s: float | None
    shift_to_s: float | None
    report: dict[str, Any]


def thinned(t_s: Floats, places: Floats) -> tuple[Floats, Floats]:
    """Return one mean place a second: (m,) times, (m, 2)."""
    slot = np.floor(t_s / EVERY_S).astype(np.int64)
    _, first, which, count = np.unique(slot, return_index=True, return_inverse=True, return_counts=True)
    assert first.size == count.size
    columns = [np.bincount(which, weights=column) / count for column in (t_s, places[:, 0], places[:, 1])]
    return columns[0], np.column_stack(columns[1:])


def walked(
    targets: Sequence[tuple[str, Floats, Floats]], track: Track, *, model: str = "rigid", shift_s: float | None = None
) -> Walked:
    """Register by a walk. `targets`: (name, times (n,), places (n, 2) in the radar's frame) each; of several that one which fits best is
    taken. `shift_s`: how far the track's clock is ahead, where that is known. Raises `Refused` where nothing was seen for long enough.
    """
    best: tuple[float, str, Floats, Floats, float] | None = None
    for name, t_s, places in targets:
        slow_t, slow = thinned(t_s, places)
        if slow_t.size < FEWEST or slow_t[-1] - slow_t[0] < FEWEST_S:
            continue
        found = (
            (shift_s, _rms(slow_t, slow, track, model, shift_s))
            if shift_s is not None
            else _shift(slow_t, slow, track, model)
        )
        if found is not None and np.isfinite(found[1]) and (best is None or found[1] < best[0]):
            best = (found[1], name, slow_t, slow, found[0])
    if best is None:
        what = f"no target was seen for {FEWEST_S:g} s of it in {FEWEST} places"
        raise Refused([Fault("walk", what, "a longer walk before the radar, and clocks less than two minutes apart")])
    _, name, slow_t, slow, ahead = best
    places, said = track.at(slow_t + ahead)
    pairs = np.column_stack((slow[said], places[said]))
    interval = None if shift_s is not None else _interval(slow_t, slow, track, model, ahead)
    report = registered(model, pairs)
    report["warnings"] += _told(track, report["rms"], ahead, interval)
    low, high = interval or (None, None)
    return Walked(name, slow_t[said], pairs, ahead, low, high, report)


def _rms(t_s: Floats, places: Floats, track: Track, model: str, shift_s: float) -> float:
    """How far pairs miss at a shift; infinite where the track says too little."""
    onto, said = track.at(t_s + shift_s)
    if said.sum() < max(FEWEST, 0.5 * said.size):
        return float("inf")
    first, second = places[said], onto[said]
    if np.ptp(second, axis=0).max() < 1.0:  # nobody walks
        return float("inf")
    fit: Plane = FITS[model](first, second)
    return float(np.sqrt((fit.residuals(first, second) ** 2).mean()))


def _shift(t_s: Floats, places: Floats, track: Track, model: str) -> tuple[float, float] | None:
    """(shift, rms) that fits best: every half second first, then as finely as it goes."""
    steps = np.arange(-MOST_SHIFT_S, MOST_SHIFT_S + STEP_S / 2, STEP_S)
    rms = np.array([_rms(t_s, places, track, model, float(step)) for step in steps])
    if not np.isfinite(rms).any():
        return None
    return _refined(t_s, places, track, model, float(steps[int(rms.argmin())]))


def _refined(t_s: Floats, places: Floats, track: Track, model: str, near_s: float) -> tuple[float, float]:
    found = minimize_scalar(
        lambda shift: _rms(t_s, places, track, model, float(shift)),
        bounds=(near_s - STEP_S, near_s + STEP_S),
        method="bounded",
        options={"xatol": 1e-3},
    )
    here = _rms(t_s, places, track, model, near_s)
    return (float(found.x), float(found.fun)) if found.fun <= here else (near_s, here)


def _interval(t_s: Floats, places: Floats, track: Track, model: str, shift_s: float) -> tuple[float, float] | None:
    """The jackknife by blocks: neighbours err alike, so whole stretches of the walk are left out (Efron and Tibshirani 1993, from memory)."""
    blocks = [each for each in np.array_split(np.arange(t_s.size), BLOCKS) if each.size]
    found = []
    for block in blocks:
        rest = np.ones(t_s.size, dtype=np.bool_)
        rest[block] = False
        again = minimize_scalar(
            lambda shift, rest=rest: _rms(t_s[rest], places[rest], track, model, float(shift)),
            bounds=(shift_s - 10 * STEP_S, shift_s + 10 * STEP_S),
            method="bounded",
            options={"xatol": 1e-3},
        )
        if np.isfinite(again.fun):
            found.append(float(again.x))
    count = len(found)
    if count < 3:
        return None
    spread = np.sqrt((count - 1) / count * ((np.array(found) - np.mean(found)) ** 2).sum())
    reach = float(stdtrit(count - 1, (1 + SURE) / 2) * spread)
    return shift_s - reach, shift_s + reach


def _told(track: Track, rms: float, shift_s: float, interval: tuple[float, float] | None) -> list[str]:
    out = []
    if interval is not None and interval[1] - interval[0] > 2 * LOOSE_S:
        out.append("This walk hardly tells how far the clocks are apart: walk to and fro, with turns, or say it")
    elif interval is not None and (interval[0] > 0 or interval[1] < 0):
        ahead = "ahead of" if shift_s > 0 else "behind"
        out.append(f"The track's clock is {abs(shift_s):.1f} s {ahead} the radar's, and was shifted so")
    if track.error_m is not None and rms > 2 * track.error_m:
        out.append(f"Pairs miss by {rms:.2f} m in the mean, more than twice what the positions may be off")
    return out
