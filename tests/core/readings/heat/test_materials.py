"""The table of emissivities, cautions, and the error fan."""

from __future__ import annotations

import numpy as np
import pytest

from checks import check
from lantern.core.faults import Refused
from lantern.core.readings.heat.materials import MATERIALS, caution, fan
from lantern.core.readings.heat.optics import diluted_c, farthest_m, spot
from lantern.core.readings.heat.radiation import Correction, Seen, apparent_c, object_c
from lantern.core.readings.heat.severity import at_full_load, severity

# handbook values, 8 to 14 um (from memory, of middling confidence): some that every table agrees on to a few hundredths
PUBLISHED = {
    "skin": 0.98,
    "water": 0.96,
    "electrical tape": 0.95,
    "concrete": 0.93,
    "polished aluminium or copper": 0.05,
}


def test_the_table_holds_the_handbook_values() -> None:
    by_name = {material.name: material for material in MATERIALS}
    for name, value in PUBLISHED.items():
        assert by_name[name].low <= value <= by_name[name].high
    assert len(by_name) == len(MATERIALS)
    assert all(0 < material.low <= material.middle <= material.high <= 1 for material in MATERIALS)


def test_cautions_by_emissivity() -> None:
    assert caution(0.6) is None
    assert caution(0.59)[0] == "warning"  # type: ignore[index]
    assert caution(0.29)[0] == "advise against"  # type: ignore[index]


def test_a_fan_says_what_the_reading_becomes_and_whether_the_alarm_comes() -> None:
    recorded = Seen(0.95, 20.0)
    blades = fan(
        60.0,
        recorded,
        lambda e: Correction(recorded, Seen(e, 20.0)),
        0.6,
        0.95,
        lambda e: (0 if object_c(apparent_c(np.array([60.0]), recorded), Seen(e, 20.0))[0] > 60 else 1, 0),
    )
    assert [b.emissivity for b in blades][0::8] == [0.6, 0.95]
    # 60 °C at 0.95 is a power of (333.15^4 - 0.05 * 293.15^4) / 0.95 at emissivity 1, and so on: by hand
    power = 0.95 * 333.15**4 + 0.05 * 293.15**4
    assert blades[0].reading_c == pytest.approx(((power - 0.4 * 293.15**4) / 0.6) ** 0.25 - 273.15, abs=0.01)
    assert blades[-1].reading_c == 60.0
    assert (blades[0].misses, blades[-1].misses) == (0, 1)


def test_a_fan_goes_on_where_the_physics_refuses() -> None:
    recorded = Seen(1.0, 40.0)
    blades = fan(20.0, recorded, lambda e: Correction(recorded, Seen(e, 40.0)), 0.1, 1.0, lambda e: (0, 0))
    assert "reflection exceeds the signal" in blades[0].refused
    assert blades[0].reading_c is None
    assert blades[-1].reading_c == 20.0


def test_spot_size_as_published() -> None:
    inputs, expected = check("D14")
    size = spot(inputs["pitch_um"], inputs["f_mm"], inputs["D_m"])
    assert [size.ifov_mrad, size.pixel_mm, size.measuring_mm] == expected
    inputs, expected = check("D15")
    assert farthest_m(inputs["s_mm"], inputs["IFOV_mrad"]) == expected
    with pytest.raises(Refused, match="focal_mm"):
        spot(12, 0, 20)


def test_a_target_that_fills_a_ninth_of_a_pixel_as_published() -> None:
    inputs, expected = check("D33")
    assert diluted_c(inputs["To_C"], inputs["Tb_C"], inputs["fill"]) == expected
    assert diluted_c(90, 20, 1) == pytest.approx(90)


def test_severity_classes_as_published() -> None:
    inputs, expected = check("D26")  # ANSI/NETA MTS, Table 100.18
    similar = [severity(k) for k in inputs["dT_K"][:3]]
    assert similar + [severity(k, "ambient") for k in inputs["dT_K"][3:]] == expected
    assert [severity(k) for k in (0.5, 3.0, 3.5)] == ["none", "possible", "probable"]  # gaps round up


def test_load_correction_as_published() -> None:
    inputs, expected = check("D25")
    difference, load = np.array([float(inputs["dT_K"])]), inputs["I_over_rated"] * 100
    assert [float(at_full_load(difference, load, n)[0]) for n in (1.6, 2.0)] == expected
    with pytest.raises(Refused, match="load_percent"):
        at_full_load(difference, 0, 2)
