"""Sounds as files: what soundfile wrote comes back; G.711 as good as the standard promises; what is no sound is refused."""

from __future__ import annotations

import io

import numpy as np
import pytest
import soundfile

from lantern.core.faults import Refused
from lantern.core.spoken import Sound, tone
from lantern.formats.sounds import read_sound, write_wav


def written(samples, rate_hz: int, form: str, subtype: str | None = None) -> bytes:
    out = io.BytesIO()
    soundfile.write(out, samples, rate_hz, format=form, subtype=subtype)
    return out.getvalue()


@pytest.mark.parametrize(
    ("form", "subtype", "close"),
    [("WAV", "PCM_16", 1e-4), ("WAV", "FLOAT", 1e-6), ("FLAC", "PCM_24", 1e-6), ("OGG", "VORBIS", 0.05)],
)
def test_what_comes_in(form: str, subtype: str, close: float) -> None:
    samples = np.repeat(tone(440.0, 1.0).samples, 2, axis=1)
    found = read_sound(written(samples, 16_000, form, subtype), where="a file")
    assert (found.rate_hz, found.samples.shape) == (16_000, samples.shape)
    assert np.abs(found.samples - samples).max() < close


@pytest.mark.parametrize(("coding", "tag"), [("pcm16", 1), ("a-law", 6), ("mu-law", 7)])
def test_what_goes_out(coding, tag: int) -> None:
    """Format tags as in the registry of RFC 2361; G.711 keeps a loud tone some 38 dB above its noise (common practice, no source)."""
    made = tone(440.0, 1.0, rate_hz=8_000)
    data = write_wav(made, coding)
    assert data[:4] == b"RIFF" and data[8:12] == b"WAVE"
    at = data.index(b"fmt ") + 8
    assert int.from_bytes(data[at : at + 2], "little") == tag
    back = read_sound(data, where="it").samples
    noise = np.sqrt(np.mean((back - made.samples) ** 2))
    assert 20 * np.log10(np.sqrt(np.mean(made.samples**2)) / noise) > 34


def test_what_is_beyond_full_scale_is_cut_as_a_speaker_would() -> None:
    back = read_sound(write_wav(Sound(np.array([[1.7], [-3.0], [0.2]] * 4000), 8_000)), where="it").samples
    assert (back.min(), back.max()) == (pytest.approx(-1.0, abs=1e-4), pytest.approx(1.0, abs=1e-4))


@pytest.mark.parametrize(
    ("data", "word"),
    [
        (b"", "cannot be read"),
        (b"RIFF\x10\x00\x00\x00WAVEnothing", "cannot be read"),
        (written(np.zeros((4000, 1)), 4_000, "WAV"), "4000 samples a second"),
        (written(np.zeros((0, 1)), 16_000, "WAV"), "lasts 0 s"),
        (written(np.zeros((16_000, 1)), 16_000, "AIFF"), "is AIFF"),
        (written(np.zeros((8_000 * 601, 1)), 8_000, "WAV", "PCM_U8"), "lasts 601 s"),
        (written(np.array([[np.nan]] * 9000), 16_000, "WAV", "FLOAT"), "no numbers"),
    ],
)
def test_what_is_no_sound_is_refused(data: bytes, word: str) -> None:
    with pytest.raises(Refused, match=word):
        read_sound(data, where="a file")
