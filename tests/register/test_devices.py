"""Devices: made, changed, copied, retired; links follow an output's new name; *Try it* says what was heard and switches nothing."""

from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient

from lantern.application.app import make_app
from lantern.cluster import free_port
from lantern.core.devices import DEVICE_KINDS, suitable
from lantern.core.faults import Refused
from lantern.core.kinds import KINDS
from lantern.db.base import transaction
from lantern.links.tables import LinkRow
from lantern.live.plans import load_plans
from lantern.register import devices
from lantern.register.tables import DeviceRow, devices_in
from lantern.register.trying import Tried, try_device
from lantern.sites import places
from lantern.sites.tables import PlaceRow
from lantern.standins.relay import RelayStandIn
from loops import in_a_loop
from seeded import Small
from web.test_access import log_in

PROBE = {"code": "P1", "name": "Probe", "kind": "thermal", "ability": {"width": None, "height": None}}


@pytest.fixture
def client(small: Small) -> TestClient:
    return log_in(make_app(), "ida", "open sesame")


def module(**changes: Any) -> dict[str, Any]:
    outputs = [
        {"was": "lamp", "name": "lamp", "what": "beacon", "coil": 0, "contact": "normally_open"},
        {"was": "stop", "name": "stop", "what": "relay", "coil": 1, "contact": "normally_closed"},
    ]
    return {"code": "M1", "name": "Module", "address": {}, "outputs": outputs} | changes


# ---- made, changed ---------------------------------------------------------------------------------------------------


def test_a_device_is_made_and_its_token_told_once(client: TestClient) -> None:
    made = client.post("/sites/1/devices", json=PROBE | {"place_id": 1}).json()
    assert (made["code"], len(made["token"]) > 20, made["ingest"].endswith("/ingest/P1")) == ("P1", True, True)
    assert made["token"] not in client.get(f"/sites/1/devices/{made['id']}", headers={"accept": "text/html"}).text
    again = client.post("/sites/1/devices", json=PROBE | {"place_id": 1})
    assert "'P1' is taken" in again.text


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"kind": "toaster"}, "kind"),
        ({"ability": {"width": 640, "height": None}}, "both, or none"),
        ({"ability": {"width": -4, "height": 3}}, "above 0"),
        ({"address": {"url": "http://10.0.0.7"}}, "does not belong to such a device"),
        ({"outputs": [{"name": "lamp", "coil": 5}]}, "M1 has one of that name"),
        ({"code": ""}, "code"),
    ],
)
def test_what_is_wrong_with_a_device_is_said_and_nothing_stored(
    client: TestClient, change: dict[str, Any], told: str
) -> None:
    answer = client.post("/sites/1/devices", json=PROBE | {"place_id": 1} | change)
    assert (answer.status_code, told in answer.text) == (422, True), answer.text
    with transaction() as session:
        assert session.query(DeviceRow).count() == 2


def test_links_follow_an_outputs_new_name_also_where_two_change_places(small: Small) -> None:
    with transaction() as session:
        row = session.get_one(DeviceRow, small.module)
        document = module()
        document["outputs"][0]["name"], document["outputs"][1]["name"] = "stop", "lamp"
        document["outputs"][0]["what"], document["outputs"][1]["what"] = "beacon", "relay"
        devices.change_device(session, row, document, place=row.place)
    with transaction() as session:
        [link] = session.query(LinkRow).all()
        assert [effect["output"] for effect in link.body["effects"]] == ["stop"]
        assert link.revision == 2


def test_an_output_that_a_link_uses_stays_and_so_does_its_module(small: Small) -> None:
    with transaction() as session:
        row = session.get_one(DeviceRow, small.module)
        with pytest.raises(Refused, match="hot to lamp switches lamp"):
            devices.change_device(session, row, module(outputs=module()["outputs"][1:]), place=row.place)
        with pytest.raises(Refused, match="hot to lamp switches lamp"):
            devices.set_retired(session, row, retired=True)


def test_a_picture_of_another_size_than_the_takes_is_refused(small: Small) -> None:
    with transaction() as session:
        row = session.get_one(DeviceRow, small.camera)
        document = {"code": "T1", "name": "Camera", "ability": {"width": 16, "height": 12}}
        with pytest.raises(Refused, match="1 take of 8 x 6"):
            devices.change_device(session, row, document, place=row.place)


def test_a_copy_has_a_token_and_outputs_of_its_own(small: Small) -> None:
    with transaction() as session:
        camera, relay = (session.get_one(DeviceRow, each) for each in (small.camera, small.module))
        second = devices.copy_device(session, camera, code="T2", name="Second")
        assert (second.ability, second.token != camera.token) == (camera.ability, True)
        assert [o["name"] for o in devices.copy_device(session, relay, code="M2", name="More").outputs] == [
            "lamp M2",
            "stop M2",
        ]


def test_a_retired_device_is_run_by_nobody_and_keeps_its_takes(client: TestClient, small: Small) -> None:
    assert client.put(f"/sites/1/devices/{small.camera}/retired", json={"retired": True}).status_code == 200
    assert [device.code for device in load_plans().devices] == ["M1"]
    assert load_plans().detectors == []
    assert "Retired:" in client.get("/sites/1/survey", headers={"accept": "text/html"}).text
    assert "take-1" in client.get("/sites/1/takes", headers={"accept": "text/html"}).text
    client.put(f"/sites/1/devices/{small.camera}/retired", json={"retired": False})
    assert [plan.model.name for plan in load_plans().detectors] == ["hot"]


def test_a_place_with_devices_stays(small: Small) -> None:
    with transaction() as session:
        place = session.get_one(PlaceRow, 1)
        with pytest.raises(Refused, match="in it; expected an empty place"):
            places.remove_place(session, place)
        loft = places.add_place(session, small.site, "Loft")
        for row in devices_in(session, place.id):
            row.place_id = loft.id
        session.flush()
        places.remove_place(session, place)


# ---- what a device can do --------------------------------------------------------------------------------------------


def test_every_kind_is_shown_those_that_can_be_done_first(small: Small) -> None:
    for name, device in DEVICE_KINDS.items():
        found = suitable(name)
        assert {each.kind.name for each in found} == set(KINDS)
        told = [bool(each.why_not) for each in found]
        assert told == sorted(told)
        for each in found:
            assert bool(set(each.kind.signals) & set(device.signals)) == (each.why_not == "")
    skin = next(each for each in suitable("thermal", ["series"]) if each.kind.name == "skin")
    assert "the device's takes hold readings over time" in skin.why_not


# ---- tried -----------------------------------------------------------------------------------------------------------


def tried(**changes: Any) -> Tried:
    given = {"id": 1, "code": "M1", "kind": "io_module", "address": {}, "ability": {}, "live": True}
    outputs = [
        {"name": "lamp", "coil": 0, "contact": "normally_open"},
        {"name": "stop", "coil": 1, "contact": "normally_closed"},
    ]
    return Tried(**(given | {"outputs": outputs} | changes))


def test_a_module_is_asked_and_nothing_is_switched() -> None:
    async def run() -> tuple[list[str], list[Any]]:
        relay = RelayStandIn(free_port())
        await relay.start()
        relay.coils[0] = True
        heard = await try_device(tried(address={"host": "127.0.0.1", "port": relay.port, "unit": 1}))
        await relay.stop()
        assert heard.ok
        return heard.lines, relay.switched

    lines, switched = in_a_loop(run)
    assert switched == []
    assert "answers over Modbus TCP" in lines[0]
    assert lines[1:] == ["Coil 0 is on: lamp is active.", "Coil 1 is off: stop is active."]


def test_what_does_not_answer_is_said_with_the_way_on() -> None:
    assert in_a_loop(lambda: try_device(tried())).lines == ["It has no address yet: give host and port, and save."]
    gone = in_a_loop(lambda: try_device(tried(address={"host": "127.0.0.1", "port": free_port()})))
    assert (gone.ok, "refuses the connection" in gone.lines[0]) == (False, True)
    camera = tried(kind="camera", outputs=[])
    assert "no address yet" in in_a_loop(lambda: try_device(camera)).lines[0]
    deaf = in_a_loop(lambda: try_device(tried(kind="camera", address={"url": f"http://127.0.0.1:{free_port()}/m"})))
    assert (deaf.ok, "does not answer" in deaf.lines[0]) == (False, True)
    paused = in_a_loop(lambda: try_device(tried(kind="thermal", live=False)))
    assert "paused" in paused.lines[0]


def test_two_who_change_different_parts_of_a_device_at_one_time_both_keep_theirs(small: Small) -> None:
    with transaction() as session:
        row = session.get_one(DeviceRow, small.module)
        assert row.extras.get("mount") is None  # read, and then somebody else is faster
        with transaction() as other:
            theirs = other.get_one(DeviceRow, small.module)
            devices.change_device(other, theirs, {"mount": {"x_m": 4.0, "y_m": 5.0}}, place=theirs.place)
        devices.change_device(session, row, {"name": "Another name"}, place=row.place)
    with transaction() as session:
        row = session.get_one(DeviceRow, small.module)
        assert (row.name, row.extras["mount"]) == ("Another name", {"x_m": 4.0, "y_m": 5.0})
