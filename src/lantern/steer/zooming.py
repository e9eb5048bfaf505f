"""A head's zoom measured from its own pictures: at each value it pans a little, and how far its edges move tells its field."""

from __future__ import annotations

import math
import threading
import time
from dataclasses import dataclass, field

import cv2
import numpy as np
import structlog
from numpy.typing import NDArray
from scipy.optimize import minimize_scalar

from lantern.core.faults import Fault, LanternError, Refused
from lantern.core.ptz.zoom import Measured, ZoomCurve
from lantern.core.signals import Floats
from lantern.devices.onvif.ptz import Ptz
from lantern.register.heads import Steered
from lantern.steer.heads import known_pointing, speak

log = structlog.get_logger()
VALUES = tuple(round(each, 3) for each in np.linspace(0.0, 1.0, 9).tolist())
SHIFT_SHARE = 0.15  # of the field, by which it is panned
FOCUS_S, REST_S, LOOK_S = 2.0, 8.0, 0.15  # until the focus has settled; until it rests at most; between two looks
WIDEST_GUESS_DEG, TRIES = 60.0, 5  # of a field nobody knows yet; each try turns half as far
LEAST_SHARED, SURE = 0.4, 0.5  # of the picture that both show; how alike they must be there
ROUGH_PX, ROUGH_BLUR_PX, FINE_BLUR_PX = 480, 2.5, 2.0
STEEP = 120.0  # steeper edges count no more
FIELDS_DEG = np.geomspace(0.4, 110.0, 140)
Picture = NDArray[np.uint8]


@dataclass
class Measuring:
    """One under way: `done` of `of` values, `found` so far, and why it ended, if it failed."""

    of: int
    done: int = 0
    found: list[Measured] = field(default_factory=list)
    said: str = ""
    over: bool = False
    stopped: bool = False


class Measurings:
    """Those under way, and the last of each device."""

    def __init__(self) -> None:
        self.held: dict[int, Measuring] = {}

    def told(self, device_id: int) -> dict[str, object]:
        held = self.held.get(device_id)
        if held is None:
            return {"open": False, "done": 0, "of": 0, "found": [], "said": ""}
        found = [list(each) for each in held.found]
        return {"open": not held.over, "done": held.done, "of": held.of, "found": found, "said": held.said}

    def found(self, device_id: int) -> list[Measured]:
        """Return what was measured last. Raises `Refused` where nothing was, or where it makes no curve."""
        held = self.held.get(device_id)
        if held is None or not held.over or not held.found:
            raise Refused([Fault("zoom", "nothing was measured yet", "a measuring that has come to its end")])
        ZoomCurve(held.found)
        return list(held.found)


MEASURING = Measurings()


def begin_measuring(steered: Steered) -> None:
    """Begin, in a thread of its own. Raises `Refused` where one is under way, or its own units are not known."""
    held = MEASURING.held.get(steered.id)
    if held is not None and not held.over:
        raise Refused([Fault("zoom", "it is being measured", "the end of that, or stop it")])
    known_pointing(steered)
    fresh = MEASURING.held[steered.id] = Measuring(len(VALUES))
    threading.Thread(target=_measure, args=(steered, fresh), name="zoom", daemon=True).start()


def stop_measuring(device_id: int) -> None:
    held = MEASURING.held.get(device_id)
    if held is not None:
        held.stopped = True


def _measure(steered: Steered, held: Measuring) -> None:
    try:
        begins = speak(steered, "moves", lambda head: head.status())
        for value in VALUES:
            if held.stopped:
                held.said = "It was stopped."
                break
            guess = held.found[-1].field_deg if held.found else None
            held.found.append(speak(steered, "moves", lambda head, v=value, g=guess: _one(head, steered, v, g)))  # type: ignore[misc]
            held.done += 1
        speak(steered, "moves", lambda head: head.absolute(begins.pan, begins.tilt, begins.zoom))
    except LanternError as error:
        held.said = str(error)
    except Exception as error:
        log.exception("a zoom cannot be measured", device=steered.code)
        held.said = f"an error of the program, {type(error).__name__}: the log says more"
    finally:
        held.over = True


def _one(head: Ptz, steered: Steered, value: float, before_deg: float | None) -> Measured:
    """The field at one value. What is not known yet is guessed from the value before: the first step must not leave the picture."""
    units = known_pointing(steered).units
    start = head.status()
    head.absolute(start.pan, start.tilt, value)
    _rest(head)
    time.sleep(FOCUS_S)
    one, first = _grey(head.snapshot()), units.degrees(start.pan, start.tilt)
    guess = before_deg or WIDEST_GUESS_DEG
    try:
        for _ in range(TRIES):
            own = SHIFT_SHARE * guess / units.pan_scale_deg
            head.absolute(start.pan + own if abs(start.pan + own) <= 1 else start.pan - own, start.tilt, value)
            _rest(head)
            now = head.status()
            found = field_between(one, _grey(head.snapshot()), first, units.degrees(now.pan, now.tilt))
            if found is not None:
                return Measured(value, found)
            guess /= 2
    finally:
        head.absolute(start.pan, start.tilt, value)
        _rest(head)
    what = f"at {value:g} two pictures have too little in common to tell its field"
    raise Refused([Fault("zoom", what, "a view of something with edges, by day")])


def _rest(head: Ptz) -> None:
    until = time.monotonic() + REST_S
    while head.status().moving:
        if time.monotonic() > until:
            raise Refused([Fault("device", f"it moves still after {REST_S:g} s", "a head that comes to rest")])
        time.sleep(LOOK_S)


def _grey(data: bytes) -> Picture:
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
    turn = _axes(*second) @ _axes(*first).T
    a, b = (_edges(each, ROUGH_PX, ROUGH_BLUR_PX) for each in (one, other))
    alike = [_alike(a, b, turn, field) for field in FIELDS_DEG.tolist()]
    best = int(np.argmax(alike))
    if alike[best] < SURE:
        return None
    c, d = (_edges(each, one.shape[1], FINE_BLUR_PX) for each in (one, other))
    low, high = (math.log(FIELDS_DEG[min(max(best + step, 0), len(FIELDS_DEG) - 1)]) for step in (-1, 1))

    def unlike(log_field: float) -> float:
        return -_alike(c, d, turn, math.exp(log_field))

    found = minimize_scalar(unlike, bounds=(low, high), method="bounded", options={"xatol": 1e-4})
    return math.exp(found.x)


def _edges(picture: Picture, width: int, blur_px: float) -> Floats:
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


def _axes(pan_deg: float, tilt_deg: float) -> Floats:
    """Rows: to the right, down and ahead, of a camera that looks there."""
    pan, tilt = math.radians(pan_deg), math.radians(tilt_deg)
    ahead = np.array([math.sin(pan) * math.cos(tilt), math.cos(pan) * math.cos(tilt), -math.sin(tilt)])
    right = np.array([math.cos(pan), -math.sin(pan), 0.0])
    return np.stack([right, np.cross(ahead, right), ahead])
