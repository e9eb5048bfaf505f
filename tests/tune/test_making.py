"""Detectors from nothing, renamed, copied to another picture, switched off; and two who save at once, through the pages' own address."""

from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient

from lantern.application.app import make_app
from lantern.core.faults import Refused
from lantern.core.scoring.marks import Mark
from lantern.db.base import transaction
from lantern.links.tables import LinkRow
from lantern.live.plans import load_plans
from lantern.register.devices import add_device
from lantern.register.tables import DeviceRow
from lantern.revisions import revisions_of
from lantern.takes.marking import add_marks
from lantern.takes.tables import MarkRow, TakeRow
from lantern.tune.making import copy_detector, make_detector, rename_detector
from lantern.tune.tables import DetectorRow
from seeded import Small
from web.test_access import log_in

HTML = {"accept": "text/html"}
BOX = {"name": "corner", "shape": "box", "points": [[0, 0], [4, 3]]}


@pytest.fixture
def client(small: Small) -> TestClient:
    return log_in(make_app(), "ida", "open sesame")


# ---- made ------------------------------------------------------------------------------------------------------------


def test_a_detector_is_made_with_the_kinds_own_dials_and_is_on_the_bench(client: TestClient, small: Small) -> None:
    page = client.get(f"/sites/1/detectors/new?device={small.camera}", headers=HTML).text
    assert page.index("<b>heat</b>") < page.index("<b>count</b>")
    assert (
        "it looks at tracks of objects or tracks over the floor; a thermal camera gives thermal pictures or readings over time"
        in page
    )
    body = {"device_id": small.camera, "name": " Corner ", "kind": "heat", "regions": [BOX]}
    made = client.post("/sites/1/detectors", json=body).json()
    assert made["name"] == "Corner"
    with transaction() as session:
        row = session.get_one(DetectorRow, made["id"])
        assert (row.body["dials"], row.body["device"], row.revision) == ({}, "T1", 1)
    assert "Corner" in client.get(f"/sites/1/bench/{made['id']}", headers=HTML).text


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"name": "hot"}, "'hot' is taken"),
        ({"name": "  "}, "name"),
        ({"kind": "count"}, "a thermal camera gives thermal pictures or readings over time"),
        ({"kind": "toaster"}, "there is no detector kind 'toaster'"),
        ({"regions": []}, "regions"),
        ({"regions": [BOX, BOX]}, "is there twice"),
        ({"regions": [BOX | {"shape": "line"}]}, "one of polygon, box, spot"),
        ({"regions": [BOX | {"points": [[0, 0], [40, 3]]}]}, "points within 8 x 6"),
    ],
)
def test_what_is_wrong_with_a_new_detector_is_said_and_nothing_stored(
    client: TestClient, small: Small, change: dict[str, Any], told: str
) -> None:
    body = {"device_id": small.camera, "name": "Corner", "kind": "heat", "regions": [BOX]} | change
    answer = client.post("/sites/1/detectors", json=body)
    assert (answer.status_code, told in answer.text) == (422, True), answer.text
    with transaction() as session:
        assert session.query(DetectorRow).count() == 1


def test_a_module_has_nothing_to_detect(client: TestClient, small: Small) -> None:
    answer = client.get(f"/sites/1/detectors/new?device={small.module}", headers=HTML)
    assert (answer.status_code, "nothing to detect" in answer.text) == (422, True)


def test_a_detector_without_evidence_says_what_it_lacks(client: TestClient, small: Small) -> None:
    with transaction() as session:
        place = session.get_one(DeviceRow, small.camera).place
        probe = add_device(session, place, {"code": "P1", "name": "Probe", "kind": "thermal"})
        row = make_detector(session, probe, name="lonely", kind="heat", regions=[BOX], user_id=None)
        made = row.id
    for stage in ("bench", "rehearse"):
        page = client.get(f"/sites/1/{stage}/{made}", headers=HTML).text
        assert "It has no evidence yet" in page
        assert "thermal pictures, as a multi-page TIFF or CSV matrices or readings over time, as a CSV file" in page


def test_stages_of_a_site_without_a_detector_teach_the_next_step(client: TestClient) -> None:
    site = client.post("/sites", json={"name": "Bare", "zone": "UTC"}).json()["id"]
    root = f"/sites/{site}"
    for stage in ("tune", "rehearse", "walk"):
        assert f"{root}/begin/{stage}" in client.get(f"{root}/survey", headers=HTML).text
        assert "Make a place" in client.get(f"{root}/begin/{stage}", headers=HTML).text
    place = client.post(f"{root}/places", json={"name": "Hall"}).json()["id"]
    assert ">New device<" in client.get(f"{root}/begin/tune", headers=HTML).text
    body = {"code": "T1", "name": "Camera", "kind": "thermal", "place_id": place}
    client.post(f"{root}/devices", json=body)
    assert ">Import a take<" in client.get(f"{root}/begin/tune", headers=HTML).text
    assert client.get("/sites/1/begin/rehearse", headers=HTML).headers["location"] == "/sites/1/rehearse/1"
    assert "Link sheet" in client.get(f"{root}/link-sheet", headers=HTML).text
    assert client.get(f"{root}/begin/nothing", headers=HTML).status_code == 404


# ---- renamed, copied, off --------------------------------------------------------------------------------------------


def test_marks_and_links_go_along_with_a_new_name(small: Small) -> None:
    with transaction() as session:
        add_marks(session, session.get_one(TakeRow, small.take), [Mark(1, 2, "quiet", "hot")])
        row = session.get_one(DetectorRow, small.detector)
        rename_detector(session, row, "hotter", user_id=small.user)
    with transaction() as session:
        assert {mark.detector for mark in session.query(MarkRow)} == {"", "hotter"}
        assert [link.body["detector"] for link in session.query(LinkRow)] == ["hotter"]
        assert [r.reason for r in revisions_of(session, "detector", [small.detector])] == ["Renamed from hot.", "first"]


def test_a_copy_is_scaled_to_the_other_picture_and_says_so(client: TestClient, small: Small) -> None:
    with transaction() as session:
        place = session.get_one(DeviceRow, small.camera).place
        size = {"width": 16, "height": 24}
        other = add_device(session, place, {"code": "T2", "name": "Tall", "kind": "thermal", "ability": size})
        row = session.get_one(DetectorRow, small.detector)
        made, caution = copy_detector(session, row, other, name="hot there", user_id=None)
        factors = [
            (there[0] / here[0], there[1] / here[1])
            for before, after in zip(row.model.regions, made.model.regions, strict=True)
            for here, there in zip(before.points, after.points, strict=True)
            if all(here)
        ]
        assert set(factors) == {(2.0, 4.0)}
        assert (made.body["dials"], made.body["device"]) == (row.body["dials"], "T2")
        assert "scaled from 8 x 6 to 16 x 24" in caution
        with pytest.raises(Refused, match="'hot there' is taken"):
            copy_detector(session, row, other, name="hot there", user_id=None)
        module = session.get_one(DeviceRow, small.module)
        with pytest.raises(Refused, match="gives nothing to look at"):
            copy_detector(session, row, module, name="x", user_id=None)
        made_id = made.id
    assert "scaled from 8 x 6" in client.get(f"/sites/1/bench/{made_id}?copied=1", headers=HTML).text


def test_one_that_is_off_or_retired_does_not_run(client: TestClient, small: Small) -> None:
    own = f"/sites/1/detectors/{small.detector}"
    for what, off, on in (("enabled", False, True), ("retired", True, False)):
        assert client.put(f"{own}/{what}", json={what: off}).status_code == 200
        assert load_plans().detectors == []
        assert client.put(f"{own}/{what}", json={what: on}).status_code == 200
        assert [plan.model.name for plan in load_plans().detectors] == ["hot"]


# ---- two at once -----------------------------------------------------------------------------------------------------


def test_the_second_of_two_who_save_sees_both_and_loses_nothing(client: TestClient, small: Small) -> None:
    address = f"/sites/1/bench/{small.detector}/revisions"
    with transaction() as session:
        began = session.get_one(DetectorRow, small.detector).body
    theirs = began | {"dials": began["dials"] | {"threshold_c": 44.0, "rearm_s": 5.0}}
    own = began | {"dials": began["dials"] | {"threshold_c": 41.0, "hysteresis_c": 7.0}}
    assert client.post(address, json={"detector": theirs, "reason": "theirs", "base": 1}).json()["revision"] == 2

    late = client.post(address, json={"detector": own, "reason": "own", "base": 1})
    body = late.json()
    assert (late.status_code, body["over"], "Ida Test saved revision 2" in body["message"]) == (409, 2, True)
    told = {part["key"]: part for part in body["parts"]}
    assert {key: part["take"] for key, part in told.items()} == {
        "dial threshold_c": None,
        "dial hysteresis_c": "own",
        "dial rearm_s": "theirs",
    }
    assert [told["dial threshold_c"][side] for side in ("theirs", "own")] == ["44 °C", "41 °C"]

    asked = {"detector": own, "reason": "both", "base": 1, "over": 2}
    assert client.post(address, json=asked).status_code == 422  # nothing is chosen where both have changed
    done = client.post(address, json=asked | {"choices": {"dial threshold_c": "own"}})
    assert done.json()["revision"] == 3
    with transaction() as session:
        dials = session.get_one(DetectorRow, small.detector).body["dials"]
        assert (dials["threshold_c"], dials["hysteresis_c"], dials["rearm_s"]) == (41.0, 7.0, 5.0)
        assert [r.reason for r in revisions_of(session, "detector", [small.detector])] == ["both", "theirs", "first"]
    again = client.post(address, json=asked | {"choices": {"dial threshold_c": "own"}})
    assert again.status_code == 409  # over what is not the latest any more
