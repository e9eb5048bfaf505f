"""The simulated world of the thermal stand-ins: seeded, repeatable frame by frame, with what a real camera adds.

Each frame is worked out from its index alone, so that a take can be made in parts and a camera can start anywhere. What
is in it: surfaces of different emissivity seen through one camera setting, sensor noise, fixed pattern, slow drift of
the whole picture, sun creeping over a wall, a loader whose hot exhaust passes, a heap that begins to smoulder; a busbar
joint that warms with the load, bare copper that mirrors who walks by.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from lantern.core.readings.heat.radiation import Seen, apparent_c, object_c
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Frames, RecordedAs

SCALE = 0.04  # K a count, as 14-bit sensors have it
OFFSET_C = -273.15
BLOCK = 32

Picture = NDArray[np.float64]


class Scene(ABC):
    """One camera's view over one take."""

    width: int
    height: int
    fps: float
    seconds: float
    seed: int
    noise_k = 0.06
    recorded: RecordedAs

    def __init__(self) -> None:
        rng = np.random.default_rng(self.seed)
        self.rows, self.columns = np.mgrid[0 : self.height, 0 : self.width].astype(np.float32)
        static = self.surfaces(rng)
        pattern = rng.normal(0, 0.05, static.shape) + rng.normal(0, 0.03, (1, self.width))
        self.static = (static + pattern).astype(np.float32)
        steps = rng.normal(0, 0.02, len(self) // 8 + 2)
        self.drift = np.interp(
            np.arange(len(self)), np.arange(steps.size) * 8.0, np.cumsum(steps) - 0.002 * np.arange(steps.size)
        )

    def __len__(self) -> int:
        return round(self.seconds * self.fps)

    @abstractmethod
    def surfaces(self, rng: np.random.Generator) -> Picture:
        """Return what stands still, as the camera reads it, in °C."""

    @abstractmethod
    def paint(self, picture: Any, t: float) -> None:
        """Add what moves or changes at time t, in place."""

    @abstractmethod
    def marks(self) -> list[Mark]: ...

    def frame(self, index: int) -> NDArray[np.uint16]:
        """One raw frame."""
        rng = np.random.default_rng((self.seed, index))
        picture = rng.standard_normal(self.static.shape, dtype=np.float32)
        picture *= np.float32(self.noise_k)
        picture += self.static
        self.paint(picture, index / self.fps)
        picture += np.float32(self.drift[index])
        picture -= np.float32(OFFSET_C)
        picture *= np.float32(1 / SCALE)
        picture += np.float32(0.5)
        return picture.astype(np.uint16)

    def frames(self, first: int = 0, stop: int | None = None) -> Frames:
        stop = len(self) if stop is None else stop

        def blocks() -> Iterator[NDArray[np.uint16]]:
            for at in range(first, stop, BLOCK):
                yield np.stack([self.frame(i) for i in range(at, min(at + BLOCK, stop))])

        t_s = np.round(np.arange(stop - first) / self.fps, 9)
        return Frames(t_s, self.width, self.height, SCALE, OFFSET_C, blocks, self.recorded)

    def as_read(self, true_c: Any, emissivity: Any) -> Any:
        """Return what the camera reads of a surface whose emissivity is not the one it was set to."""
        assert self.recorded.emissivity_set is not None
        assert self.recorded.reflected_c is not None
        set_to = Seen(self.recorded.emissivity_set, self.recorded.reflected_c)
        return object_c(apparent_c(true_c, Seen(emissivity, self.recorded.reflected_c)), set_to)

    def spot(self, picture: Any, x: float, y: float, radius: float, kelvin: float) -> None:
        """A round warm spot with soft edges, painted only where it reaches."""
        reach = int(radius * 3.5) + 1
        top, bottom = max(int(y) - reach, 0), min(int(y) + reach + 1, self.height)
        left, right = max(int(x) - reach, 0), min(int(x) + reach + 1, self.width)
        if top >= bottom or left >= right:
            return
        dy, dx = self.rows[top:bottom, left:right] - y, self.columns[top:bottom, left:right] - x
        picture[top:bottom, left:right] += kelvin * np.exp(-(dx * dx + dy * dy) / (2 * radius * radius))

    def texture(self, rng: np.random.Generator, size: float, kelvin: float) -> Picture:
        rough = gaussian_filter(rng.normal(0, 1, (self.height, self.width)), size)
        return np.asarray(rough / rough.std() * kelvin)


def swell(t: float, start: float, grow_s: float, hold_s: float, fall_s: float) -> float:
    """0 to 1 and back: slow growth, a plateau, a fall when someone rakes it apart."""
    if t < start:
        return 0.0
    if t < start + grow_s:
        return float(((t - start) / grow_s) ** 1.6)
    if t < start + grow_s + hold_s:
        return 1.0
    return max(0.0, 1 - (t - start - grow_s - hold_s) / fall_s)


class PelletStore(Scene):
    """T1: the heap under the roof, the wall behind it, the loader that comes and goes."""

    width, height, fps, seconds, seed = 320, 240, 4.0, 1200.0, 20260304
    recorded = RecordedAs(emissivity_set=0.94, reflected_c=14.0, distance_m=18.0, humidity_percent=70.0, air_c=13.0)

    # start, growth, plateau, fall in s; place; greatest rise in K
    smoulders: tuple[tuple[float, float, float, float, int, int, float], ...] = (
        (496.0, 62.0, 34.0, 16.0, 176, 138, 39.0),
        (974.0, 44.0, 22.0, 12.0, 132, 148, 36.0),
        (1104.0, 40.0, 38.0, 14.0, 196, 126, 41.0),
    )
    # when the loader's exhaust enters, how long it takes to pass, its height in the picture, its true temperature
    passes: tuple[tuple[float, float, int, float], ...] = (
        (96.0, 9.0, 132, 92.0),
        (209.0, 7.0, 128, 78.0),
        (322.0, 10.0, 140, 101.0),
        (455.0, 8.0, 134, 83.0),
        (611.0, 9.5, 130, 95.0),
        (760.0, 7.5, 138, 76.0),
        (907.0, 8.5, 133, 90.0),
        (1042.0, 7.0, 131, 74.0),
    )

    def surfaces(self, rng: np.random.Generator) -> Picture:
        y, x = self.rows, self.columns
        wall = self.as_read(15.5 + (120 - y) * 0.012, 0.92)
        floor = self.as_read(13.0 + (y - 170) * 0.01, 0.95)
        scene = np.where(y < 152, wall, floor)
        scene = np.where(
            (y > 70) & (y < 80) & (x > 20) & (x < 300), self.as_read(17.0 + 0 * y, 0.35), scene
        )  # steel beam
        scene = np.where((x > 262) & (x < 300) & (y > 96) & (y < 152), self.as_read(11.5 + 0 * y, 0.9), scene)  # door
        for post in (48, 120, 192, 264):  # shadows of the roof's posts on the floor
            scene = np.where((abs(x - post) < 7) & (y > 168), scene - 0.7, scene)
        heap = 1 - ((x - 160) / 118) ** 2 - ((y - 152) / 46) ** 2
        warm = 22.0 + 4.5 * np.clip(heap, 0, 1) + self.texture(rng, 3.0, 0.5) + self.texture(rng, 14.0, 0.8)
        edge = np.clip(heap / 0.05, 0, 1)
        scene = scene * (1 - edge) + self.as_read(warm, 0.94) * edge
        self.sun_on = np.exp(-(((x - 70) / 46) ** 2) - ((y - 40) / 24) ** 2).astype(np.float32)
        return np.asarray(scene + self.texture(rng, 6.0, 0.12))

    def paint(self, picture: Any, t: float) -> None:
        picture += np.float32(2.0 + 7.0 * t / self.seconds) * self.sun_on
        for start, grow, hold, fall, x, y, kelvin in self.smoulders:
            level = swell(t, start, grow, hold, fall)
            if level > 0:
                flicker = 1 + 0.012 * np.sin(1.7 * t) + 0.008 * np.sin(0.31 * t + x)
                self.spot(picture, x, y, 6.5 + 3.5 * level, kelvin * level * flicker)
                self.spot(picture, x - 9, y + 7, 15.0, 6.0 * level)
        for start, length, y, exhaust_c in self.passes:
            share = (t - start) / length
            if 0 <= share <= 1:
                self.loader(picture, -20 + 360 * share, y, t, exhaust_c)

    def loader(self, picture: Any, x: float, y: float, t: float, exhaust_c: float) -> None:
        left, right = int(max(x - 26, 0)), int(min(x + 30, self.width))
        if left < right:  # the cab and the engine cover, in front of the heap
            picture[y + 6 : y + 52, left:right] = 21.0 + 2.0 * np.sin(0.2 * self.columns[y + 6 : y + 52, left:right])
            self.spot(picture, x - 10, y + 24, 9.0, 9.0)
        read = float(self.as_read(np.array([exhaust_c + 4 * np.sin(2.3 * t)]), 0.8)[0])
        self.spot(picture, x, y, 3.2, read - 20.0)

    def marks(self) -> list[Mark]:
        expected = [
            Mark(start + 0.45 * grow, start + grow + hold, "expect", note="smoulder")
            for start, grow, hold, *_ in self.smoulders
        ]
        quiet = [Mark(start, start + length, "quiet", note="loader passes") for start, length, *_ in self.passes]
        return sorted(expected + quiet, key=lambda mark: mark.start_s)


class LateShift(PelletStore):
    """T1 again, at night: shorter, a loader that dawdles, and the camera's own shutter once."""

    seconds, seed = 480.0, 20260311
    smoulders = ((150.0, 46.0, 30.0, 14.0, 150, 140, 37.0), (380.0, 40.0, 30.0, 14.0, 188, 132, 40.0))
    passes = ((48.0, 8.0, 133, 88.0), (262.0, 14.0, 131, 84.0), (330.0, 7.0, 137, 96.0))
    shutter_s = 100.0

    def paint(self, picture: Any, t: float) -> None:
        super().paint(picture, t)
        if self.shutter_s <= t < self.shutter_s + 0.75:
            picture[:] = 18.5  # it looks at its own paddle
        elif t >= self.shutter_s:
            picture -= np.float32(0.9)


class Kiosk(Scene):
    """T2: three busbars behind an open panel; the joint of the middle one warms with the load."""

    width, height, fps, seconds, seed = 160, 120, 1.0, 3600.0, 20260305
    recorded = RecordedAs(emissivity_set=0.95, reflected_c=22.0, distance_m=1.2, humidity_percent=55.0, air_c=21.0)
    noise_k = 0.05

    loads = (
        (0, 0.25),
        (420, 0.8),
        (1150, 0.35),
        (1700, 1.0),
        (2500, 0.5),
        (2900, 0.2),
        (3250, 0.9),
    )  # share of the rated current
    walkers = (300.0, 1380.0, 2210.0, 2740.0)  # someone passes and is mirrored in the bare copper
    joints = ((44, 9.0), (80, 46.0), (116, 11.0))  # column, rise in K at the rated current

    def __init__(self) -> None:
        shares = np.zeros(int(self.seconds))
        for start, share in self.loads:
            shares[start:] = share
        self.rise = np.zeros(shares.size)  # of a joint with 1 K at the rated current: first order, time constant 150 s
        for i in range(1, shares.size):
            self.rise[i] = self.rise[i - 1] + (shares[i] ** 2 - self.rise[i - 1]) / 150.0
        super().__init__()

    def surfaces(self, rng: np.random.Generator) -> Picture:
        y, x = self.rows, self.columns
        scene = self.as_read(22.5 + y * 0.01, 0.93) + self.texture(rng, 5.0, 0.15)
        for column, _ in self.joints:
            bar = (abs(x - column) < 7) & (y > 12)
            scene = np.where(bar, self.as_read(31.0 + 0 * y, 0.12), scene)  # bare copper reads near what it mirrors
            tape = (abs(x - column) < 6) & (abs(y - 58) < 9)
            scene = np.where(tape, self.as_read(27.0 + 0 * y, 0.95), scene)  # tape on the joint can be measured
        scene = np.where(y < 10, self.as_read(24.0 + 0 * y, 0.9), scene)
        scene = np.where((y > 96) & (y < 108), self.as_read(25.5 + 0 * y, 0.85), scene)
        return np.asarray(scene)

    def paint(self, picture: Any, t: float) -> None:
        level = self.rise[min(int(t), self.rise.size - 1)]
        for column, kelvin in self.joints:
            self.spot(picture, column, 58, 8.0, kelvin * level)
            self.spot(picture, column, 70, 18.0, 0.14 * kelvin * level)
        for start in self.walkers:
            if start <= t <= start + 14:
                for column, _ in self.joints:
                    height = 20 + 5.5 * (t - start)
                    self.spot(picture, column, height, 7.0, 9.5)

    def marks(self) -> list[Mark]:
        return [
            Mark(560, 1200, "expect", note="joint beyond 45 °C at 80 % load"),
            Mark(1765, 2640, "expect", note="joint beyond 45 °C at full load"),
            Mark(3330, 3599, "expect", note="load returns"),
            *(Mark(start, start + 14, "quiet", note="someone is mirrored in the copper") for start in self.walkers),
        ]
