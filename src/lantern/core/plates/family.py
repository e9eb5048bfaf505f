"""The family of plates: reads of a plate reader, voted passage by passage and held against lists."""

from __future__ import annotations

from lantern.core.device_kind import LENS, DeviceKind
from lantern.core.family import Family
from lantern.core.plates import dials as plate_dials
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.kind import PlateKind
from lantern.core.plates.subject import judge
from lantern.core.plates.watch import PlateWatch


def _vote(dials: PlateDials) -> str:
    return ""


def _pair(dials: PlateDials) -> tuple[str, str]:
    return "min_reads", "min_vote" if dials.when == "any" else "tolerance"


PLATE = PlateKind(
    name="plate",
    says="a plate is read that is on a list, or on none",
    dials=PlateDials,
    groups=plate_dials.GROUPS,
    matters=plate_dials.matters,
    unit=_vote,
    pair=_pair,
)
READER = DeviceKind(
    "reader", "plate reader", ("plates",), "sends", pictured=True, figures=(LENS,), usual_height_m=(1.0, 7.0)
)
FAMILY = Family(
    name="plates",
    kinds=(PLATE,),
    signals={"plates": "reads of plates"},
    devices=(READER,),
    judge=judge,
    watch=PlateWatch,
)
