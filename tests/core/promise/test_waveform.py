"""What a waveform tells apart, by the handbook's values."""

from __future__ import annotations

from checks import check
from lantern.core.promise.waveform import Waveform, rain_db

K_BAND = Waveform(f0_ghz=24.125, bandwidth_mhz=250, sweep_us=250, sweeps=128)


def test_shifts_of_frequency() -> None:
    given, expected = check("G01")
    assert K_BAND.doppler_hz(given["v_m_s"]) == expected
    given, expected = check("G02")
    door = K_BAND.model_copy(update={"f0_ghz": given["f0_GHz"]})
    assert door.doppler_hz(given["v_km_h"] / 3.6, given["a_deg"]) == expected
    given, expected = check("G09")
    assert K_BAND.doppler_hz(given["v_m_s"], given["a_deg"]) * K_BAND.wavelength_m / 2 == expected


def test_what_is_told_apart_and_where_speeds_fold() -> None:
    given, expected = check("G03")
    steps = [K_BAND.model_copy(update={"bandwidth_mhz": each}).range_step_m for each in given["B_MHz"]]
    assert steps == expected
    _, expected = check("G04")
    assert [K_BAND.fastest_mps, K_BAND.speed_step_mps] == expected
    given, expected = check("G05")
    assert K_BAND.beat_hz(given["R_m"]) == expected


def test_rain_takes_little_on_the_way() -> None:
    given, expected = check("G21")
    assert [rain_db(500.0, given["R_mm_h"]), rain_db(50.0, given["R_mm_h"])] == expected
