"""Where objects of a picture stand on the ground: the foot of each box, by the camera's mount."""

from __future__ import annotations

import numpy as np

from lantern.core.company import Stands
from lantern.core.faults import Fault, Refused
from lantern.core.modelled import read_model
from lantern.core.optics.mount import Mount, View
from lantern.core.signals import Floats
from lantern.core.tracks import Tracks
from lantern.core.watching import Bools


def view_of(stands: Stands, pixels: tuple[int, int] | None) -> View:
    """Return how the camera sees the ground. Raises `Refused` where it stands nowhere, or the size of its picture is not known."""
    if stands.mount is None or not (pixels or stands.pixels):
        what = "stands nowhere on the plan" if stands.mount is None else "has a picture whose size is not known"
        raise Refused([Fault("camera", what, "a camera placed on the plan, with its width and height")])
    document = {"pixels": list(pixels or stands.pixels or ())} | dict(stands.mount)
    return View(read_model(Mount, document, where="mount"))


def feet(box: Floats) -> Floats:
    """(n, 2) px: the middle of the lower edge of boxes (n, 4) of left, top, width, height."""
    return np.column_stack((box[:, 0] + box[:, 2] / 2, box[:, 1] + box[:, 3]))


def places_of(tracks: Tracks, stands: Stands) -> Floats:
    """(n, 2): where on the plan everybody is, nan beyond the horizon: as the device says, or the foot of the box by its mount."""
    if tracks.on_plan:
        return tracks.box[:, :2]
    places: Floats = view_of(stands, tracks.frame_px).ground(feet(tracks.box))[:, :2]
    return places


def near_enough(tracks: Tracks, stands: Stands, worst_m: float) -> Bools:
    """(n,): where a pixel is so many metres of ground at most, along the sight line: farther away a foot tells no place."""
    if tracks.on_plan:
        return np.ones(len(tracks), dtype=np.bool_)
    view = view_of(stands, tracks.frame_px)
    places = np.column_stack((view.ground(feet(tracks.box)), np.zeros(len(tracks))))
    with np.errstate(invalid="ignore"):
        return np.asarray(view.along_px_per_m(places) * worst_m >= 1)
