"""Emissivity correction against published values (checks.json D, textbook and Stefan-Boltzmann), and its own inverse."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import constants, integrate

from checks import check
from lantern.core.faults import Refused
from lantern.core.readings.heat.radiation import (
    BANDS_UM,
    Band,
    Correction,
    Model,
    Seen,
    apparent_c,
    object_c,
    planck,
    radiator,
    seen_as_recorded,
)
from lantern.core.signals import RecordedAs


def test_wrong_emissivity_reads_as_published() -> None:
    inputs, expected = check("D11")  # true 80 °C, set 0.95, reflected 20 °C, exponent 4
    set_to = Seen(inputs["eps_set"], 20.0)
    read = [float(object_c(apparent_c(np.array([80.0]), Seen(e, 20.0)), set_to)[0]) for e in inputs["eps_true"]]
    assert read == expected


def test_reflection_beyond_the_signal_is_refused() -> None:
    inputs, solvable = check("D13")
    assert solvable is False
    with pytest.raises(Refused, match="reflection exceeds the signal"):
        object_c(np.array([float(inputs["T_app_C"])]), Seen(inputs["eps"], inputs["T_refl_C"]))


def test_power_balance_of_the_stefan_boltzmann_law() -> None:
    # a grey body at 350 K in a 293.15 K room: what it emits and what it reflects add up to what the camera sees
    seen_k = apparent_c(np.array([350.0 - 273.15]), Seen(0.95, 20.0))[0] + 273.15
    sigma = constants.Stefan_Boltzmann
    assert sigma * seen_k**4 == pytest.approx(0.95 * sigma * 350**4 + 0.05 * sigma * 293.15**4, rel=1e-12)


def test_undoing_what_the_device_corrected_is_not_correcting_twice() -> None:
    true_c = np.linspace(-20, 300, 50)
    recorded, wanted = Seen(0.95, 20.0), Seen(0.6, 35.0)
    as_recorded = object_c(apparent_c(true_c, wanted), recorded)
    assert Correction(recorded, wanted).apply(as_recorded) == pytest.approx(true_c, abs=1e-9)
    assert Correction(recorded, wanted).undo(true_c) == pytest.approx(as_recorded, abs=1e-9)
    assert Correction(recorded, recorded).apply(true_c) is true_c


# ---- the band model --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("model", ["band_8_14", "band_3_5"])
def test_band_signal_equals_quadrature_of_plancks_law(model: Model) -> None:
    low, high = (um * 1e-6 for um in BANDS_UM[model])
    for kelvin in (233.15, 300.0, 373.15, 800.0, 2000.0):
        exact, _ = integrate.quad(lambda wave, k=kelvin: float(planck(np.array([wave]), np.array([k]))[0]), low, high)
        assert radiator(model).signal(np.array([kelvin]))[0] == pytest.approx(exact, rel=2e-5)


def test_planck_over_all_wavelengths_is_the_stefan_boltzmann_law() -> None:
    for kelvin in (250.0, 1000.0):
        total, _ = integrate.quad(
            lambda um, k=kelvin: float(planck(np.array([um * 1e-6]), np.array([k]))[0]) * 1e-6, 0.2, 3000, limit=400
        )
        assert np.pi * total == pytest.approx(constants.Stefan_Boltzmann * kelvin**4, rel=1e-4)


def test_published_band_figures() -> None:
    inputs, expected = check("D02")
    band = float(radiator("band_8_14").signal(np.array([float(inputs["T_K"])]))[0])
    assert band == expected
    inputs, total = check("D01")
    assert constants.Stefan_Boltzmann * inputs["T_K"] ** 4 == total
    _, share = check("D03")
    assert np.pi * band / (constants.Stefan_Boltzmann * inputs["T_K"] ** 4) == share


@pytest.mark.parametrize("model", ["total", "band_8_14", "band_3_5"])
def test_signal_is_inverted_to_a_hundredth_of_a_kelvin(model: Model) -> None:
    kelvin = np.linspace(203, 2273, 5000)
    assert np.abs(radiator(model).kelvin(radiator(model).signal(kelvin)) - kelvin).max() < 0.01


def test_the_local_exponent_of_a_band_as_published() -> None:
    # d ln S / d ln T, by central difference of the table
    for name, model in (("D04", "band_8_14"), ("D05", "band_3_5")):
        inputs, expected = check(name)
        around = np.array([float(inputs["T_K"]) * f for f in (0.999, 1.001)])
        low, high = np.log(radiator(model).signal(around))  # type: ignore[arg-type]
        assert (high - low) / (np.log(1.001) - np.log(0.999)) == expected


def seen_of(inputs: dict) -> Seen:
    return Seen(inputs["eps"], inputs["T_refl_C"], inputs["tau"], inputs["T_atm_C"])


@pytest.mark.parametrize(("name", "model"), [("D08", "total"), ("D09", "band_8_14")])
def test_object_temperature_through_air_as_published(name: str, model: Model) -> None:
    inputs, expected = check(name)
    assert object_c(np.array([float(inputs["T_app_C"])]), seen_of(inputs), model)[0] == expected


@pytest.mark.parametrize(("name", "model"), [("D06", "total"), ("D07", "band_8_14")])
def test_apparent_temperature_through_air_as_published(name: str, model: Model) -> None:
    inputs, expected = check(name)
    assert apparent_c(np.array([float(inputs["T_obj_C"])]), seen_of(inputs), model)[0] == expected


def test_wrong_emissivity_in_the_band_reads_as_published() -> None:
    inputs, expected = check("D10")
    set_to = Seen(inputs["eps_set"], 20.0)
    seen = [apparent_c(np.array([80.0]), Seen(e, 20.0), "band_8_14") for e in inputs["eps_true"]]
    assert [float(object_c(x, set_to, "band_8_14")[0]) for x in seen] == expected


def test_a_cold_sky_as_published() -> None:
    inputs, expected = check("D12")
    assert [float(apparent_c(np.array([40.0]), Seen(e, -40.0), "band_8_14")[0]) for e in inputs["eps_true"]] == expected


def test_what_is_refused() -> None:
    for name, seen in (("emissivity", {"emissivity": 0.0}), ("transmittance", {"transmittance": 1.2})):
        with pytest.raises(Refused, match=f"{name}.*above 0 and at most 1"):
            Seen(**seen)
    with pytest.raises(Refused, match="reflected_c: -300 °C is at or below absolute zero"):
        Seen(0.9, -300.0)
    with pytest.raises(Refused, match="absolute zero"):
        Correction(Seen(0.9), Seen(0.8)).apply(np.array([20.0, -273.15]))


def test_the_same_air_before_and_after_falls_out() -> None:
    recorded = RecordedAs(emissivity_set=0.95, reflected_c=20.0, air_c=5.0)
    bare = Correction(seen_as_recorded(recorded), Seen(0.7, 20.0))
    through = Correction(seen_as_recorded(recorded, 0.8), Seen(0.7, 20.0, 0.8, 5.0))
    values = np.linspace(0, 200, 9)
    assert through.apply(values) == pytest.approx(bare.apply(values), abs=1e-9)


def test_table_is_made_once() -> None:
    assert isinstance(radiator("band_3_5"), Band)
    assert radiator("band_3_5") is radiator("band_3_5")
