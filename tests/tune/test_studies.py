"""Studies in the worker: maps, advice, revisions judged on a later take; takes set aside; evidence over takes together."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from lantern.benches.readings import physics
from lantern.core.faults import Refused
from lantern.core.scoring.marks import Mark
from lantern.core.tuning.raises import RAISES
from lantern.core.tuning.wishes import Wishes
from lantern.core.units import CELSIUS, Scale
from lantern.db.base import transaction
from lantern.register.tables import DeviceRow
from lantern.revisions import revisions_of
from lantern.takes.actions import import_path
from lantern.takes.marking import add_marks
from lantern.takes.tables import TakeRow
from lantern.tune import bench, evidence, studies
from lantern.tune.tables import DetectorRow, StudyRow, judgements_of
from lantern.tune.tuned import TunedDetector
from seeded import Small
from takes_on_disk import pictures, raw, tiff_take


def second_take(small: Small, folder: Path, *, marked: bool = True) -> int:
    """Another take of the camera: one long heat, and one of two seconds that should not raise."""
    folder.mkdir()
    path = tiff_take(folder, raw(pictures(60, hot=(12, 40), length=4)), name="b.tif", start="2026-03-05T05:12:00+01:00")
    take_id = import_path(path, site_id=small.site)
    if marked:
        with transaction() as session:
            add_marks(session, session.get_one(TakeRow, take_id), [Mark(5, 9, "expect")])
    return take_id


def ask(small: Small, what: str, **asked: Any) -> StudyRow:
    with transaction() as session:
        row = session.get_one(DetectorRow, small.detector)
        body = {"detector": row.body, "takes": [small.take], "wishes": {}} | asked
        study_id = studies.begin_study(session, TunedDetector(row), what, body).id
    studies.run_study(study_id)
    with transaction() as session:
        return session.get_one(StudyRow, study_id)


def test_a_map_is_drawn_and_says_how_far_it_is(small: Small) -> None:
    study = ask(small, "map", dial_x="sustain_s", dial_y="threshold_c", dial_x_range=None, dial_y_range=(20.0, 70.0))
    assert (study.state, study.faults) == ("done", [])
    assert study.done == study.total > 0
    result = study.result
    # 60 °C for 2.5 s twice, once marked: below 60 °C and 2.5 s it hits once and cries wolf once
    row = next(i for i, v in enumerate(result["y"]) if v > 30)
    column = next(i for i, v in enumerate(result["x"]) if v == 1)
    assert (result["values"]["misses"][row][column], result["values"]["false_alarms"][row][column]) == (0, 1)
    assert result["values"]["misses"][-1][column] == 1
    assert result["front"]


def test_what_cannot_be_mapped_is_refused_before_anything_is_queued(small: Small) -> None:
    for dials, word in (
        ({"dial_x": "sustain_s", "dial_y": "sustain_s"}, "two dials"),
        ({"dial_x": "statistic", "dial_y": "sustain_s"}, "numeric"),
    ):
        with pytest.raises(Refused, match=word):
            ask(small, "map", **dials)
    with transaction() as session:
        assert session.query(StudyRow).count() == 0


def test_advice_tells_ways_and_their_dials(small: Small) -> None:
    found = ask(small, "advice").result["advice"]
    assert found[0]["misses"] == 0
    assert {"statistic", "sustain_s"} <= set(found[0]["changes"])
    assert any(a["words"] == "hottest pixel above" for a in found)


def test_a_study_whose_take_is_gone_is_refused(small: Small) -> None:
    study = ask(small, "advice", takes=[999])
    assert study.state == "refused"
    assert "not all of them are there" in study.faults[0]["what"]


def test_a_later_take_judges_every_revision_again_and_says_what_changed(small: Small, tmp_path: Path) -> None:
    take_id = second_take(small, tmp_path / "later")
    [study_id] = studies.judge_again(take_id)
    studies.run_study(study_id)
    with transaction() as session:
        study = session.get_one(StudyRow, study_id)
        assert study.state == "done"
        [line] = study.result["lines"]
        assert line["text"] == "1 of 1 caught, 1 false here; 0 missed and 1 false when it was saved"
        assert not line["worse"]  # it cried wolf before as well
        [newest] = revisions_of(session, "detector", [small.detector])
        assert judgements_of(session, small.detector)[newest.id, take_id]["false_alarms"] == 1
    studies.run_study(study_id)  # done already: nothing happens twice


def test_takes_together_and_those_set_aside(small: Small, tmp_path: Path) -> None:
    take_id = second_take(small, tmp_path / "aside")
    with transaction() as session:
        row = session.get_one(DetectorRow, small.detector)
        takes = [session.get_one(TakeRow, i) for i in (small.take, take_id)]
        got = bench.cards(session, row.model, takes)
        assert (got["together"]["hits"], got["together"]["false_alarms"]) == (2, 2)
        assert got["validation"]["verdict"] == "not validated"
        takes[1].set_aside = True
        got = bench.cards(session, row.model, takes)
        assert (got["together"]["hits"], got["validation"]["verdict"]) == (1, "too few")
        one = evidence.strips(evidence.hold(session, row.model, takes[:1]), ["sustain_s"], None, CELSIUS)["sustain_s"]
        both = evidence.strips(evidence.hold(session, row.model, takes), ["sustain_s"], None, CELSIUS)["sustain_s"]
        assert one["pieces"][0][3] == 1
        assert both["pieces"][0][3] == 2


def test_every_numeric_dial_that_plays_a_part_has_a_strip(small: Small) -> None:
    with transaction() as session:
        row, take = session.get_one(DetectorRow, small.detector), session.get_one(TakeRow, small.take)
        for dials in (
            {"condition": "rise", "delta_c": 5, "window_s": 4},
            {"emissivity": 0.8},
            {"statistic": "percentile"},
            {"against": "baseline", "baseline_s": 60},
        ):
            model = row.model.model_copy(update={"dials": row.model.dials | dials})
            held = evidence.hold(session, model, [take])
            subject = held[0].subject
            wanted = {
                name
                for name in subject.kind.dials.model_fields
                if isinstance(getattr(subject.dials, name), float) and subject.kind.matters(name, subject.dials)
            }
            got = evidence.strips(held, None, Wishes.of(RAISES, {"delay_s": 30}), Scale("°F"))
            assert set(got) == wanted
            for strip in got.values():
                assert strip["pieces"][0][0] == pytest.approx(strip["low"])
                assert strip["pieces"][-1][1] == pytest.approx(strip["high"])
        figures = physics.noise_figures(evidence.hold(session, row.model, [take]))
        assert set(figures) == {"sigma_c", "by", "drift"}


def test_an_error_fan_over_a_material(small: Small) -> None:
    with transaction() as session:
        row, take = session.get_one(DetectorRow, small.detector), session.get_one(TakeRow, small.take)
        [held] = evidence.hold(session, row.model, [take])
        fan = physics.error_fan(held, take, row.model.regions[0], "rusty steel")
        assert [fan["blades"][0]["emissivity"], fan["blades"][-1]["emissivity"]] == [0.7, 0.9]
        # recorded as a black body at 60 °C: the lower the true emissivity, the hotter it must be
        readings = [blade["reading_c"] for blade in fan["blades"]]
        assert readings == sorted(readings, reverse=True)
        assert readings[-1] > 60
        assert all(blade["misses"] == 0 for blade in fan["blades"])
        with pytest.raises(Refused, match="one of skin"):
            physics.error_fan(held, take, row.model.regions[0], "moon dust")


def test_the_smallest_target_and_a_region_that_is_too_small(small: Small) -> None:
    with transaction() as session:
        row, take = session.get_one(DetectorRow, small.detector), session.get_one(TakeRow, small.take)
        assert physics.spot_of(session, take, row.model) is None  # no lens known
        device = session.get_one(DeviceRow, small.camera)
        device.ability = device.ability | {"pitch_um": 12, "focal_mm": 9}
        region = row.model.regions[0].model_copy(update={"target_mm": 26.7})
        model = row.model.model_copy(
            update={"regions": (region,), "dials": row.model.dials | {"distance_m": 20.0, "air_c": 20.0}}
        )
        spot = physics.spot_of(session, take, model)
        assert spot is not None
        assert spot["measuring_mm"] == pytest.approx(80)  # domain D14
        [small_one] = spot["small"]
        # a ninth of the spot at 50 °C before 20 °C: 8 to 14 um, far nearer to what lies around it
        assert 22 < small_one["reads_c"] < 26
        assert physics.pixels_shown(take, model)["all"] == list(range(48))
