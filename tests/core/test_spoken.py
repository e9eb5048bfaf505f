"""Sounds of messages against what standards say of known signals; a tone, and what a speaker is given."""

from __future__ import annotations

import numpy as np
import pytest

from lantern.core.faults import Refused
from lantern.core.spoken import Sound, laid_out, measured, tone


def sine(level_dbfs: float, *, hertz: float = 997.0, length_s: float = 5.0, channels: int = 1, rate_hz: int = 48_000):
    t = np.arange(round(length_s * rate_hz)) / rate_hz
    one = 10 ** (level_dbfs / 20) * np.sin(2 * np.pi * hertz * t)
    return Sound(np.repeat(one[:, None], channels, axis=1), rate_hz)


def test_a_full_scale_sine_in_one_channel_is_three_decibels_below() -> None:
    """Rec. ITU-R BS.1770-5, annex 1, from memory: 0 dBFS at 997 Hz in one front channel reads -3.01 LKFS."""
    assert measured(sine(0.0)).loudness_lufs == pytest.approx(-3.01, abs=0.05)


@pytest.mark.parametrize("level", [-23.0, -33.0])
def test_the_first_two_signals_of_the_broadcasters_test_set(level: float) -> None:
    """EBU Tech 3341, table 1, cases 1 and 2, from memory: a stereo sine of 1 kHz reads as many LUFS as its peak in dBFS, within 0.1."""
    assert measured(sine(level, hertz=1000.0, length_s=20.0, channels=2)).loudness_lufs == pytest.approx(level, abs=0.1)


def test_silence_around_it_does_not_make_it_quieter() -> None:
    """The gate of BS.1770 leaves out what is more than 10 LU below: pauses between words do not count."""
    loud = sine(-20.0, length_s=4.0)
    padded = Sound(np.concatenate([loud.samples, np.zeros((8 * 48_000, 1))]), 48_000)
    plain, gated = measured(loud).loudness_lufs, measured(padded).loudness_lufs
    assert plain is not None and gated == pytest.approx(plain, abs=0.5)


def test_peak_length_and_what_is_too_short_or_silent_to_be_told() -> None:
    found = measured(sine(-6.0, length_s=0.3))
    assert (found.length_s, found.loudness_lufs, found.clipped) == (0.3, None, 0)
    assert found.peak_dbfs == pytest.approx(-6.0, abs=0.02)
    assert measured(Sound(np.zeros((48_000, 1)), 48_000)).loudness_lufs is None


def test_what_was_cut_at_full_scale_is_counted_by_stretches() -> None:
    """A sine of 10 Hz, 6 dB too loud, for one second: its top and its bottom are cut off in each of ten turns."""
    cut = Sound(np.clip(sine(6.0, hertz=10.0, length_s=1.0).samples, -1, 1), 48_000)
    assert measured(cut).clipped == 20
    assert measured(sine(0.0, hertz=997.0)).clipped == 0


def test_a_tone_is_where_it_was_asked_for_and_does_not_click() -> None:
    made = tone(880.0, 1.0, level_dbfs=-6.0)
    spectrum = np.abs(np.fft.rfft(made.samples[:, 0]))
    assert np.argmax(spectrum) * made.rate_hz / len(made.samples) == pytest.approx(880.0, abs=1.0)
    assert measured(made).peak_dbfs == pytest.approx(-6.0, abs=0.1)
    assert abs(made.samples[0, 0]) < 1e-3 > abs(made.samples[-1, 0])


@pytest.mark.parametrize(
    ("hertz", "length_s", "level", "where"),
    [(20.0, 1.0, -6.0, "hertz"), (7900.0, 1.0, -6.0, "hertz"), (880.0, 0.0, -6.0, "length_s"), (880.0, 1.0, 1.0, "level")],
)  # fmt: skip
def test_what_no_speaker_plays_is_refused(hertz: float, length_s: float, level: float, where: str) -> None:
    with pytest.raises(Refused, match=where):
        tone(hertz, length_s, level_dbfs=level)


def test_a_speaker_is_given_one_channel_at_its_rate_so_often_and_so_loud() -> None:
    given = laid_out(sine(-12.0, length_s=1.0, channels=2), rate_hz=16_000, repeats=3, gain_db=6.0)
    assert given.samples.shape == (48_000, 1)
    middle = Sound(given.samples[4000:12_000], 16_000)
    assert measured(middle).peak_dbfs == pytest.approx(-6.0, abs=0.1)
    assert given.length_s == pytest.approx(3.0)


@pytest.mark.parametrize("rate_hz", [8_000, 16_000, 44_100, 96_000])
def test_how_loud_it_is_does_not_depend_on_its_rate(rate_hz: int) -> None:
    """The standard gives its filters for 48 kHz alone."""
    assert measured(sine(-6.0, rate_hz=rate_hz)).loudness_lufs == pytest.approx(-9.01, abs=0.08)
