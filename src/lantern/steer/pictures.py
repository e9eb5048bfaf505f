"""Pictures of a head compared: read, their edges, how well one lies on another that was taken in another direction."""

from __future__ import annotations

import math
import time

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize_scalar

from lantern.core.faults import Fault, Refused
from lantern.core.signals import Floats
from lantern.devices.onvif.ptz import Ptz

REST_S, LOOK_S = 8.0, 0.15  # until it rests at most; between two looks
LEAST_SHARED, SURE = 0.4, 0.5  # of the picture that both show; how alike they must be there
ROUGH_PX, ROUGH_BLUR_PX, FINE_BLUR_PX = 480, 2.5, 2.0
STEEP = 120.0  # steeper edges count no more
FIELDS_DEG = np.geomspace(0.4, 110.0, 140)
Picture = NDArray[np.uint8]


def rest(head: Ptz, within_s: float = REST_S) -> None:
    until = time.monotonic() + within_s
    while head.status().moving:
        if time.monotonic() > until:
            raise Refused([Fault("device", f"it moves still after {within_s:g} s", "a head that comes to rest")])
        time.sleep(LOOK_S)


def grey(data: bytes) -> Picture:
    read = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_GRAYSCALE)
    if read is None:
        raise Refused([Fault("device", "its picture cannot be read", "a JPEG or PNG")])
    return np.asarray(read, dtype=np.uint8)


def field_between(
    one: Picture, other: Picture, first: tuple[float, float], second: tuple[float, float]
) -> float | None:
    """Return the horizontal field by which the edges of one picture lie where they do in the other, taken in another direction (pan and
    tilt in degrees); None: too little is in both. Both directions are known, so that one number is looked for: roughly first, then finely.
    """
    turn = axes(*second) @ axes(*first).T
    a, b = (edges(each, ROUGH_PX, ROUGH_BLUR_PX) for each in (one, other))
    alike = [_alike(a, b, turn, field) for field in FIELDS_DEG.tolist()]
    best = int(np.argmax(alike))
    if alike[best] < SURE:
        return None
    c, d = (edges(each, one.shape[1], FINE_BLUR_PX) for each in (one, other))
    low, high = (math.log(FIELDS_DEG[min(max(best + step, 0), len(FIELDS_DEG) - 1)]) for step in (-1, 1))

    def unlike(log_field: float) -> float:
        return -_alike(c, d, turn, math.exp(log_field))

    found = minimize_scalar(unlike, bounds=(low, high), method="bounded", options={"xatol": 1e-4})
    return math.exp(found.x)


def edges(picture: Picture, width: int, blur_px: float) -> Floats:
    """How steep a picture is at each of its pixels, at another width, blurred."""
    size = (width, round(width * picture.shape[0] / picture.shape[1]))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    steep = cv2.magnitude(cv2.Sobel(small, cv2.CV_32F, 1, 0), cv2.Sobel(small, cv2.CV_32F, 0, 1))
    return np.asarray(cv2.GaussianBlur(np.minimum(steep, STEEP), (0, 0), blur_px))


def _alike(one: Floats, other: Floats, turn: Floats, field_deg: float) -> float:
    """How well one lies on the other if the field were that: the correlation over what both show; 0 where that is too little."""
    height, width = one.shape
    f = width / 2 / math.tan(math.radians(field_deg) / 2)
    lens = np.array([[f, 0, width / 2], [0, f, height / 2], [0, 0, 1.0]])
    onto = lens @ turn @ np.linalg.inv(lens)
    there = cv2.warpPerspective(np.ones_like(one), onto, (width, height), flags=cv2.INTER_NEAREST) > 0
    if there.mean() < LEAST_SHARED:
        return 0.0
    a, b = cv2.warpPerspective(one, onto, (width, height))[there], other[there]
    a, b = a - a.mean(), b - b.mean()
    size = math.sqrt(float((a * a).sum()) * float((b * b).sum()))
    return float((a * b).sum()) / size if size > 0 else 0.0


def axes(pan_deg: float, tilt_deg: float) -> Floats:
    """Rows: to the right, down and ahead, of a camera that looks there."""
    pan, tilt = math.radians(pan_deg), math.radians(tilt_deg)
    ahead = np.array([math.sin(pan) * math.cos(tilt), math.cos(pan) * math.cos(tilt), -math.sin(tilt)])
    right = np.array([math.cos(pan), -math.sin(pan), 0.0])
    return np.stack([right, np.cross(ahead, right), ahead])
