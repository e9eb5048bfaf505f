"""The dials of a decision on a radar's returns."""

from __future__ import annotations

from typing import Literal

from lantern.core.dials import Dials, dial
from lantern.core.time_dials import rearm_dial

PROFILES = ("inbound", "outbound", "across", "any")


class RadarDials(Dials):
    """Who moves in a way for long and far enough raises."""

    profile: Literal["inbound", "outbound", "across", "any"] = dial(
        "inbound", meaning="Which way raises: nearer, away, across the beam, or any"
    )
    min_speed_mps: float = dial(
        0.3,
        unit="m/s",
        low=0.0,
        high=100.0,
        step=0.05,
        reach=3.0,
        meaning="Radial speed from which a return goes that way; of no account across and any",
    )
    distance_m: float = dial(
        1.5, unit="m", low=0.0, high=1000.0, step=0.1, reach=10.0, meaning="The way that it must come"
    )
    sustain_s: float = dial(0.0, unit="s", low=0.0, high=600.0, step=0.5, reach=10.0, meaning="For so long at least")
    bridge_s: float = dial(
        1.0,
        unit="s",
        low=0.0,
        high=600.0,
        step=0.5,
        reach=10.0,
        meaning="A stretch at another speed that is forgiven, if shorter",
    )
    gap_s: float = dial(
        1.0, unit="s", low=0.05, high=600.0, step=0.1, reach=5.0, meaning="A pause longer than this begins anew"
    )
    min_rcs_dbsm: float | None = dial(
        None, unit="dBsm", low=-60.0, high=60.0, step=0.5, meaning="Returns of smaller size are left out"
    )
    max_rcs_dbsm: float | None = dial(
        None, unit="dBsm", low=-60.0, high=60.0, step=0.5, meaning="Returns of larger size are left out"
    )
    rearm_s: float = rearm_dial(0.0, reach=60.0, meaning="A target raises again in a region only after so long")


GROUPS = (
    ("Way", ("profile", "min_speed_mps", "distance_m")),
    ("Time", ("sustain_s", "bridge_s", "gap_s", "rearm_s")),
    ("Size", ("min_rcs_dbsm", "max_rcs_dbsm")),
)


def matters(name: str, dials: RadarDials) -> bool:
    """Return whether a dial plays a part under these."""
    by_speed = dials.profile in ("inbound", "outbound")
    return by_speed or name not in ("min_speed_mps", "bridge_s")
