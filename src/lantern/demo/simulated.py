"""The takes of the demo site, simulated by the stand-ins' scenes: with their marks, and what people counted on them."""

from __future__ import annotations

import signal
from collections import deque
from collections.abc import Iterator, Sequence
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from multiprocessing import get_context
from os import getpid
from typing import Any

import numpy as np

from lantern.core.scoring.marks import Mark
from lantern.core.signals import Frames, Pixels
from lantern.demo.skerrow import CROWDS, FACES, OBSERVERS, PLATES, QUAY, SLIPWAY, TAKES
from lantern.formats.sidecar import TakeInfo
from lantern.processes import ends_with_parent
from lantern.signals.takes import Still, Take
from lantern.standins import places, quay, slipway, visitors, weighbridge
from lantern.standins.crowd import Crowd
from lantern.standins.scene import OFFSET_C, SCALE, Scene
from lantern.standins.scenes import RECORDED

PROCESSES = 2
FRAMES_A_TASK = 64
TASKS_AHEAD = 4  # more would fill the memory where storing is slower than simulating
MISSED_EVERY, MISSED_AT = 47, 30  # the hasty observer's passages


@dataclass(frozen=True)
class Simulated:
    """A take as a device would have recorded it, and what somebody who watched it wrote down."""

    take: Take
    marks: Sequence[Mark]
    tallies: Sequence[tuple[str, list[list[Any]]]] = ()


def simulated(share: float) -> Iterator[Simulated]:
    """Return all of them, with so much of each thermal take; to be stored one by one, as they come."""
    with _pool() as pool:
        crowds = [pool.submit(_crowd, code) for code in CROWDS]
        for code in TAKES:
            yield _thermal(code, share, pool)
        for code, crowd in zip(CROWDS, crowds, strict=True):
            yield _people(code, crowd.result())
        for name in PLATES:
            yield _plates(name)
        for number in FACES:
            yield _faces(number)
        yield _quay()
        yield _slipway()


def counted() -> int:
    """Return how many there are."""
    return len(TAKES) + len(CROWDS) + len(PLATES) + len(FACES) + 2


@contextmanager
def _pool() -> Iterator[Executor]:
    parent = getpid()
    with ProcessPoolExecutor(PROCESSES, get_context("fork"), _plain_signals, (parent,)) as pool:
        try:
            yield pool
        finally:
            pool.shutdown(wait=False, cancel_futures=True)


def _plain_signals(parent: int) -> None:
    """The processes must not answer as the one they were forked from does, whose handlers they inherit; they end with it."""
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, signal.SIG_DFL)
    ends_with_parent(parent)


def _info(code: str, name: str, start: str, **more: Any) -> TakeInfo:
    return TakeInfo(format="lantern-take/1", device=code, name=name, start=datetime.fromisoformat(start), **more)


# ---- thermal ---------------------------------------------------------------------------------------------------------


def _thermal(code: str, share: float, pool: Executor) -> Simulated:
    scene = _scene(code)
    count = int(len(scene) * share)
    t_s = np.round(np.arange(count) / scene.fps, 9)
    recorded = {name: getattr(scene.recorded, name) for name in scene.recorded.__dataclass_fields__}
    frames = Frames(
        t_s=t_s,
        width=scene.width,
        height=scene.height,
        scale=SCALE,
        offset_c=OFFSET_C,
        blocks=lambda: _blocks(code, count, pool),
        recorded=scene.recorded,
        dtype="uint16",
    )
    marks = [mark for mark in scene.marks() if mark.end_s <= float(t_s[-1]) + 1]
    return Simulated(Take(_info(*TAKES[code], kind="heat", fps=scene.fps, **recorded), value=frames), marks)


def _blocks(code: str, count: int, pool: Executor) -> Iterator[Pixels]:
    under_way: deque[Future[Pixels]] = deque()
    for first in range(0, count, FRAMES_A_TASK):
        under_way.append(pool.submit(_simulate, code, first, min(first + FRAMES_A_TASK, count)))
        if len(under_way) > TASKS_AHEAD:
            yield under_way.popleft().result()
    while under_way:
        yield under_way.popleft().result()


def _simulate(code: str, first: int, stop: int) -> Pixels:
    scene = _scene(code)
    return np.stack([scene.frame(i) for i in range(first, stop)])


@lru_cache
def _scene(code: str) -> Scene:
    return RECORDED[code]()


# ---- people ----------------------------------------------------------------------------------------------------------


def _crowd(code: str) -> Crowd:
    return places.RECORDED[code]()


def _people(code: str, crowd: Crowd) -> Simulated:
    width, height = crowd.tracks.frame_px or (None, None)
    info = _info(*CROWDS[code], kind="tracks", fps=crowd.tracks.fps, width=width, height=height)
    take = Take(info, value=crowd.tracks, still=Still(crowd.still, "image/png") if crowd.still else None)
    if not crowd.passages:
        return Simulated(take, crowd.marks)
    careful = [list(passage) for passage in crowd.passages]
    hasty = [passage for i, passage in enumerate(careful) if i % MISSED_EVERY != MISSED_AT]
    return Simulated(take, crowd.marks, list(zip(OBSERVERS, (careful, hasty), strict=True)))


# ---- plates ----------------------------------------------------------------------------------------------------------


def _plates(name: str) -> Simulated:
    reads, marks = {"morning": weighbridge.morning, "night": weighbridge.night}[name]()
    width, height = weighbridge.FRAME
    info = _info(*PLATES[name], kind="plates", width=width, height=height)
    return Simulated(Take(info, value=reads), marks)


# ---- faces -----------------------------------------------------------------------------------------------------------

MEMBERS = {"Crew at the door": visitors.CREW_NAMES, "Barred people": visitors.BARRED_NAMES}  # by detector


def _faces(number: int) -> Simulated:
    day = visitors.day(number)
    marks = [mark for detector, names in MEMBERS.items() for mark in day.marks(names, detector)]
    return Simulated(Take(_info(*FACES[number], kind="faces"), value=day.looks), marks)


# ---- radar -----------------------------------------------------------------------------------------------------------


def _quay() -> Simulated:
    seen = quay.half_an_hour()
    return Simulated(Take(_info(*QUAY, kind="radar"), value=seen.returns), seen.marks("Boat to the quay"))


def _slipway() -> Simulated:
    seen = slipway.ten_minutes()
    info = _info(*SLIPWAY, kind="radar", detections=True, noise_cells=slipway.NOISE_CELLS)
    return Simulated(Take(info, value=seen.returns), seen.marks("Up the slipway"))
