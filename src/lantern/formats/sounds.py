"""Sounds as files: WAV, FLAC and OGG in; WAV out, as PCM of 16 bits or as G.711."""

from __future__ import annotations

import io
from typing import Literal

import numpy as np

from lantern.core.faults import Fault, Refused
from lantern.core.spoken import LONGEST_S, Sound
from lantern.formats.limits import MIB

Coding = Literal["pcm16", "mu-law", "a-law"]
SUBTYPES: dict[str, str] = {"pcm16": "PCM_16", "mu-law": "ULAW", "a-law": "ALAW"}  # the two last: ITU-T G.711
READ = ("WAV", "FLAC", "OGG")
MOST_BYTES = 50 * MIB
RATES_HZ = (8_000, 192_000)
MOST_CHANNELS = 8


def read_sound(data: bytes, *, where: str) -> Sound:
    """Return what a file holds. Raises `Refused` for what is no such file, too long, or not whole."""
    import soundfile

    if len(data) > MOST_BYTES:
        raise Refused([Fault(where, f"{len(data) / MIB:.0f} MB", f"{MOST_BYTES // MIB} MB at most")])
    expected = f"a sound that is whole: {', '.join(READ)}"
    try:
        with soundfile.SoundFile(io.BytesIO(data)) as held:
            _check(held.format, held.samplerate, held.channels, held.frames / held.samplerate, where)
            samples = held.read(dtype="float64", always_2d=True)
            if len(samples) != held.frames:
                raise Refused([Fault(where, f"ends after {len(samples)} of {held.frames} samples", expected)])
    except (soundfile.SoundFileError, OSError, ValueError) as error:
        raise Refused([Fault(where, f"cannot be read: {str(error)[:120]}", expected)]) from error
    if not np.isfinite(samples).all():
        raise Refused([Fault(where, "holds samples that are no numbers", expected)])
    return Sound(samples, held.samplerate)


def _check(form: str, rate_hz: int, channels: int, length_s: float, where: str) -> None:
    if form not in READ and form != "WAVEX":
        raise Refused([Fault(where, f"is {form}", f"one of {', '.join(READ)}")])
    if not RATES_HZ[0] <= rate_hz <= RATES_HZ[1]:
        raise Refused([Fault(where, f"{rate_hz} samples a second", f"{RATES_HZ[0]} to {RATES_HZ[1]}")])
    if channels > MOST_CHANNELS:
        raise Refused([Fault(where, f"{channels} channels", f"{MOST_CHANNELS} at most")])
    if not 0 < length_s <= LONGEST_S:
        raise Refused([Fault(where, f"lasts {length_s:g} s", f"more than none, {LONGEST_S:g} s at most")])


def write_wav(sound: Sound, coding: Coding = "pcm16") -> bytes:
    """Return it as a WAV; what is beyond full scale is cut there, as a speaker would."""
    import soundfile

    out = io.BytesIO()
    soundfile.write(out, np.clip(sound.samples, -1.0, 1.0), sound.rate_hz, format="WAV", subtype=SUBTYPES[coding])
    return out.getvalue()
