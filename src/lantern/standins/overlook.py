"""What the camera along the quay sees while the radar there looks: the same boats and people, no gulls, and little in the rain.

Places are in the radar's own frame, whose axis looks north: metres to its east, and north of it.
"""

from __future__ import annotations

from collections.abc import Iterator

from lantern.standins import quay
from lantern.standins.crowd import Box, Camera, Crowd, Tracker, Walker, observe
from lantern.standins.ground import bar, draw
from lantern.standins.lens import pinhole

FPS, FRAME, SEED = 5.0, (1280, 720), 20_260_315
FOCAL_MM, SENSOR_MM, HEIGHT_M, TILT_DEG = 6.0, 5.37, 6.0, 5.0
STANDS_M = (-61.0, 23.0)  # from the radar; it looks east along the quay
BEHIND: Box = (-9.0, -9.0, 1.0, 1.0)  # outside its picture


def _camera() -> Camera:
    seen = pinhole(HEIGHT_M, TILT_DEG, FOCAL_MM / SENSOR_MM * FRAME[0], FRAME)

    def camera(x: float, y: float, width_m: float, tall_m: float) -> Box:
        away, aside = x - STANDS_M[0], STANDS_M[1] - y
        return seen(aside, away, width_m, tall_m) if away > 1 else BEHIND

    return camera


def _walkers() -> Iterator[Walker]:
    for t, x0, y0, x1, y1, speed in (*quay.BOATS, quay.LEAVES):
        yield Walker(t, ((x0, y0), (x1, y1)), speed, label="boat", width_m=2.4, height_m=1.6)
    for t in quay.WALKS_S:
        yield Walker(t, ((-quay.WALK_FROM_M, quay.WALK_Y_M), (quay.WALK_FROM_M, quay.WALK_Y_M)), quay.WALK_MPS)
    for t in quay.TO_GANGWAY_S:
        yield Walker(t, ((quay.GANGWAY_FROM_M, quay.WALK_Y_M), (quay.GANGWAY_TO_M, quay.WALK_Y_M)), quay.WALK_MPS)
    yield Walker(quay.REGISTER_S, quay.REGISTER_WAY, quay.WALK_MPS)


def quayside() -> Crowd:
    """Half an hour, the radar's own."""
    tracker = Tracker(confidence=0.78, shake_px=0.7)
    camera = _camera()
    tracks = observe(
        list(_walkers()), camera, length_s=quay.LENGTH_S, fps=FPS, frame_px=FRAME, tracker=tracker, seed=SEED
    )
    return Crowd(tracks, still=_still(camera))


def _still(camera: Camera) -> bytes:
    def on_ground(*points: tuple[float, float]) -> list[tuple[float, float]]:
        return [(box[0] + box[2] / 2, box[1] + box[3]) for box in (camera(x, y, 0.01, 0.01) for x, y in points)]

    horizon = camera(4000.0, STANDS_M[1], 0.01, 0.01)
    edge = horizon[1] + horizon[3]
    areas = [
        (bar(0, edge, FRAME[0], FRAME[1]), (72, 84, 92)),  # the water
        (on_ground((-50, 21), (260, 21), (260, 60), (-50, 60)), (96, 98, 94)),  # the quay
        (on_ground((-50, 20.4), (260, 20.4), (260, 21), (-50, 21)), (126, 124, 112)),  # its edge
        (on_ground((40, 30), (60, 30), (60, 31), (40, 31)), (62, 70, 76)),
    ]
    return draw(FRAME, (58, 66, 74), areas, seed=5)
