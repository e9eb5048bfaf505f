"""Reducing a day of frames to six regions, against one numpy pass over the same bytes."""

from __future__ import annotations

import resource
import time
from collections.abc import Iterator

import numpy as np

from bench.figures import Figure, sized
from lantern.core.readings.heat.dials import HeatDials
from lantern.core.readings.heat.reading import readings
from lantern.core.readings.region import ReadingRegion as Region
from lantern.core.signals import Frames

HOURS, WIDTH, HEIGHT, BLOCK = sized(24, 1), 160, 120, 512
HELD = sized(8, 1) * BLOCK  # frames held and given over and over: 157 MB, more than any cache keeps; a day is 3.3 GB
REGIONS = (
    Region(name="polygon", shape="polygon", points=((20, 20), (70, 12), (90, 50), (60, 80), (18, 60))),
    Region(name="left box", shape="box", points=((4, 70), (44, 110))),
    Region(name="right box", shape="box", points=((110, 20), (150, 50))),
    Region(name="triangle", shape="polygon", points=((100, 60), (150, 70), (120, 110))),
    Region(name="strip", shape="box", points=((0, 0), (160, 8))),
    Region(name="spot", shape="spot", points=((80, 60),)),
)


def run() -> Iterator[Figure]:
    count = HOURS * 3600
    rng = np.random.default_rng(1)
    held = rng.integers(28_000, 34_000, (HELD, HEIGHT, WIDTH), dtype=np.uint16)

    def blocks() -> Iterator[np.ndarray]:
        for at in range(0, count, BLOCK):
            yield held[at % HELD : at % HELD + BLOCK][: count - at]

    frames = Frames(np.arange(float(count)), WIDTH, HEIGHT, 0.01, -273.15, blocks)
    passes, reductions = [], []
    for _ in range(3):  # in turns, so that a slow moment of the machine hits both
        began = time.perf_counter()
        for each in blocks():
            each.max(axis=(1, 2))
        middle = time.perf_counter()
        readings(frames, REGIONS, HeatDials())
        passes.append(middle - began)
        reductions.append(time.perf_counter() - middle)
    reference, ours = min(passes), min(reductions)
    yield Figure("one numpy pass over 24 h at 1 frame/s, 160 x 120 uint16", reference, "s")
    yield Figure("six regions reduced", ours, "s")
    yield Figure("ratio to that pass (greatest of each frame, the quickest there is)", ours / reference, "x", 2.0)
    began = time.perf_counter()
    for each in blocks():
        each.mean(axis=(1, 2))
    yield Figure("ratio to a pass that takes the mean of each frame", ours / (time.perf_counter() - began), "x")
    yield Figure("resident at most", resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024, "MiB", 400.0)
