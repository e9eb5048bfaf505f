"""How grave a temperature difference on electrical equipment is, by the published scheme, and its correction for load.

Classes: ANSI/NETA MTS, Table 100.18 (from memory): between similar parts under equal load 1 to 3 K possible deficiency, 4
to 15 K probable, more than 15 K major; over ambient 1 to 10, 11 to 20, 21 to 40 K (monitor until repaired) and more.
Values between two classes belong to the graver one. Load: the difference grows with the current to the power of 1.6 to 2
(*common practice, no source*); below 40 % load the correction is no longer to be trusted.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from lantern.core.faults import Fault, Refused
from lantern.core.signals import Floats

Severity = Literal["none", "possible", "probable", "monitor", "major"]
Over = Literal["similar", "ambient"]
CLASSES: dict[Over, tuple[tuple[float, Severity], ...]] = {
    "similar": ((3.0, "possible"), (15.0, "probable")),
    "ambient": ((10.0, "possible"), (20.0, "probable"), (40.0, "monitor")),
}
NOTHING_BELOW_K = 1.0
SOURCE = "ANSI/NETA MTS, Table 100.18 (from memory)"


def severity(difference_k: float, over: Over = "similar") -> Severity:
    if difference_k < NOTHING_BELOW_K:
        return "none"
    return next((name for most, name in CLASSES[over] if difference_k <= most), "major")


def at_full_load(difference_k: Floats, load_percent: float, exponent: float) -> Floats:
    """Return what the difference would be at the rated current: difference x (rated / present)^exponent."""
    if not 0 < load_percent <= 200:
        raise Refused([Fault("dials.load_percent", f"{load_percent:g} %", "above 0 and at most 200 %")])
    return np.asarray(difference_k * (100 / load_percent) ** exponent)
