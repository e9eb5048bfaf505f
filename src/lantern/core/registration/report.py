"""A registration as a report: what was found, how far each pair misses, what it would miss by if the others alone were asked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.registration import fits
from lantern.core.registration.fits import Fit
from lantern.core.signals import Floats

SCALE_FROM, SCALE_TO = 0.97, 1.03  # common practice, no source
WORST_RMS_M = 0.5  # common practice, no source
MIRROR_GAIN, ROUNDING = 1e-6, 1e-9  # a mirror image fits better only if it does by more than rounding


@dataclass(frozen=True)
class Model:
    """One way to fit: `columns` of its pairs, the least number of them, and what makes such pairs unfit."""

    columns: tuple[str, str, str, str]
    least: int
    fit: Callable[..., Fit]
    unfit: Callable[[Floats, Floats], str]  # why these cannot be fitted; empty: they can
    on_sphere: bool = False
    mirrors: bool = True

    def sides(self, pairs: Floats) -> tuple[Floats, Floats]:
        """(n, 4) to both sides of the pairs."""
        if not self.on_sphere:
            return pairs[:, :2], pairs[:, 2:]
        return directions(pairs[:, 0], pairs[:, 1]), directions(pairs[:, 2], pairs[:, 3])


def directions(pan_deg: Floats, tilt_deg: Floats) -> Floats:
    """(n, 3): pan clockwise from north, tilt down; x east, y north, z up."""
    p, t = np.radians(pan_deg), np.radians(tilt_deg)
    return np.column_stack((np.sin(p) * np.cos(t), np.cos(p) * np.cos(t), -np.sin(t)))


def _points(first: Floats, second: Floats) -> str:
    same = any(len(np.unique(side, axis=0)) < 2 for side in (first, second))
    return "all pairs are at one point" if same else ""


def _directions(first: Floats, second: Floats) -> str:
    return "all directions are parallel" if fits.parallel(first) or fits.parallel(second) else ""


def _ground(first: Floats, second: Floats) -> str:
    if fits.has_a_frame(first) and fits.has_a_frame(second):
        return ""
    return "of every four points three are in a line"


ON_PLAN = ("x_m", "y_m", "plan_x_m", "plan_y_m")
ON_SPHERE = ("pan_a_deg", "tilt_a_deg", "pan_b_deg", "tilt_b_deg")
MODELS = {
    "rigid": Model(ON_PLAN, 2, fits.rigid, _points),
    "similarity": Model(ON_PLAN, 2, fits.similarity, _points),
    "rotation": Model(ON_SPHERE, 2, fits.rotation, _directions, on_sphere=True),
    "ground": Model(("u_px", "v_px", "plan_x_m", "plan_y_m"), 4, fits.ground, _ground, mirrors=False),
}


def registered(name: str, pairs: Floats) -> dict[str, Any]:
    """Return the report of (n, 4) pairs. Raises `Refused` for too few of them, points that repeat, and what fits nothing."""
    model = MODELS[name]
    _check(model, pairs)
    first, second = model.sides(pairs)
    why = model.unfit(first, second)
    if why:
        raise Refused([Fault("pairs", why, "pairs that are spread out")])
    fit = model.fit(first, second)
    residuals = fit.residuals(first, second)
    rms = _rms(residuals)
    mirrored = model.mirrors and _mirrors(model, first, second, rms)
    return {
        "model": name,
        "parameters": fit.parameters,
        "residuals": residuals.tolist(),
        "rms": rms,
        "max": float(residuals.max()),
        "leave_one_out": [_left_out(model, first, second, at) for at in range(len(pairs))],
        "mirrored": mirrored,
        "warnings": _warnings(name, fit, first, rms, mirrored=mirrored),
    }


def _mirrors(model: Model, first: Floats, second: Floats, rms: float) -> bool:
    """Return whether a mirror image would fit better, by more than rounding."""
    other = _rms(model.fit(first, second, mirrored=True).residuals(first, second))
    size = float(np.linalg.norm(second - second.mean(axis=0)))
    return other < rms * (1 - MIRROR_GAIN) - ROUNDING * size


def _check(model: Model, pairs: Floats) -> None:
    faults = FaultList()
    if len(pairs) < model.least:
        faults.add("pairs", f"{len(pairs)} of them", f"at least {model.least}")
    for side, columns in ((pairs[:, :2], model.columns[:2]), (pairs[:, 2:], model.columns[2:])):
        _, first, counts = np.unique(side, axis=0, return_index=True, return_counts=True)
        for at in first[counts > 1].tolist():
            where = ", ".join(f"{name} {value:g}" for name, value in zip(columns, side[at].tolist(), strict=True))
            faults.add("pairs", f"{where} comes more than once", "each point once")
    faults.refuse_if_any()


def _rms(residuals: Floats) -> float:
    return float(np.sqrt((residuals**2).mean()))


def _left_out(model: Model, first: Floats, second: Floats, at: int) -> float | None:
    """Return by how much a pair misses if the others alone are fitted; None where they are too few, or fit nothing."""
    rest = np.arange(len(first)) != at
    if rest.sum() < model.least or model.unfit(first[rest], second[rest]):
        return None
    fit = model.fit(first[rest], second[rest])
    return float(fit.residuals(first[at : at + 1], second[at : at + 1])[0])


def _warnings(name: str, fit: Fit, first: Floats, rms: float, *, mirrored: bool) -> list[str]:
    out = []
    if mirrored:
        out.append("A mirror image would fit better: left and right, or the axes of one side, may be interchanged")
    on_plan = name in ("rigid", "similarity")
    if on_plan and len(first) == 2:
        out.append("Two pairs fit whatever they are: nothing checks them; four or more, spread out")
    elif on_plan and fits.in_a_line(first):
        out.append("All points are in a line: a mirror image would fit as well; points to both sides of it")
    scale = fit.parameters.get("scale", 1.0)
    if not SCALE_FROM <= scale <= SCALE_TO:
        out.append(f"The scale comes to {scale:.3f}: is the plan's scale right?")
    if on_plan and rms > WORST_RMS_M:
        out.append(f"Pairs miss by {rms:.2f} m in the mean: look at the largest, and at clocks that are apart")
    return out
