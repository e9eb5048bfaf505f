"""What a type says of mounting, held against a mount and against what stands before it."""

from __future__ import annotations

import pytest

from lantern.core.faults import Refused
from lantern.core.modelled import read_model
from lantern.core.promise.claim import Around, Stood
from lantern.core.promise.claims import claims
from lantern.core.promise.plan import Occluder, Plan
from lantern.core.promise.radar import Radar
from lantern.core.register.mounting import Mounting, mounting_reasons

TYPE = Mounting(height_from_m=2, height_to_m=6, range_m=100, sector_deg=120, behind=("wood", "plastic"))
MOUNT = {"x_m": 0.0, "y_m": 0.0, "height_m": 4.0, "azimuth_deg": 0.0, "sector_deg": 120.0, "range_m": 100.0}


def test_what_goes_beyond_its_type_is_said_with_both_numbers() -> None:
    assert mounting_reasons(TYPE, MOUNT) == []
    for key, value, said in (
        ("height_m", 1.5, "it hangs at 1.5 m, its type at 2 m at least"),
        ("height_m", 7.0, "it hangs at 7 m, its type at 6 m at most"),
        ("range_m", 140.0, "it is said to see a person to 140 m, its type sees one to 100 m"),
        ("sector_deg", 180.0, "it is said to see 180°, its type sees 120°"),
    ):
        [reason] = mounting_reasons(TYPE, MOUNT | {key: value})
        assert (reason.code, reason.text) == ("mounting", said)
    assert mounting_reasons(Mounting(), MOUNT | {"height_m": 90.0}) == []
    with pytest.raises(Refused, match="is above height_to_m"):
        read_model(Mounting, {"height_from_m": 5, "height_to_m": 3}, where="type")


def test_it_may_not_stand_right_behind_what_its_type_does_not_name() -> None:
    walls = [
        Occluder(name="fence", points=((-3, 4), (3, 4)), height_m=5, material="wood"),
        Occluder(name="shed", points=((-3, 6), (3, 6)), height_m=5, material="metal"),
        Occluder(name="low box", points=((-3, 5), (3, 5)), height_m=2, material="metal"),
        Occluder(name="far", points=((-3, 40), (3, 40)), height_m=9, material="metal"),
        Occluder(name="behind it", points=((-3, -5), (3, -5)), height_m=9, material="metal"),
    ]
    plan = Plan(occluders=tuple(walls))
    stood = Stood("R1", Radar(**MOUNT), behind=TYPE.behind)
    [claim] = [each for each in claims(stood, Around(plan, [stood])) if each.name == "behind"]
    assert claim.verdict == "fail"
    assert claim.reason == "shed (metal) stands within 10 m before it; its type may stand behind wood, plastic"
    unsaid = Stood("R1", Radar(**MOUNT))
    assert claims(unsaid, Around(plan, [unsaid])) == []
