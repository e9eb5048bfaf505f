"""Transmittance of the air between camera and target, for long-wave cameras.

tau = X exp(-sqrt(d) (a1 + b1 sqrt(w))) + (1 - X) exp(-sqrt(d) (a2 + b2 sqrt(w))), with w the water vapour in the air as a
polynomial of its temperature times the relative humidity. Source: W. Minkina and S. Dudzik, Infrared Thermography:
Errors and Uncertainties, Wiley 2009 (from memory). Fitted for 7.5 to 13 um, so it is used for 8 to 14 um and for the
total-radiation model; for 3 to 5 um give the transmittance itself.
"""

from __future__ import annotations

import math

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.readings.heat.radiation import Model

SOURCE = "Minkina and Dudzik 2009 (from memory)"
DEFAULT_HUMIDITY_PERCENT = 50.0  # common practice, no source
WATER = (1.5587, 6.939e-2, -2.7816e-4, 6.8455e-7)
SHARE, A1, A2, B1, B2 = 1.9, 0.006569, 0.012620, -0.002276, -0.006670


def transmittance(distance_m: float, air_c: float, humidity_percent: float, model: Model = "total") -> float:
    """Return the share that passes, in (0, 1]; 1 at no distance."""
    faults = FaultList()
    if distance_m < 0:
        faults.add("distance_m", f"{distance_m:g} m", "at least 0 m")
    if not 0 <= humidity_percent <= 100:
        faults.add("humidity_percent", f"{humidity_percent:g} %", "0 to 100 %")
    if not -40 <= air_c <= 80:
        faults.add("air_c", f"{air_c:g} °C", "-40 to 80 °C, for which the formula was fitted")
    if model == "band_3_5":
        faults.add("transmittance", "no formula for 3 to 5 um from distance and humidity", "the transmittance itself")
    faults.refuse_if_any()
    water = humidity_percent / 100 * math.exp(sum(c * air_c**i for i, c in enumerate(WATER)))
    root_d, root_w = math.sqrt(distance_m), math.sqrt(water)
    tau = SHARE * math.exp(-root_d * (A1 + B1 * root_w)) + (1 - SHARE) * math.exp(-root_d * (A2 + B2 * root_w))
    if not 0 < tau <= 1:
        what = f"the formula gives {tau:.3g} at {distance_m:g} m, {air_c:g} °C, {humidity_percent:g} %"
        raise Refused([Fault("transmittance", what, "a shorter distance, or the transmittance itself")])
    return tau
