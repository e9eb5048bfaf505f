"""The family of radars: returns of targets, decided by the way that each comes."""

from __future__ import annotations

from lantern.core.device_kind import DeviceKind
from lantern.core.family import Family
from lantern.core.radar import dials as radar_dials
from lantern.core.radar.dials import RadarDials
from lantern.core.radar.kind import RadarKind
from lantern.core.radar.subject import judge
from lantern.core.radar.watch import RadarWatch


def _metres(dials: RadarDials) -> str:
    return "m"


def _pair(dials: RadarDials) -> tuple[str, str]:
    return ("min_speed_mps", "distance_m") if dials.profile in ("inbound", "outbound") else ("sustain_s", "distance_m")


RADAR = RadarKind(
    name="radar",
    says="somebody comes nearer, goes away, or moves, by radar",
    dials=RadarDials,
    groups=radar_dials.GROUPS,
    matters=radar_dials.matters,
    unit=_metres,
    pair=_pair,
)
FAMILY = Family(
    name="radar",
    kinds=(RADAR,),
    signals={"radar": "returns of a radar"},
    devices=(DeviceKind("radar", "radar", ("radar",), "sends", usual_height_m=(0.5, 3.0)),),
    judge=judge,
    watch=RadarWatch,
)
