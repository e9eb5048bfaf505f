"""A head registered to another body of its device by itself: it looks at one place of the fixed picture after another, and where its own
picture lies on the fixed one tells where it really looked. It begins from pairs that somebody took by hand.
"""

from __future__ import annotations

import math
import time
from collections.abc import Generator
from typing import NamedTuple

import cv2
import numpy as np

from lantern.core.faults import Fault, Refused
from lantern.core.ptz.pointing import out_of_reach
from lantern.core.ptz.seen_by import Fitted
from lantern.core.ptz.turned import Pointing
from lantern.core.signals import Floats
from lantern.core.watch import Aim
from lantern.devices.onvif.ptz import Ptz
from lantern.register.heads import Steered, edged
from lantern.routines import Running
from lantern.steer.heads import known_pointing, speak
from lantern.steer.pictures import Picture, edges, grey, rest
from lantern.steer.routines import HeadRoutine

COLUMNS, ROWS = (0.15, 0.325, 0.5, 0.675, 0.85), (0.4, 0.6, 0.8)  # of the fixed picture, where it looks
FOCUS_S = 0.4
BLUR_PX, MARGIN_PX, SURE = 1.5, 5, 0.55  # how alike both must be
MOST_SHIFT_SHARE = 0.12  # of what the head's picture covers: farther off it was something else
LEAST_PX = 40  # of the fixed picture that it covers, each way


class Found(NamedTuple):
    """What lies at this pixel of the fixed picture the head looks at, in its own units."""

    u_px: float
    v_px: float
    pan: float
    tilt: float


MATCHING: HeadRoutine[Found] = HeadRoutine("matching")


def begin_matching(steered: Steered, of: str) -> None:
    """Raises `Refused` where one is under way, where the zoom was not measured, and where no pairs tell roughly how it lies."""
    pointing = known_pointing(steered)
    fitted = pointing.seen_by(of)
    if fitted is None or fitted.seen_by.model != "rotation" or len(fitted.seen_by.pairs) < 4:
        what = "it is not known roughly how the picture lies"
        raise Refused([Fault("matching", what, "four pairs by hand, of another body of this device")])
    if pointing.curve is None:
        raise Refused([Fault("matching", "its zoom was not measured", "that first")])
    width, height = fitted.seen_by.size
    targets = [(u * width, v * height) for v in ROWS for u in COLUMNS]
    still = grey(speak(steered, "routine", lambda head: head.snapshot(of)))

    def work(held: Running[Found]) -> Generator[Found | None]:
        for u, v in targets:
            yield speak(steered, "routine", lambda head, a=u, b=v: _one(head, pointing, fitted, still, a, b))  # type: ignore[misc]

    MATCHING.begin_with(steered, len(targets), work)


def _one(head: Ptz, pointing: Pointing, fitted: Fitted, still: Picture, u: float, v: float) -> Found | None:
    """Look there, wide, and see where that is in the fixed picture; None: it cannot look there, or nothing stands out."""
    to = fitted.towards(u, v)
    if out_of_reach(pointing.head, to):
        return None
    pan, tilt, zoom = pointing.own(Aim(to.pan_deg, to.tilt_deg, 1.0))
    head.absolute(edged(pan), edged(tilt), zoom)
    rest(head)
    time.sleep(FOCUS_S)
    now, picture = head.status(), grey(head.snapshot())
    aim = pointing.aim(now.pan, now.tilt, now.zoom)
    assert pointing.curve is not None
    shift = shifted(still, picture, _onto(fitted, aim, picture.shape, pointing.curve.field_deg(now.zoom)))
    if shift is None:
        return None
    middle = fitted.pixel(to)
    return None if middle is None else Found(u + shift[0], v + shift[1], now.pan, now.tilt)


def _onto(fitted: Fitted, aim: Aim, shape: tuple[int, ...], field_deg: float) -> Floats:
    """(3, 3): from the head's picture to the fixed one, by the registration as it is."""
    height, width = shape[:2]
    mine, theirs = _lens(width, height, field_deg), _lens(*fitted.seen_by.size, fitted.field_deg)
    pan, tilt = math.radians(aim.pan_deg), math.radians(aim.tilt_deg)
    ahead = np.array([math.sin(pan) * math.cos(tilt), math.cos(pan) * math.cos(tilt), -math.sin(tilt)])
    right = np.array([math.cos(pan), -math.sin(pan), 0.0])
    from_mine = np.stack([right, np.cross(ahead, right), ahead], axis=1)  # right, down, ahead to the site
    to_theirs = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]]) @ fitted.turn.matrix.T  # to its right, down, ahead
    out: Floats = theirs @ to_theirs @ from_mine @ np.linalg.inv(mine)
    return out


def _lens(width: int, height: int, field_deg: float) -> Floats:
    f = width / 2 / math.tan(math.radians(field_deg) / 2)
    return np.array([[f, 0, width / 2], [0, f, height / 2], [0, 0, 1.0]])


def shifted(still: Picture, picture: Picture, onto: Floats) -> tuple[float, float] | None:
    """Return by how many pixels a picture lies beside where the registration puts it on the fixed one; None: nothing tells."""
    height, width = still.shape
    corners = np.array(
        [[[0.0, 0.0], [picture.shape[1], 0.0], [picture.shape[1], picture.shape[0]], [0.0, picture.shape[0]]]]
    )
    there = cv2.perspectiveTransform(corners, onto)[0]
    (left, top), (right, bottom) = there.min(axis=0), there.max(axis=0)
    left, top, right, bottom = (
        max(round(left), 0),
        max(round(top), 0),
        min(round(right), width),
        min(round(bottom), height),
    )
    if right - left < LEAST_PX or bottom - top < LEAST_PX:
        return None
    window = (slice(top, bottom), slice(left, right))
    mine = cv2.warpPerspective(picture, onto, (width, height), flags=cv2.INTER_AREA)
    covered = cv2.warpPerspective(np.ones_like(picture), onto, (width, height))[window] > 0
    a, b = (edges(np.ascontiguousarray(each[window]), right - left, BLUR_PX) for each in (still, mine))
    most = round(MOST_SHIFT_SHARE * min(right - left, bottom - top))
    seen = cv2.erode(
        covered.astype(np.uint8), np.ones((2 * MARGIN_PX + 1,) * 2, np.uint8)
    )  # its own outline is no edge
    mask = seen[most:-most, most:-most].astype(np.float32)
    part = np.ascontiguousarray(b[most:-most, most:-most], dtype=np.float32)
    if min(part.shape) < LEAST_PX or mask.mean() < 0.5:
        return None
    alike = cv2.matchTemplate(a.astype(np.float32), part, cv2.TM_CCORR_NORMED, mask=mask)
    alike = np.where(np.isfinite(alike), alike, 0.0)
    row, column = np.unravel_index(int(alike.argmax()), alike.shape)
    if alike[row, column] < SURE or not (0 < row < alike.shape[0] - 1 and 0 < column < alike.shape[1] - 1):
        return None
    dx = column - most + _peak(*alike[row, column - 1 : column + 2].tolist())
    dy = row - most + _peak(*alike[row - 1 : row + 2, column].tolist())
    return float(dx), float(dy)


def _peak(before: float, at: float, after: float) -> float:
    """Where between its neighbours the highest of three values truly lies, by a parabola."""
    bend = before - 2 * at + after
    return 0.0 if bend == 0 else 0.5 * (before - after) / bend
