"""Pixels per metre over a zone: at its weakest place, and only where all of it is seen."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lantern.core.optics.coverage import hiding
from lantern.core.optics.grades import EDITIONS
from lantern.core.optics.mount import Floats, Mount, View
from lantern.core.optics.prediction import UPRIGHT_M
from lantern.core.optics.verdicts import Wish, Word
from lantern.core.promise.claim import Around, Claim, Remedy, Stood, least
from lantern.core.promise.plan import Aim, Plan


def view_of(mount: Mount, point: Sequence[float]) -> tuple[View, Floats]:
    return View(mount), np.array(point, dtype=float)


def hidden_by(mount: Mount, point: Sequence[float], plan: Plan) -> str:
    """Return what stands between a camera and a point, by its name; empty: nothing."""
    view, at = view_of(mount, point)
    found = hiding(plan.walls, view.eye, at)
    return "" if found is None else next(each.name for each in plan.occluders if each.wall is found)


def weakest(mount: Mount, aim: Aim) -> tuple[float, tuple[float, float]] | None:
    """The least px/m at an aim's corners, and where; None: not all of it is in the picture. Depth is greatest at a corner."""
    view = View(mount)
    points = np.array([(x, y, aim.height_m) for x, y, *_ in aim.points], dtype=float)
    if not bool(np.all(view.inside(view.pixels(points)))):
        return None
    across = view.across_px_per_m(points)
    at = int(np.argmin(across))
    return float(across[at]), (float(points[at, 0]), float(points[at, 1]))


def claims(stood: Stood, aim: Aim, around: Around, cured: bool) -> list[Claim]:
    mount, plan = stood.mount, around.plan
    assert isinstance(mount, Mount)
    edition = EDITIONS[plan.edition]
    wish = Wish("density", aim.px_per_m or edition.grades[0][1], "px/m", True, edition.source)
    found = weakest(mount, aim)
    hidden = next((h for x, y, *_ in aim.points if (h := hidden_by(mount, (x, y, aim.height_m), plan))), "")
    verdict: Word = "fail" if found is None or hidden else wish.word(found[0])
    if found is None:
        reason = "part of it is not in the picture"
    elif hidden:
        reason = f"{hidden} hides part of it"
    else:
        reason = f"at its weakest corner, {edition.grade(found[0]) or 'less than any grade'}{_someone(mount, found[1])}"
    remedies: list[Remedy] = []
    if cured and verdict != "pass" and not hidden:
        remedies = _remedies(mount, aim, wish)
    return [
        Claim(
            stood.code, "density", aim.name, found and found[0], wish, verdict, reason, aim.name, remedies,
            found and found[1],
        )
    ]  # fmt: skip


def _someone(mount: Mount, at: tuple[float, float]) -> str:
    """Return how tall somebody who stands there is in the picture, and whether foot and head are in it."""
    view = View(mount)
    pixels = view.pixels(np.array([[*at, 0.0], [*at, UPRIGHT_M]]))
    if np.isnan(pixels).any():
        return ""
    lost = [words for words, inside in zip(("feet", "head"), view.inside(pixels), strict=True) if not inside]
    missing = f", {' and '.join(lost)} out of the picture" if lost else ""
    return f"; somebody of {UPRIGHT_M:g} m is {pixels[0, 1] - pixels[1, 1]:.0f} px tall{missing}"


def _remedies(mount: Mount, aim: Aim, wish: Wish) -> list[Remedy]:
    """The least change of the lens, of the way it looks, or of its height."""
    out = []
    for key, low, high, digits, words in (
        ("focal_mm", *mount.zoom_mm, 1, "focal length {:g} mm instead of {:g} mm"),
        ("azimuth_deg", mount.azimuth_deg - 90, mount.azimuth_deg + 90, 0, "azimuth {:g}° instead of {:g}°"),
        ("tilt_deg", -10.0, 89.0, 1, "tilt {:g}° instead of {:g}°"),
        ("height_m", 2.0, 15.0, 2, "height {:g} m instead of {:g} m"),
    ):
        now = getattr(mount, key)

        def figure(value: float, key: str = key) -> float | None:
            found = weakest(mount.model_copy(update={key: value}), aim)
            return None if found is None else found[0]

        found = least(now, low, high, figure, wish, digits)
        if found is not None:
            value, spare = found
            out.append(Remedy(f"{words.format(value, now)}, {spare}", {key: value}))
    return out
