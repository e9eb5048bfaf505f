"""Two who save at once: what one alone changed is taken, what both changed is chosen, and nothing is lost."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lantern.core.events import Detector
from lantern.core.faults import Refused
from lantern.core.merging import DIAL, ORDER, REGION, merged, parts

A = {"name": "a", "shape": "box", "points": [[0, 0], [4, 4]]}
B = {"name": "b", "shape": "box", "points": [[4, 0], [8, 4]]}
MOVED = A | {"points": [[1, 1], [5, 5]]}


def detector(*regions: dict[str, Any], kind: str = "heat", name: str = "hot", **dials: Any) -> Detector:
    return Detector.model_validate({"name": name, "kind": kind, "regions": list(regions or (A,)), "dials": dials})


BASE = detector(A, threshold_c=60.0, sustain_s=3.0)


def taken(theirs: Detector, own: Detector, base: Detector = BASE) -> dict[str, str | None]:
    return {part.key: part.take for part in parts(base, theirs, own)}


def test_what_only_one_changed_is_taken_from_it() -> None:
    theirs, own = detector(A, threshold_c=52.0, sustain_s=3.0), detector(A, threshold_c=60.0, sustain_s=8.0)
    assert taken(theirs, own) == {f"{DIAL}threshold_c": "theirs", f"{DIAL}sustain_s": "own"}
    whole = merged(BASE, theirs, own, {})
    assert (whole.dials["threshold_c"], whole.dials["sustain_s"]) == (52.0, 8.0)


def test_what_both_changed_must_be_chosen() -> None:
    theirs, own = detector(A, threshold_c=52.0, sustain_s=3.0), detector(A, threshold_c=48.0, sustain_s=3.0)
    assert taken(theirs, own) == {f"{DIAL}threshold_c": None}
    with pytest.raises(Refused, match="threshold_c: was changed by both"):
        merged(BASE, theirs, own, {})
    for side, value in (("theirs", 52.0), ("own", 48.0)):
        assert merged(BASE, theirs, own, {f"{DIAL}threshold_c": side}).dials["threshold_c"] == value  # type: ignore[dict-item]


def test_what_both_changed_alike_needs_no_choice() -> None:
    both = detector(A, threshold_c=52.0, sustain_s=3.0)
    assert taken(both, both) == {f"{DIAL}threshold_c": "own"}
    assert merged(BASE, both, both, {}).dials["threshold_c"] == 52.0


def test_a_default_that_is_written_out_is_no_change() -> None:
    assert taken(detector(A, threshold_c=60.0, sustain_s=3.0, hysteresis_c=2.0), BASE) == {}


def test_regions_are_taken_one_by_one_added_moved_and_removed() -> None:
    base = detector(A, B)
    theirs = detector(A, B, {"name": "c", "shape": "spot", "points": [[2, 2]]})
    own = detector(MOVED)  # b was removed
    assert taken(theirs, own, base) == {f"{REGION}a": "own", f"{REGION}b": "own", f"{REGION}c": "theirs"}
    whole = merged(base, theirs, own, {})
    assert [(region.name, region.points[0]) for region in whole.regions] == [("a", (1.0, 1.0)), ("c", (2.0, 2.0))]


def test_a_region_that_one_moves_and_the_other_removes_is_chosen() -> None:
    base, theirs, own = detector(A, B), detector(MOVED, B), detector(B)
    assert taken(theirs, own, base) == {f"{REGION}a": None}
    assert [r.name for r in merged(base, theirs, own, {f"{REGION}a": "theirs"}).regions] == ["a", "b"]
    assert [r.name for r in merged(base, theirs, own, {f"{REGION}a": "own"}).regions] == ["b"]


def test_the_order_of_a_path_is_a_part_of_its_own() -> None:
    line = {"name": "gate", "shape": "line", "points": [[0, 0], [8, 0]]}
    base, turned = detector(A, line, kind="path"), detector(line, A, kind="path")
    assert taken(turned, base, base) == {ORDER: "theirs"}
    assert [region.name for region in merged(base, turned, base, {}).regions] == ["gate", "a"]
    assert [region.name for region in merged(base, base, turned, {}).regions] == ["gate", "a"]


def test_name_and_timetable_too() -> None:
    theirs = BASE.model_copy(update={"name": "hotter"})
    own = BASE.model_copy(update={"timetable": "nights"})
    whole = merged(BASE, theirs, own, {})
    assert (whole.name, whole.timetable) == ("hotter", "nights")


VALUES = st.sampled_from([40.0, 50.0, 60.0])
STATES = st.builds(
    lambda threshold, sustain, regions: detector(*regions, threshold_c=threshold, sustain_s=sustain),
    VALUES, st.sampled_from([0.0, 3.0]), st.sampled_from([(A,), (B,), (A, B), (B, A), (MOVED, B)]),
)  # fmt: skip


@given(STATES, STATES, STATES)
def test_whatever_two_did_every_part_is_one_of_theirs_and_sides_are_symmetric(
    base: Detector, theirs: Detector, own: Detector
) -> None:
    found = parts(base, theirs, own)
    swapped = {part.key: part.take for part in parts(base, own, theirs)}
    for part in found:
        if part.take is None:
            assert swapped[part.key] is None
            assert part.theirs not in (part.base, part.own)
            assert part.own != part.base
        else:
            assert getattr(part, part.take) != part.base  # a change is never lost to what did not change
    assert parts(base, base, base) == []
    choices = {part.key: "own" for part in found}
    for part in parts(base, theirs, own):
        if part.take is None:
            assert choices[part.key] == "own"
    try:
        whole = merged(base, theirs, own, choices)  # type: ignore[arg-type]
    except Refused:
        return
    for part in found:
        if part.key.startswith(DIAL):
            wanted = getattr(part, part.take or "own")
            assert whole.dials[part.key.removeprefix(DIAL)] == wanted
