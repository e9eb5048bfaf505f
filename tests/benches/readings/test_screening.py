"""A screening in the store: people, shares and the curve on a small take; readings as a file; changes in the user's scale."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
import tifffile

from lantern.benches.readings import physics
from lantern.core.events import Detector
from lantern.core.faults import Refused
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Series
from lantern.core.site import Device, Place, Site
from lantern.core.units import Scale
from lantern.db.base import transaction
from lantern.formats.tables import read_hand_counts, read_series, write_series
from lantern.people.tables import add_user
from lantern.register.tables import device_by_code
from lantern.sites.actions import add_site
from lantern.takes.actions import import_path
from lantern.takes.marking import add_marks
from lantern.takes.tables import TakeRow
from lantern.tune import evidence
from lantern.tune.actions import add_detector
from lantern.tune.shown import changes_shown
from lantern.tune.tables import DetectorRow

DETECTOR = {
    "name": "door",
    "kind": "skin",
    "device": "T3",
    "regions": [
        {"name": "face", "shape": "box", "points": [[2, 2], [26, 28]]},
        {"name": "source", "shape": "box", "points": [[30, 2], [36, 8]], "role": "reference"},
    ],
    "dials": {"face_px": 150, "hottest_px": 2, "threshold_c": 37.5},
}


@pytest.fixture
def door(database: str, tmp_path: Path) -> tuple[int, int]:
    """Twelve people of five seconds, every fourth too warm; (detector, take)."""
    rng = np.random.default_rng(6)
    y, x = np.mgrid[0:30, 0:40]
    celsius = 22 + rng.normal(0, 0.05, (480, 30, 40))
    celsius[:, 2:8, 30:36] += 13
    oval = ((x - 14) / 9) ** 2 + ((y - 15) / 11) ** 2 < 1
    marks = []
    for person in range(12):
        start, warm = 8 + 40 * person, person % 4 == 3
        celsius[start : start + 20, oval] = (38.6 if warm else 36.0) + rng.normal(0, 0.05)
        if warm:
            marks.append(Mark(start / 4, start / 4 + 5, "expect"))
    path = tmp_path / "door.tif"
    tifffile.imwrite(path, np.round((celsius + 273.15) * 25).astype(np.uint16), photometric="minisblack")
    info = {
        "format": "lantern-take/1",
        "name": "Door",
        "kind": "heat",
        "device": "T3",
        "start": "2026-03-06T06:40:00+01:00",
    }
    info |= {"fps": 4, "scale": 0.04, "offset": -273.15, "emissivity_set": 0.98, "reflected_c": 22}
    path.with_name("door.tif.json").write_text(json.dumps(info))
    camera = Device(code="T3", name="Door", kind="thermal", ability={"width": 40, "height": 30})
    with transaction() as session:
        user = add_user(session, login="ida", name="Ida Test", password="open sesame")
        site = add_site(session, Site(name="S", places=(Place(name="P", devices=(camera,)),)))
    take_id = import_path(path, site_id=site.id)
    with transaction() as session:
        add_marks(session, session.get_one(TakeRow, take_id), marks)
        device = device_by_code(session, site.id, "T3")
        assert device is not None
        row = add_detector(
            session, device_id=device.id, detector=Detector.model_validate(DETECTOR), reason="first", user_id=user.id
        )
        return row.id, take_id


def test_people_shares_and_curve(door: tuple[int, int]) -> None:
    with transaction() as session:
        row, take = session.get_one(DetectorRow, door[0]), session.get_one(TakeRow, door[1])
        got = physics.people(session, take, row.model)
        assert [p["beyond"] for p in got["people"]] == [person % 4 == 3 for person in range(12)]
        assert [p["beyond"] for p in got["people"]] == [p["warm"] for p in got["people"]]
        assert (got["shares"]["sensitivity"], got["shares"]["specificity"]) == (1, 1)
        assert got["shares"]["sensitivity_interval"][0] == pytest.approx(0.4385, abs=1e-4)  # Wilson, 3 of 3
        assert (got["roc"]["area"], got["roc"]["youden_j"]) == (1, 1)
        assert 36.2 < got["roc"]["youden_c"] < 38.4
        strict = row.model.model_copy(update={"dials": row.model.dials | {"threshold_c": 39.5}})
        missed = physics.people(session, take, strict)
        assert missed["shares"]["sensitivity"] == 0
        assert missed["predictive_at_1_percent"] is None  # nobody was asked aside
        far = row.model.model_copy(update={"dials": row.model.dials | {"face_px": 600}})
        assert physics.people(session, take, far)["people"] == []
        assert physics.people(session, take, far)["refused"]["face too small"] > 200


def test_strips_of_a_screening_leave_out_what_refuses_everything(door: tuple[int, int]) -> None:
    with transaction() as session:
        row, take = session.get_one(DetectorRow, door[0]), session.get_one(TakeRow, door[1])
        held = evidence.hold(session, row.model, [take])
        got = evidence.strips(held, ["threshold_c", "reference_c", "face_px"], None, Scale())
        assert set(got) == {"threshold_c", "reference_c", "face_px"}
        verdicts = {tuple(p[2:4]) for p in got["threshold_c"]["pieces"]}
        assert (0, 0) in verdicts
        assert (3, 0) in verdicts


def test_the_rail_says_how_a_screening_stands(door: tuple[int, int]) -> None:
    with transaction() as session:
        assert session.get_one(DetectorRow, door[0]).verdict == "steady"


def test_readings_go_out_and_come_back() -> None:
    t = np.arange(4.0)
    columns = {
        "a": Series(t, np.array([20.5, 21.25, 22, 23])),
        "b": Series(t[[0, 2, 3]], np.array([1.0, 2, 3])),  # the shutter was closed at 1 s
    }
    text = write_series(columns)
    assert text.splitlines()[:3] == ["t_s,a,b", "0,20.5,1", "1,21.25,"]
    back, values = read_series(write_series({"a": columns["a"]}).encode(), where="r.csv")
    assert back.tolist() == t.tolist()
    assert values["a"].tolist() == columns["a"].x.tolist()


def test_hand_counts_are_told_from_marks_by_their_header() -> None:
    assert read_hand_counts(b"start_s,end_s,label,detector,note\n", where="m.csv") is None
    [one] = read_hand_counts(b"start_s,end_s,in,out\n0,60,12,3\n", where="h.csv") or []
    assert (one.start_s, one.end_s, one.into, one.out) == (0, 60, 12, 3)
    for data, word in (
        (b"start_s,end_s,in,out\n60,0,1,1\n", "line 2: from 60 s to 0 s"),
        (b"start_s,end_s,in,out\n0,60,1.5,1\n", "line 2, in: 1.5"),
        (b"start_s,end_s,in,out\n0,60,1\n", "line 2: 3 columns"),
        (b"start_s,end_s,in,out\n", "no interval in it"),
    ):
        with pytest.raises(Refused, match=word):
            read_hand_counts(data, where="h.csv")


def test_changes_are_worded_in_the_users_scale() -> None:
    changes = [
        {"what": "threshold_c", "before": 45.0, "after": 50.0},
        {"what": "hysteresis_c", "before": 2.0, "after": 5.0},
        {"what": "emissivity", "before": None, "after": 0.9},
        {"what": "repeat", "before": False, "after": True},
        {"what": "regions", "before": "a", "after": "b"},
    ]
    shown = [tuple(c.values()) for c in changes_shown(changes, "heat", Scale("°F"))]
    assert shown == [
        ("Threshold", "113 °F", "122 °F"),
        ("Hysteresis", "3.6 °F", "9 °F"),
        ("Emissivity", "empty", "0.9"),
        ("Repeat", "no", "yes"),
        ("Regions", "a", "b"),
    ]
