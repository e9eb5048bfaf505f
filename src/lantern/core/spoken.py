"""Sounds that speakers say: how loud they are, how long, whether they clip; a tone; laid out for a speaker."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lantern.core.faults import Fault, Refused
from lantern.core.signals import Floats

SHORTEST_BLOCK_S = 0.4  # Rec. ITU-R BS.1770-5, 5.1: the gating block
METER_HZ = 48_000  # for which the standard gives its filters
FULL_SCALE = 0.9999  # a sample this large, three in a row, was cut there
CUT_RUN = 3
LONGEST_S, LEAST_HZ, MOST_HZ = 600.0, 50.0, 16_000.0
FADE_S = 0.005  # at both ends of a tone: without, it clicks
SILENT_DB = -120.0
FULL_SCALE_LUFS = -3.01  # a full-scale sine in one channel, ITU-R BS.1770: what a speaker's rated level is said for
QUIET_DB = 20.0  # speech that is laid out for broadcast, -23 LUFS, is as far beneath it


@dataclass(frozen=True)
class Sound:
    """`samples` (n, channels), full scale 1."""

    samples: Floats
    rate_hz: int

    @property
    def length_s(self) -> float:
        return len(self.samples) / self.rate_hz


@dataclass(frozen=True)
class Measured:
    """`loudness_lufs`: integrated, by ITU-R BS.1770; None: too short or too quiet to be told. `clipped`: stretches that were cut at full scale."""

    length_s: float
    loudness_lufs: float | None
    peak_dbfs: float
    clipped: int

    def below_db(self, gain_db: float = 0.0) -> float | None:
        """Return how far beneath a speaker's rated level it is heard; None: nobody can say."""
        return None if self.loudness_lufs is None else FULL_SCALE_LUFS - self.loudness_lufs - gain_db

    def room_db(self, gain_db: float = 0.0) -> float:
        """Return how much louder it may be before it is cut off."""
        return max(-self.peak_dbfs - gain_db, 0.0)

    def is_quiet(self, gain_db: float = 0.0) -> bool:
        below_db = self.below_db(gain_db)
        return below_db is not None and below_db > QUIET_DB


def measured(sound: Sound) -> Measured:
    """Return what is to be known of a sound before it is played."""
    peak = float(np.abs(sound.samples).max(initial=0.0))
    peak_dbfs = 20 * np.log10(peak) if peak > 0 else SILENT_DB
    return Measured(round(sound.length_s, 3), _loudness(sound), round(float(peak_dbfs), 2), _clipped(sound.samples))


def _loudness(sound: Sound) -> float | None:
    if sound.length_s < SHORTEST_BLOCK_S:
        return None
    import pyloudnorm  # takes seconds to load
    import soxr

    samples = sound.samples
    if sound.rate_hz != METER_HZ:
        samples = soxr.resample(samples, sound.rate_hz, METER_HZ)
    value = float(pyloudnorm.Meter(METER_HZ).integrated_loudness(samples[:, :5]))
    return round(value, 2) if np.isfinite(value) else None


def _clipped(samples: Floats) -> int:
    """Return how many stretches of three samples or more lie at full scale, of all channels."""
    out = 0
    for channel in samples.T:
        cut = np.concatenate(([0], (np.abs(channel) >= FULL_SCALE).astype(np.int8), [0]))
        begins, ends = np.flatnonzero(np.diff(cut) == 1), np.flatnonzero(np.diff(cut) == -1)
        out += int(np.count_nonzero(ends - begins >= CUT_RUN))
    return out


def tone(hertz: float, length_s: float, *, level_dbfs: float = -6.0, rate_hz: int = 16_000) -> Sound:
    """Return a tone. Raises `Refused` for one that a speaker cannot play."""
    faults = []
    if not LEAST_HZ <= hertz <= min(MOST_HZ, rate_hz / 2 * 0.9):
        faults.append(Fault("tone: hertz", f"{hertz:g}", f"{LEAST_HZ:g} to {min(MOST_HZ, rate_hz / 2 * 0.9):g}"))
    if not 2 * FADE_S < length_s <= LONGEST_S:
        faults.append(Fault("tone: length_s", f"{length_s:g}", f"more than {2 * FADE_S:g}, {LONGEST_S:g} at most"))
    if level_dbfs > 0:
        faults.append(Fault("tone: level_dbfs", f"{level_dbfs:g}", "0 at most: full scale"))
    if faults:
        raise Refused(faults)
    t = np.arange(round(length_s * rate_hz)) / rate_hz
    samples = 10 ** (level_dbfs / 20) * np.sin(2 * np.pi * hertz * t)
    fade = np.minimum(1.0, np.minimum(t, t[-1] - t) / FADE_S)
    return Sound((samples * fade)[:, None], rate_hz)


def laid_out(sound: Sound, *, rate_hz: int, repeats: int = 1, gain_db: float = 0.0) -> Sound:
    """Return it as one channel at a rate, so often and so much louder; what goes beyond full scale is for whoever measures it."""
    import soxr

    mono = sound.samples.mean(axis=1)
    if sound.rate_hz != rate_hz:
        mono = soxr.resample(mono, sound.rate_hz, rate_hz)
    return Sound(np.tile(mono * 10 ** (gain_db / 20), repeats)[:, None], rate_hz)
