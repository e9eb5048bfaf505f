"""The register in a site: a user's own type, what its devices cannot, cures that are taken, replacements, cautions everywhere."""

from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient

from lantern.application.app import make_app
from lantern.db.base import transaction
from lantern.register.devices import add_device
from lantern.register.tables import DeviceRow, device_by_code
from lantern.sites.tables import PlaceRow
from lantern.tune.tables import DetectorRow
from seeded import Small
from web.client import words_of
from web.test_access import log_in

HTML = {"accept": "text/html"}
OWN: dict[str, Any] = {
    "name": "harbour camera",
    "kind": "thermal",
    "abilities": [
        {
            "name": "skin only",
            "signal": "heat",
            "kinds": ["skin"],
            "load": {"fixed_percent": 10},
            "excludes": ["hot spots"],
        },
        {"name": "hot spots", "signal": "heat", "kinds": ["heat"], "load": {"fixed_percent": 60}},
        {"name": "overlay", "signal": "picture", "load": {"fixed_percent": 25}},
    ],
    "power": {"poe_class": 4},
}


@pytest.fixture
def client(small: Small) -> TestClient:
    return log_in(make_app(), "ida", "open sesame")


def own_type(client: TestClient, **changes: Any) -> dict[str, Any]:
    made = client.post("/sites/1/types", json=OWN | changes)
    assert made.status_code == 200, made.text
    answer: dict[str, Any] = made.json()
    return answer


def set_device(client: TestClient, small: Small, **changes: Any) -> None:
    document = {"code": "T1", "name": "Camera", "place_id": 1, "ability": {"width": 8, "height": 6, "fps": 2}}
    answer = client.put(f"/sites/1/devices/{small.camera}", json=document | changes)
    assert answer.status_code == 200, answer.text


def caution(small: Small) -> str:
    with transaction() as session:
        return session.get_one(DetectorRow, small.detector).caution


def page(client: TestClient, path: str) -> str:
    answer = client.get(f"/sites/1{path}", headers=HTML)
    assert answer.status_code == 200, answer.text
    return words_of(answer)


def test_a_device_of_a_users_own_type_is_told_what_it_cannot_and_the_cure_is_taken(
    client: TestClient, small: Small
) -> None:
    own_type(client)
    set_device(client, small, type="harbour camera", abilities=[{"name": "skin only"}])
    assert caution(small) == "T1 cannot carry it: hot spots cannot run beside skin only"
    for path in (f"/bench/{small.detector}", f"/devices/{small.camera}", "/devices"):
        assert "cannot run beside skin only" in page(client, path), path
    assert 'title="T1 cannot carry it' in page(client, "/survey")  # in the rail
    text = "switch off skin only"
    assert text in page(client, f"/devices/{small.camera}")
    taken = client.post(f"/sites/1/devices/{small.camera}/cures", json={"kind": "heat", "text": text})
    assert taken.status_code == 200, taken.text
    assert caution(small) == ""
    with transaction() as session:
        assert "abilities" not in session.get_one(DeviceRow, small.camera).extras
    again = client.post(f"/sites/1/devices/{small.camera}/cures", json={"kind": "heat", "text": text})
    assert (again.status_code, "is none any more" in again.text) == (422, True)


def test_the_load_is_told_in_parts(client: TestClient, small: Small) -> None:
    own_type(client)
    set_device(client, small, type="harbour camera", abilities=[{"name": "overlay"}])
    told = page(client, f"/devices/{small.camera}")
    assert "hot spots for hot <b>60.0 %</b>" in told
    assert "in all <b>85.0 %</b> of 80 %" in told
    assert "5.0 % over the 80 %" in caution(small)
    assert "switch off overlay: that frees 25.0 %" in told


def test_a_type_in_use_is_not_deleted_keeps_its_kind_and_gives_its_devices_its_new_name(
    client: TestClient, small: Small
) -> None:
    made = own_type(client)
    set_device(client, small, type="harbour camera")
    refused = client.delete(f"/sites/1/types/{made['id']}?base=1")
    assert (refused.status_code, "T1 are of it" in refused.text) == (422, True)
    kind = client.put(f"/sites/1/types/{made['id']}?base=1", json=OWN | {"kind": "camera"})
    assert (kind.status_code, "T1 of it are thermal" in kind.text) == (422, True)
    renamed = client.put(f"/sites/1/types/{made['id']}?base=1", json=OWN | {"name": "quay camera"})
    assert renamed.status_code == 200
    with transaction() as session:
        assert session.get_one(DeviceRow, small.camera).type == "quay camera"
    stale = client.put(f"/sites/1/types/{made['id']}?base=1", json=OWN)
    assert stale.status_code == 409
    set_device(client, small, type=None)
    assert client.delete(f"/sites/1/types/{made['id']}?base=2").status_code == 200


def test_a_type_that_is_not_there_or_for_another_sort_is_refused(client: TestClient, small: Small) -> None:
    document = {"code": "T1", "name": "Camera", "place_id": 1}
    for name, told in (("nobody's", "empty, or one of: thermal camera"), ("radar, 100 m sector", "is for a radar")):
        answer = client.put(f"/sites/1/devices/{small.camera}", json=document | {"type": name})
        assert (answer.status_code, told in answer.text) == (422, True), answer.text


def test_what_hangs_on_what(client: TestClient, small: Small) -> None:
    for code in ("S1", "S2"):
        switch = {"code": code, "name": "Switch", "kind": "switch", "type": "network switch, 8 ports", "place_id": 1}
        assert client.post("/sites/1/devices", json=switch).status_code == 200
    own_type(client, power={"poe_class": 6})
    set_device(client, small, type="harbour camera", hangs_on={"switch": "S1", "port": "1"})
    with transaction() as session:
        [told] = session.get_one(DeviceRow, small.camera).cautions
    assert told == "it draws 51 W, port 1 of S1 gives 25.5 W at the device: 25.5 W too little"
    cure = {"kind": "heat", "text": "hang it on port 7 of S1, which is free and feeds it"}
    assert client.post(f"/sites/1/devices/{small.camera}/cures", json=cure).status_code == 200
    with transaction() as session:
        row = session.get_one(DeviceRow, small.camera)
        assert (row.switch, row.port, row.cautions) == ("S1", "7", [])
    other = {"code": "T2", "name": "Other", "kind": "thermal", "place_id": 1, "hangs_on": {"switch": "S1", "port": "7"}}
    taken = client.post("/sites/1/devices", json=other)
    assert (taken.status_code, "port 7 of S1 has T1 on it" in taken.text) == (422, True)
    with transaction() as session:
        switch = device_by_code(session, small.site, "S1")
        assert switch is not None
    renamed = client.put(f"/sites/1/devices/{switch.id}", json={"code": "SW", "name": "Switch", "place_id": 1})
    assert renamed.status_code == 200
    with transaction() as session:
        assert session.get_one(DeviceRow, small.camera).switch == "SW"
    assert "T1" in page(client, f"/devices/{switch.id}")


def test_a_replaced_device_keeps_its_detectors_and_says_what_it_cannot(client: TestClient, small: Small) -> None:
    own_type(client)
    set_device(client, small, type="harbour camera", firmware="1.0", abilities=[{"name": "overlay"}])
    asked = client.get(f"/sites/1/devices/{small.camera}/replacing", params={"type": "horn speaker"}).json()
    assert [line.split(":")[0] for line in asked["cannot"]] == [
        "hot (heat)",
        "it has no ability overlay, which is on",
        "it is reached in another way",
    ]
    kept = client.get(f"/sites/1/devices/{small.camera}/replacing", params={"type": "thermal camera, radiometric"})
    assert kept.json()["cannot"] == ["it has no ability overlay, which is on"]
    body = {"type": "thermal camera, radiometric", "firmware": "2.6"}
    answer = client.post(f"/sites/1/devices/{small.camera}/replace", json=body).json()
    assert answer["token"] not in ("", small.token)
    with transaction() as session:
        row, detector = session.get_one(DeviceRow, small.camera), session.get_one(DetectorRow, small.detector)
        assert (row.type, row.firmware, row.extras) == ("thermal camera, radiometric", "2.6", {})
        assert (detector.device_id, detector.caution, detector.retired) == (row.id, "", False)
    nothing = client.get(f"/sites/1/devices/{small.camera}/replacing", params={"type": "no such"})
    assert nothing.status_code == 422


def test_two_channels_show_the_setting_that_differs(client: TestClient, small: Small) -> None:
    channels = [
        {"name": "overview", "settings": {"time_zone": "Europe/Amsterdam", "gain": None}},
        {"name": "PTZ", "settings": {"time_zone": "UTC"}},
    ]
    document = {"code": "Z1", "name": "Mast", "kind": "ptz", "type": "PTZ camera", "place_id": 1, "channels": channels}
    made = client.post("/sites/1/devices", json=document).json()
    told = page(client, f"/devices/{made['id']}")
    assert "Time zone differs between its channels: Europe/Amsterdam, UTC" in told
    assert "should agree: one event would bear two times" in told
    channels[1]["settings"] = {"time_zone": "Europe/Amsterdam"}
    changed = client.put(f"/sites/1/devices/{made['id']}", json=document | {"channels": channels})
    assert changed.status_code == 200
    assert "differs between its channels" not in page(client, f"/devices/{made['id']}")


def test_a_detector_is_put_on_a_channel_of_its_device(client: TestClient, small: Small) -> None:
    assert client.put(f"/sites/1/detectors/{small.detector}/channel", json={"channel": "left"}).status_code == 422
    set_device(client, small, channels=[{"name": "left"}, {"name": "right"}])
    assert client.put(f"/sites/1/detectors/{small.detector}/channel", json={"channel": "left"}).status_code == 200
    with transaction() as session:
        row = session.get_one(DetectorRow, small.detector)
        assert (row.body["channel"], row.model.channel, row.revision) == ("left", "left", 2)
    assert "Detectors on" in page(client, f"/devices/{small.camera}")
    assert "On channel left." in page(client, f"/bench/{small.detector}/revisions")


def test_a_copied_device_hangs_nowhere_yet(small: Small) -> None:
    from lantern.register.devices import copy_device

    with transaction() as session:
        place = session.get_one(PlaceRow, 1)
        add_device(session, place, {"code": "S1", "name": "Switch", "kind": "switch"})
        document = {"code": "M2", "name": "Module", "kind": "io_module", "inputs": [{"name": "door", "discrete": 0}],
                    "hangs_on": {"switch": "S1", "port": "1"}}  # fmt: skip
        made = copy_device(session, add_device(session, place, document), code="M3", name="Copy")
        assert (made.switch, [each.name for each in made.input_models]) == (None, ["door M3"])
