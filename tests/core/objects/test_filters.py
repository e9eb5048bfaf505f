"""Which samples count, and how high a figure is expected to be at its depth."""

from __future__ import annotations

import numpy as np
import pytest

from builders import subject_of
from checks import check
from core.objects.test_kinds import tracks
from lantern.core.events import Detector
from lantern.core.faults import Refused
from lantern.core.objects.dials import ObjectDials
from lantern.core.objects.filters import filtered, keeps, perspective_of
from lantern.core.objects.region import ObjectRegion
from lantern.core.tracks import make_tracks

LINE = ObjectRegion(name="line", shape="line", points=((0, 10), (30, 10)))


def figure(name: str, row: float, height: float, **how: float) -> ObjectRegion:
    return ObjectRegion(name=name, shape="line", points=((5, row), (5, row - height)), role="reference", **how)


def test_expected_height_as_published() -> None:
    inputs, expected = check("B10")
    seen = perspective_of([figure("far", inputs["v0"], inputs["S0"]), figure("near", inputs["v1"], inputs["S1"])])
    assert seen is not None
    assert [float(seen.height(np.array([inputs["v"]]))[0]), seen.horizon_row] == expected


def test_linear_is_near_but_not_exact_on_a_tilted_camera() -> None:
    """The check's own camera: figures marked at 8 and 30 m, looked up at 14 m."""
    inputs, expected = check("B17")
    tilt, f, cy, h = np.radians(inputs["tilt_deg"]), inputs["f_px"], inputs["cy_px"], inputs["h_m"]

    def row(d: float, up: float) -> float:
        return float(
            cy + f * ((h - up) * np.cos(tilt) - d * np.sin(tilt)) / (d * np.cos(tilt) + (h - up) * np.sin(tilt))
        )

    near, far = inputs["d_cal_m"]
    marked = [figure(str(d), row(d, 0), row(d, 0) - row(d, inputs["H_m"])) for d in (near, far)]
    seen = perspective_of(marked)
    assert seen is not None
    d = inputs["d_query_m"]
    assert [float(seen.height(np.array([row(d, 0)]))[0]), row(d, 0) - row(d, inputs["H_m"])] == expected


def test_figures_of_different_true_height_are_brought_to_one() -> None:
    seen = perspective_of([figure("man", 300, 60, target_mm=1800), figure("child", 100, 10, target_mm=900)])
    assert seen is not None
    assert float(seen.height(np.array([100.0]))[0]) == pytest.approx(20)


@pytest.mark.parametrize(
    ("figures", "what"),
    [
        ([figure("one", 300, 60)], "two, each a line"),
        ([figure("a", 300, 60), figure("b", 300, 50)], "one near, one far"),
        ([figure("a", 300, 0), figure("b", 100, 50)], "from foot to head"),
    ],
)
def test_figures_that_say_nothing_are_refused(figures: list[ObjectRegion], what: str) -> None:
    with pytest.raises(Refused, match=what):
        perspective_of(figures)


def test_sizes_by_perspective_let_cut_off_boxes_pass_and_nothing_above_the_horizon() -> None:
    box = np.array([[10, 60, 10, 40.0], [10, 80, 10, 20], [10, 3, 10, 3], [10, 40, 10, 10], [0, 90, 10, 10]])
    held = make_tracks(np.arange(5.0), np.arange(5), box, frame_px=(200, 200))
    regions = [figure("near", 100, 40), figure("far", 50, 15)]  # nothing at row 20
    dials = ObjectDials(min_height_share=0.6, max_height_share=1.6)
    fits = keeps(held, regions, dials)["size"].tolist()
    assert fits == [True, False, False, True, True]  # right, half as high, above the horizon, far but right, cut off
    with pytest.raises(Refused, match="two reference figures"):
        keeps(held, [LINE], dials)


def test_a_class_is_judged_among_what_the_other_filters_let_stay() -> None:
    """Two doubtful samples say bicycle; without them the object is a person from its first sure sample on."""
    held = tracks([(5, 5)] * 5, labels=["bicycle", "bicycle", "person", "person", "bicycle"])
    unsure = np.array([0.2, 0.2, 0.9, 0.9, 0.9])
    held = make_tracks(
        held.t_s, held.object, held.box, confidence=unsure, labels=["bicycle", "bicycle", "person", "person", "bicycle"]
    )
    assert filtered(held, [], ObjectDials(classes=("person",))).t_s.tolist() == []
    sure = ObjectDials(classes=("person",), min_confidence=0.5)
    assert filtered(held, [], sure).t_s.tolist() == [2, 3, 4]


def test_heights_in_metres_leave_children_out_and_nobody_whose_height_is_not_told() -> None:
    """Below 1.2 m a counter takes one for a child or a trolley (common practice, no source)."""
    seen = tracks([(5, 5), (6, 6), (7, 7), (8, 8)])
    assert seen.height_m is None
    told = make_tracks(seen.t_s, seen.object, seen.box, height_m=np.array([1.1, 1.2, np.nan, 1.9]))
    assert filtered(told, [], ObjectDials(min_height_m=1.2)).t_s.tolist() == [1, 2, 3]
    assert filtered(told, [], ObjectDials(min_height_m=1.2, max_height_m=1.8)).t_s.tolist() == [1, 2]
    assert filtered(seen, [], ObjectDials(min_height_m=1.2)) is seen


def test_who_is_left_out_for_his_height_is_told_so_and_a_take_without_heights_says_that() -> None:
    at = [(5.0, 15.0), (5.0, 25.0)]
    seen = tracks(at)
    small = make_tracks(seen.t_s, seen.object, seen.box, height_m=np.array([1.0, 1.04]))
    regions = (ObjectRegion(name="line", shape="line", points=((0, 20), (30, 20))),)
    dials = {"min_height_m": 1.2, "band": 1.0}
    detector = Detector(name="d", kind="crossing", regions=regions, dials=dials)
    held = subject_of(detector, small)
    [verdict] = held.verdicts()
    assert (verdict.code, "1.00 to 1.04 m tall" in verdict.text) == ("size", True)
    assert not any("no heights" in each for each in held.cautions())
    plain = subject_of(detector, make_tracks(small.t_s, small.object, small.box))
    assert len(plain.events()) == 1
    assert "no heights" in plain.cautions()[0]
