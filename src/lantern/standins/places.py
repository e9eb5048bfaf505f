"""Scenes of Skerrow Basin with people in them: the gangway at boarding, the door of the hall, the yard at night."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from lantern.core.scoring.marks import Mark
from lantern.standins.crowd import Box, Camera, Crowd, Tracker, Walker, observe
from lantern.standins.ground import bar, draw
from lantern.standins.lens import pinhole
from lantern.standins.overlook import quayside

OVERHEAD_PX_M = 80.0
OVERHEAD = (640, 480)
YARD = (1280, 720)
GANGWAY_FPS = HALL_FPS = YARD_FPS = 10.0
CHILD_WIDTH_M = 0.4
MARK_REACH_S = 4.0  # a passage counts wherever in the picture the line lies


def overhead(x: float, y: float, width_m: float, height_m: float) -> Box:
    """Straight from above: `height_m` is the length along the way, which is a person's depth."""
    w, h = width_m * OVERHEAD_PX_M, height_m * OVERHEAD_PX_M
    return x * OVERHEAD_PX_M - w / 2, y * OVERHEAD_PX_M - h / 2, w, h


def measured(walkers: Sequence[Walker], seed: int) -> list[Walker]:
    """Return the walkers as a stereo counter finds them: grown-ups, children (the narrow ones), a trolley's bar; a
    rider sits as high as one stands.
    """
    rng = np.random.default_rng(seed)
    out = []
    for walker in walkers:
        if walker.label == "trolley":
            tall_m = rng.normal(1.02, 0.03)
        elif walker.width_m < CHILD_WIDTH_M:
            tall_m = rng.uniform(0.9, 1.25)
        else:
            tall_m = np.clip(rng.normal(1.71, 0.09), 1.45, 2.0)
        out.append(replace(walker, tall_m=float(tall_m)))
    return out


# ---- the gangway at boarding -----------------------------------------------------------------------------------------


def gangway(seed: int = 411, length_s: int = 1200) -> Crowd:
    """Twenty minutes: a trickle, the boarding rush in groups with bicycles and trolleys, then stragglers; some turn back.

    The deck is 8 m of picture long, people walk along x; on board is to the right. A group walks abreast and hides its own.
    """
    rng = np.random.default_rng(seed)
    walkers: list[Walker] = []

    def across(t: float, y: float, *, way: int, speed: float, **how: object) -> None:
        ends = ((-0.8, y), (8.8, y + rng.normal(0, 0.15)))
        walkers.append(Walker(t, ends if way > 0 else ends[::-1], speed, **how))  # type: ignore[arg-type]

    t = 8.0
    while t < length_s - 50:
        rush = length_s / 4 < t < 0.7 * length_s
        way = 1 if rng.random() < (0.93 if rush else 0.7) else -1
        size = int(rng.choice([1, 2, 3, 4], p=(0.3, 0.4, 0.2, 0.1) if rush else (0.75, 0.2, 0.05, 0.0)))
        speed = float(rng.normal(1.45 if rush else 1.15, 0.16))
        lanes = float(rng.uniform(1.6, 4.4)) + np.arange(size) * 0.55 - 0.28 * size
        for lane in lanes.tolist():
            pace = max(speed + rng.normal(0, 0.04), 0.6)
            across(t + rng.uniform(0, 0.5), lane, way=way, speed=pace, width_m=0.5, height_m=0.52)
        what = rng.random()
        if what < 0.10:
            across(t + 0.3, float(lanes[-1]) + 0.5, way=way, speed=speed, label="trolley", width_m=0.9, height_m=0.5)
        elif what < 0.18:
            across(
                t + 1.2,
                float(rng.uniform(1.8, 4.2)),
                way=way,
                speed=speed * 1.1,
                label="bicycle",
                width_m=1.7,
                height_m=0.55,
            )
        elif what < 0.25:
            turn = float(rng.uniform(3.0, 5.6))
            walkers.append(
                Walker(t + 2, ((-0.8, 3.0), (turn, 2.6), (-0.8, 3.4)), 1.1, width_m=0.5, height_m=0.52, pauses={1: 2.0})
            )
        t += float(rng.exponential(3.6 if rush else 12.0)) + 0.8
    walkers = measured(walkers, seed + 2)
    people = [w for w in walkers if w.label != "trolley"]  # a rider counts, a trolley does not
    passages = _passages(people, 0, 4.0, length_s)
    tracks = observe(
        walkers,
        overhead,
        length_s=length_s,
        fps=GANGWAY_FPS,
        frame_px=OVERHEAD,
        tracker=Tracker(
            doubts={"trolley": ("bicycle", 0.3), "bicycle": ("trolley", 0.12)}, mistakes=0.06, hidden_share=0.35
        ),
        seed=seed + 1,
    )
    marks = tuple(Mark(max(t - MARK_REACH_S, 0), t + MARK_REACH_S, "expect", "", way) for t, way in passages)
    deck, rail, water, ship = (226, 217, 198), (122, 104, 82), (176, 199, 201), (206, 204, 199)
    planks = [(bar(x, 92, x + 2, 388), (211, 200, 178)) for x in range(16, 640, 32)]
    still = draw(
        OVERHEAD,
        water,
        [
            (bar(0, 92, 640, 388), deck),
            *planks,
            (bar(0, 84, 640, 92), rail),
            (bar(0, 388, 640, 396), rail),
            (bar(604, 0, 640, 480), ship),
            (bar(604, 92, 640, 388), (216, 211, 200)),
            (bar(0, 0, 30, 480), (214, 208, 196)),
            (bar(0, 92, 30, 388), (222, 214, 197)),
        ],
        seed=1,
    )
    return Crowd(tracks, passages, marks, still)


def _passages(walkers: Sequence[Walker], axis: int, at_m: float, length_s: float) -> tuple[tuple[float, str], ...]:
    found = [passage for walker in walkers for passage in walker.passes(axis, at_m)]
    return tuple(sorted((round(t, 2), way) for t, way in found if t < length_s - 1))


# ---- the door of the waiting hall ------------------------------------------------------------------------------------


def hall() -> Crowd:
    """A quarter of an hour at the door: people come in until the ferry calls, and then leave in a body. In is downwards."""
    rng = np.random.default_rng(421)
    walkers: list[Walker] = []
    t = 5.0
    while t < 860:
        leaving = t > 640
        way = -1 if rng.random() < (0.9 if leaving else 0.12) else 1
        x = float(rng.uniform(3.2, 4.8))
        drift = float(rng.normal(0, 0.5))
        path = ((x, -0.7), (x + drift, 6.7))
        child = rng.random() < 0.12
        walkers.append(
            Walker(
                t,
                path if way > 0 else path[::-1],
                float(rng.normal(1.15, 0.15)),
                width_m=0.36 if child else 0.52,
                height_m=0.34 if child else 0.5,
            )
        )
        if rng.random() < 0.07:  # looks in and goes again
            walkers.append(
                Walker(t + 3, ((4.6, -0.7), (4.4, 3.2), (4.8, -0.7)), 1.0, width_m=0.5, height_m=0.5, pauses={1: 1.5})
            )
        t += float(rng.exponential(3.0 if leaving else 7.0)) + 0.7
    walkers = measured(walkers, 423)
    passages = _passages(walkers, 1, 3.0, 900)
    tracks = observe(
        walkers, overhead, length_s=900, fps=HALL_FPS, frame_px=OVERHEAD, tracker=Tracker(hidden_share=0.4), seed=422
    )
    marks = tuple(Mark(max(t - MARK_REACH_S, 0), t + MARK_REACH_S, "expect", "Hall door", way) for t, way in passages)
    floor, wall, mat, out = (229, 222, 207), (120, 112, 103), (197, 178, 150), (205, 207, 203)
    areas = [
        (bar(0, 0, 640, 200), out),
        (bar(0, 196, 232, 226), wall),
        (bar(408, 196, 640, 226), wall),
        (bar(232, 196, 408, 268), mat),
    ]
    tiles = [(bar(0, y, 640, y + 1), (216, 208, 191)) for y in range(260, 480, 44)] + [
        (bar(x, 226, x + 1, 480), (216, 208, 191)) for x in range(40, 640, 44)
    ]
    return Crowd(tracks, passages, marks, draw(OVERHEAD, floor, [*tiles, *areas], seed=2))


# ---- the yard at night -----------------------------------------------------------------------------------------------

YARD_CAMERA = pinhole(6.0, 18.0, 1050.0, YARD)
TANK = ((6.0, 19.0), (11.0, 19.0), (11.0, 25.0), (6.0, 25.0))


def yard() -> Crowd:
    """Half an hour at night: visitors who cross, one who waits at the tank, a fox, a forklift on its rounds, rain on the lens."""
    rng = np.random.default_rng(431)
    camera = YARD_CAMERA
    walkers: list[Walker] = []
    marks: list[Mark] = []
    for t in (95.0, 410.0, 700.0, 1130.0, 1520.0):  # over the gate line and on to the tank: they must raise
        y = float(rng.uniform(15, 17))
        stay = float(rng.uniform(18, 40))
        visitor = Walker(
            t,
            ((-14.0, y), (-3.0, y + 1), (8.5, 22.0), (13.0, 30.0), (24.0, 34.0)),
            float(rng.uniform(1.0, 1.5)),
            pauses={2: stay},
        )
        walkers.append(visitor)
        gate = visitor.passes(0, -5.5)[0][0]
        marks.append(Mark(round(gate - 2, 1), round(gate + 4, 1), "expect", "Gate line", "visitor at the gate"))
        reached = next(leg for leg in visitor.legs() if leg[2] == (8.5, 22.0))
        marks.append(Mark(round(reached[0] - 2, 1), round(reached[1] + 2, 1), "expect", "Tank", "visitor at the tank"))
        marks.append(Mark(round(reached[0] - 3, 1), round(reached[1], 1), "expect", "Gate to tank", "the whole way"))
    for t in (250.0, 905.0, 1380.0):  # in a hurry past the tank, on their own business
        walkers.append(Walker(t, ((22.0, 26.0), (9.0, 22.5), (-1.0, 27.0), (-8.0, 40.0)), float(rng.uniform(1.3, 1.6))))
    for t in (180.0, 560.0, 1260.0, 1650.0):
        turns = tuple(
            (float(x), float(y)) for x, y in zip(np.linspace(-13, 13, 7), rng.uniform(12, 26, 7), strict=True)
        )
        walkers.append(Walker(t, turns, 2.4, label="animal", width_m=0.9, height_m=0.42))
    for t in (330.0, 820.0, 1440.0):
        round_trip = ((-16.0, 24.0), (2.0, 23.0), (8.0, 21.0), (2.0, 26.0), (-16.0, 27.0))
        walkers.append(Walker(t, round_trip, 2.2, label="vehicle", width_m=1.9, height_m=2.2, pauses={2: 25.0}))
    clutter: list[tuple[int, int, Box, str, float]] = []
    for _ in range(60):
        first = int(rng.uniform(6000, 12000))
        size = float(rng.uniform(40, 130))
        box = (float(rng.uniform(0, YARD[0] - size)), float(rng.uniform(260, YARD[1] - size)), size * 0.7, size)
        clutter.append((first, first + int(rng.uniform(4, 25)), box, str(rng.choice(["person", "animal", ""])), 0.36))
    tracks = observe(
        walkers,
        camera,
        length_s=1800,
        fps=YARD_FPS,
        frame_px=YARD,
        tracker=Tracker(doubts={"animal": ("person", 0.2), "vehicle": ("person", 0.04)}, confidence=0.74, shake_px=2.0),
        seed=432,
        clutter=clutter,
    )
    return Crowd(tracks, (), tuple(sorted(marks, key=lambda m: m.start_s)), _yard_still(camera))


def _yard_still(camera: Camera) -> bytes:
    def on_ground(*points: tuple[float, float]) -> list[tuple[float, float]]:
        return [(box[0] + box[2] / 2, box[1] + box[3]) for box in (camera(x, y, 0.01, 0.01) for x, y in points)]

    def block(x0: float, x1: float, y: float, tall_m: float) -> list[tuple[float, float]]:
        a, b = camera(x0, y, 0.01, tall_m), camera(x1, y, 0.01, tall_m)
        return [(a[0], a[1]), (b[0], b[1]), (b[0], b[1] + b[3]), (a[0], a[1] + a[3])]

    horizon = camera(0, 4000, 0.01, 0.01)[1]
    sky, ground, lane, tank, box, light = (
        (44, 54, 62),
        (78, 84, 84),
        (90, 96, 94),
        (104, 106, 101),
        (62, 70, 76),
        (112, 112, 98),
    )
    areas = [
        (bar(0, horizon, YARD[0], YARD[1]), ground),
        (on_ground((-40, 60), (40, 60), (40, 46), (-40, 46)), box),
        (block(-34, -12, 44, 4.2), (58, 64, 70)),
        (block(14, 34, 44, 5.0), (56, 66, 66)),
        (on_ground((-3, 9), (10, 9), (16, 44), (-10, 44)), lane),
        (on_ground(*TANK), tank),
        (block(7.2, 10.0, 25, 3.6), (118, 116, 106)),
        (on_ground((-6.2, 10), (-5.2, 10), (-5.2, 30), (-6.2, 30)), light),
    ]
    return draw(YARD, sky, areas, seed=3)


def evening() -> Crowd:
    """Ten minutes of another sailing."""
    return gangway(seed=511, length_s=600)


CROWDS: dict[str, Callable[[], Crowd]] = {"C1": gangway, "C2": hall, "V2": yard, "V3": quayside}  # by the device's code
RECORDED: dict[str, Callable[[], Crowd]] = {**CROWDS, "C1 evening": evening}
