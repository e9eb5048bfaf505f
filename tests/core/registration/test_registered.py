"""A registration says where a device stands, and how far a mount is from it."""

from __future__ import annotations

import numpy as np
import pytest

from core.registration.test_walk import AZIMUTH_DEG, CORNERS, MOUNT_X, MOUNT_Y, before_the_radar
from lantern.core.faults import Refused
from lantern.core.registration.registered import Registered, apart, standing_by


def made() -> Registered:
    places = np.array(CORNERS)
    own = before_the_radar(places)
    return Registered(pairs=tuple((*a, *b) for a, b in zip(own.tolist(), places.tolist(), strict=True)))


def test_it_stands_where_its_pairs_say() -> None:
    held = standing_by(made())
    assert (held.x_m, held.y_m, held.azimuth_deg) == (MOUNT_X, MOUNT_Y, AZIMUTH_DEG)
    assert held.rms_m == 0.0
    with pytest.raises(Refused):
        standing_by(Registered(pairs=((0, 0, 1, 1), (0, 0, 2, 2))))


def test_a_mount_that_differs_is_told_with_both_figures() -> None:
    held = standing_by(made())
    assert apart({"x_m": MOUNT_X + 0.3, "y_m": MOUNT_Y, "azimuth_deg": AZIMUTH_DEG - 1}, held) == ""
    said = apart({"x_m": MOUNT_X, "y_m": MOUNT_Y - 3, "azimuth_deg": AZIMUTH_DEG + 355}, held)
    assert said.startswith(
        "it stands on the plan 3.0 m and 5° from where its registration puts it (x 40, y 20, looking to 30°)"
    )
    poor = held.model_copy(update={"rms_m": 2.0})
    assert apart({"x_m": MOUNT_X + 3, "y_m": MOUNT_Y, "azimuth_deg": AZIMUTH_DEG}, poor) == ""  # it knows no better
